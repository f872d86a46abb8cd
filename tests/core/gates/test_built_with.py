"""What a unit was built with: found, told apart, paid for, changed by parts and boards."""

import unittest

from sortis_core.assess import assess
from sortis_core.configuration import Aspect
from sortis_core.facts.configuration import built_with, configuration_words, part_in, usual_words
from sortis_core.gates import BuiltWithGate
from sortis_core.gates.gate import came_with
from sortis_core.gates.verdict import GateState
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import BoardSchool, Policy
from sortis_core.standards import Price, PriceStep
from tests.core.sample import DESK, FOLIO, SHEETS, folio, found, lot
from tests.core.test_plan import case_of

TARN, MERLE, STILT = (
    SHEETS[key] for key in ("kestrin-tarn-14", "quarrin-merle-13", "quarrin-stilt-q2")
)


def tarn(**entries):
    good = {"m1": "8", "m2": "8", "d1": "s256", "d2": "-", "d3": "-"}
    return found(TARN, **(good | {"p1": "23/23 9c", "p2": "48/48 9c"} | entries))


def merle(trim="plain", **entries):
    return found(MERLE, trim, **({"m0": "8", "d1": "n256", "p1": "46/46 9c"} | entries))


def wanting(aspect, *codes, adds=0, sheet=TARN):
    """Desk ready, with the gate; or with the gate as a step that adds."""
    gate = BuiltWithGate(aspect=aspect, any_of=codes)
    prices = tuple(Price(sheet=sheet.key, grade=g, price_cents=30_000) for g in "ABC")
    fields = {"prices": prices, "steps": ()}
    if adds:
        fields["steps"] = (PriceStep(gate=gate, adds_cents=adds),)
    else:
        fields["gates"] = (*DESK.gates, gate)
    return DESK.model_copy(update=fields)


def planned(standard, *units, lots=(), policy=None):
    case = case_of(*units, lots=lots, offers=()).model_copy(update={"standards": (standard,)})
    case = case.model_copy(update={"policy": policy or Policy()})
    plan = make_plan(case)
    assert faults(case, plan) == [], faults(case, plan)
    return plan


def fitted(outcome):
    return {action.key for action in outcome.actions}


class Known(unittest.TestCase):
    def test_what_was_noted_or_all_that_the_trim_comes_with(self):
        self.assertEqual(built_with(TARN, tarn(), Aspect.PANEL), "")
        self.assertEqual(built_with(TARN, tarn(built_panel="low"), Aspect.PANEL), "low")
        self.assertEqual(built_with(MERLE, merle(), Aspect.PANEL), "plain")
        self.assertEqual(built_with(MERLE, merle("touch"), Aspect.PANEL), "touch")

    def test_what_is_usual_is_told_and_is_no_knowledge(self):
        self.assertEqual(usual_words(TARN, tarn(), Aspect.PANEL), "full-resolution 14 in")
        self.assertNotIn("full-resolution 14 in", configuration_words(TARN, tarn()))
        self.assertIn("low-resolution 14 in", configuration_words(TARN, tarn(built_panel="low")))

    def test_the_memory_on_the_board_tells_the_processor_beside_it(self):
        self.assertEqual(built_with(MERLE, merle(m0="16"), Aspect.PROCESSOR), "high")
        self.assertEqual(built_with(MERLE, merle(m0="8"), Aspect.PROCESSOR), "mid")
        self.assertEqual(built_with(MERLE, merle(m0="?"), Aspect.PROCESSOR), "")
        # All boards of this model may carry either processor.
        self.assertEqual(built_with(FOLIO, folio(m0="8"), Aspect.PROCESSOR), "")
        low, high = MERLE.boards
        alike = MERLE.model_copy(
            update={"boards": (low, high, high.model_copy(update={"processor": "mid"}))}
        )
        self.assertEqual(built_with(alike, merle(m0="16"), Aspect.PROCESSOR), "")
        open_to_any = MERLE.model_copy(
            update={"boards": (low, high, high.model_copy(update={"processor": ""}))}
        )
        self.assertEqual(built_with(open_to_any, merle(m0="16"), Aspect.PROCESSOR), "")

    def test_the_second_reckoning_knows_it_by_the_same_sheet(self):
        for memory in ("8", "16", "?"):
            for noted in ({}, {"built_processor": "mid"}):
                unit = merle(m0=memory, **noted)
                self.assertEqual(
                    came_with(MERLE, unit, Aspect.PROCESSOR),
                    built_with(MERLE, unit, Aspect.PROCESSOR),
                )

    def test_a_processor_that_does_not_go_with_the_memory_is_asked_again(self):
        def asked(unit):
            return [
                question
                for question in assess(MERLE, unit, (DESK,), Policy()).questions
                if question.place == "built_processor"
            ]

        (question,) = asked(merle(m0="16", built_processor="mid"))
        self.assertEqual(
            question.sentence,
            "16 GB are soldered to the board with Velm V7, noted is Velm V5. "
            "Look at one of the two again.",
        )
        self.assertEqual(asked(merle(m0="16", built_processor="high")), [])
        self.assertEqual(asked(merle(m0="?", built_processor="mid")), [])

    def test_which_part_sits_there_is_known_only_with_it(self):
        self.assertEqual(part_in(TARN, tarn(), "screen", "panel-kt14"), "")
        low = tarn(built_panel="low")
        self.assertEqual(part_in(TARN, low, "screen", "panel-kt14"), "panel-low-kt14")
        self.assertEqual(part_in(TARN, tarn(), "pointer", "pointer-kt14"), "pointer-kt14")


class Verdicts(unittest.TestCase):
    def state(self, standard, findings):
        sheet = SHEETS[findings.sheet]
        said = assess(sheet, findings, (standard,), Policy()).verdicts[0]
        return next(gate for gate in said.gates if gate.gate.startswith("built_with"))

    def test_on_the_list_off_it_and_not_looked_at(self):
        touch = wanting("built_panel", "touch")
        self.assertIs(self.state(touch, tarn(built_panel="touch")).state, GateState.MET)
        short = self.state(touch, tarn(built_panel="low"))
        self.assertIs(short.state, GateState.SHORT)
        self.assertEqual(short.sentence, "Panel is low-resolution 14 in, wanted touch 14 in")
        self.assertIs(self.state(touch, tarn()).state, GateState.UNKNOWN)

    def test_a_model_whose_sheet_names_none_is_short_and_never_unknown(self):
        bare = TARN.model_copy(update={"built_with": ()})
        gate = BuiltWithGate(aspect="built_panel", any_of=("touch",))
        said = gate.verdict(bare, tarn(), Policy())
        self.assertIs(said.state, GateState.SHORT)
        self.assertIn("names no panel", said.sentence)

    def test_the_language_has_its_own_gate(self):
        with self.assertRaisesRegex(ValueError, "keyboard_language"):
            BuiltWithGate(aspect="keyboard_language", any_of=("de",))


class Ways(unittest.TestCase):
    def test_a_touch_panel_means_the_whole_lid_and_its_cable(self):
        units = (tarn(built_panel="low"),)
        both = (lot("lid-touch-kt14"), lot("touch-cable-kt14"))
        (outcome,) = planned(wanting("built_panel", "touch"), *units, lots=both).outcomes
        self.assertEqual(fitted(outcome), {"screen+lid-touch-kt14+touch-cable-kt14"})
        plan = planned(wanting("built_panel", "touch"), *units, lots=both[:1])
        self.assertFalse(plan.outcomes[0].outcome.ready)
        facts = [r.fact for group in plan.groups for r in group.rejections]
        self.assertTrue(any("no Touch cable, Tarn 14 is in stock" in fact for fact in facts), facts)

    def test_an_upgrade_is_made_where_it_pays_and_left_where_it_does_not(self):
        light = tarn(keyboard_light="unlit")
        lots = (lot("keyboard-lit-kt14", cents=900),)
        rich = planned(wanting("keyboard_light", "lit", adds=6000), light, lots=lots)
        self.assertEqual(fitted(rich.outcomes[0]), {"keyboard+keyboard-lit-kt14"})
        poor = planned(wanting("keyboard_light", "lit", adds=901), light, lots=lots)
        self.assertEqual(fitted(poor.outcomes[0]), set())

    def test_another_processor_comes_with_another_board(self):
        step = wanting("built_processor", "high", adds=20_000, sheet=MERLE)
        middle = merle(built_processor="mid")
        plan = planned(step, middle, lots=(lot("board-high-qm13", cents=3000),))
        self.assertEqual(fitted(plan.outcomes[0]), {"board+board-high-qm13"})
        self.assertEqual(plan.outcomes[0].price_cents, 50_000)
        never = Policy(board=BoardSchool.NEVER_SWAP)
        kept = planned(step, middle, lots=(lot("board-high-qm13"),), policy=never)
        self.assertEqual(fitted(kept.outcomes[0]), set())

    def test_a_socketed_processor_goes_in_by_itself(self):
        step = wanting("built_processor", "d6", adds=9000, sheet=STILT)
        unit = found(STILT, m1="8", m2="8", d1="s256", d2="-", built_processor="d4")
        plan = planned(step, unit, lots=(lot("cpu-d6-qs2", cents=1000),))
        self.assertEqual(fitted(plan.outcomes[0]), {"cpu+cpu-d6-qs2"})

    def test_two_aspects_are_two_sides(self):
        standard = wanting("built_panel", "wide")
        light = BuiltWithGate(aspect="keyboard_light", any_of=("lit",))
        standard = standard.model_copy(update={"gates": (*standard.gates, light)})
        lots = (lot("panel-ips-kt14"), lot("keyboard-lit-kt14"))
        unit = tarn(built_panel="full", keyboard_light="unlit")
        (outcome,) = planned(standard, unit, lots=lots).outcomes
        self.assertEqual(fitted(outcome), {"screen+panel-ips-kt14", "keyboard+keyboard-lit-kt14"})

    def test_the_upgrade_is_the_repair_where_the_same_thing_failed(self):
        step = wanting("built_panel", "wide", adds=8000)
        lots = (lot("panel-ips-kt14"), lot("panel-low-kt14", cents=100))
        plan = planned(step, tarn(built_panel="low", screen="x"), lots=lots)
        self.assertEqual(fitted(plan.outcomes[0]), {"screen+panel-ips-kt14"})

    def test_a_repair_is_like_for_like(self):
        lots = (lot("panel-kt14", cents=100), lot("panel-low-kt14"))
        plan = planned(
            wanting("built_panel", "low"), tarn(built_panel="low", screen="x"), lots=lots
        )
        self.assertEqual(fitted(plan.outcomes[0]), {"screen+panel-low-kt14"})


class Donors(unittest.TestCase):
    def test_a_dead_unit_gives_the_panel_that_was_noted(self):
        dead = tarn(starts="x", built_panel="touch")
        cable = lot("touch-cable-kt14")
        plan = planned(
            wanting("built_panel", "touch"), tarn(built_panel="low"), dead, lots=(cable,)
        )
        taker = next(o for o in plan.outcomes if o.tag == "T-001")
        self.assertEqual(fitted(taker), {"screen+lid-touch-kt14+touch-cable-kt14"})
        self.assertEqual({a.source for a in plan.allocations}, {"unit", "lot"})

    def test_nobody_counts_on_a_panel_that_nobody_noted(self):
        dead = tarn(starts="x")
        cable = lot("touch-cable-kt14")
        plan = planned(
            wanting("built_panel", "touch"), tarn(built_panel="low"), dead, lots=(cable,)
        )
        self.assertEqual(plan.ready, 0)

    def test_units_that_differ_in_it_are_told_apart(self):
        step = wanting("built_panel", "wide", adds=3000)
        plan = planned(step, tarn(built_panel="wide"), tarn(built_panel="low"), tarn())
        prices = {o.tag: o.price_cents for o in plan.outcomes}
        self.assertEqual(prices, {"T-001": 33_000, "T-002": 30_000, "T-003": 30_000})
