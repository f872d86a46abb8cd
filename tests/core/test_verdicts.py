"""What the verdicts, sentences and options say over whole generated fleets."""

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries, read
from sortis_core.actions import action_words, after_actions
from sortis_core.assess import Assessor, assess
from sortis_core.findings import TestState
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries
from sortis_core.options import OptionBuilder, OutcomeKind
from sortis_core.options.harvest import harvestable
from sortis_core.policy import HarvestSchool, MemorySchool, Policy
from sortis_core.route.minutes import RouteMinutes
from sortis_core.route.work import plan_work
from sortis_core.sheets import BOARD
from sortis_core.supply import Supply
from tests.core.sample import DESK, FIELD, FOLIO, KINDS, SHEETS, STANDARDS, STILT, folio, stilt
from tests.examples import few

POLICY = Policy()
units = st.tuples(st.sampled_from(sorted(SHEETS)), st.integers(0, 20_000))
some = few(5)


def unit(key: str, seed: int):
    sheet, dice = SHEETS[key], random.Random(seed)
    trim = dice.choice(sheet.trims).key
    return sheet, read(sheet, trim, make_entries(sheet, trim, dice))


def builder(sheet, policy: Policy = POLICY) -> OptionBuilder:
    return OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), STANDARDS, policy)


class OverFleets(unittest.TestCase):
    @some
    @given(units)
    def test_every_option_toward_a_standard_reaches_it(self, drawn):
        sheet, findings = unit(*drawn)
        for option in builder(sheet).toward_standards(findings).options:
            standard = next(s for s in STANDARDS if s.key == option.standard)
            after = after_actions(sheet, findings, option.actions, KINDS)
            verdict = assess(sheet, after, (standard,), POLICY).verdicts[0]
            self.assertEqual(verdict.in_state(GateState.SHORT), (), option.key)
            self.assertEqual(verdict.in_state(GateState.UNKNOWN), (), option.key)

    @some
    @given(units)
    def test_every_standard_has_an_option_or_a_fact_against_it(self, drawn):
        sheet, findings = unit(*drawn)
        found = builder(sheet).toward_standards(findings)
        for standard in STANDARDS:
            options = [o for o in found.options if o.standard == standard.key]
            facts = [r.fact for r in found.rejections if r.standard == standard.key]
            self.assertEqual(bool(options), not facts, standard.name)
            self.assertTrue(all(len(fact) > 15 for fact in facts))

    @some
    @given(units)
    def test_a_unit_is_released_only_when_nothing_is_short(self, drawn):
        sheet, findings = unit(*drawn)
        for option in builder(sheet).toward_standards(findings).options:
            verdict = assess(sheet, findings, STANDARDS, POLICY).verdicts
            short = next(v for v in verdict if v.standard == option.standard)
            if short.in_state(GateState.SHORT):
                self.assertIs(option.outcome, OutcomeKind.FIT)
            elif option.outcome is OutcomeKind.FIT:
                # What is not needed is worked on only for what comes free by it.
                self.assertTrue(option.yields, option.key)

    @some
    @given(units)
    def test_a_filling_never_passes_the_ceiling_of_its_school(self, drawn):
        sheet, findings = unit(*drawn)
        for school in MemorySchool:
            policy = Policy(memory_ceiling=school)
            top = sheet.memory.ceiling(school is MemorySchool.BENCH_PROVEN).gb
            for option in builder(sheet, policy).toward_standards(findings).options:
                if not any(a.place.startswith("m") for a in option.actions):
                    continue
                after = after_actions(sheet, findings, option.actions, KINDS)
                total = (after.soldered_gb or 0) + sum(m.gb or 0 for m in after.modules.values())
                self.assertLessEqual(total, top)

    @some
    @given(units)
    def test_a_schools_freedom_never_takes_options_away(self, drawn):
        sheet, findings = unit(*drawn)

        # Which of two slots takes the part may differ; how much of what it takes may not.
        def taken(policy: Policy):
            found = builder(sheet, policy).toward_standards(findings).options
            return [(o.standard, {(part.kind, part.count) for part in o.uses}) for o in found]

        freer = taken(Policy(memory_ceiling=MemorySchool.BENCH_PROVEN))
        for standard, uses in taken(POLICY):
            beside = [more for other, more in freer if other == standard]
            self.assertTrue(any(more <= uses for more in beside), (standard, uses))

    @some
    @given(units)
    def test_every_options_minutes_are_those_of_its_work_order(self, drawn):
        sheet, findings = unit(*drawn)
        reckon = RouteMinutes(sheet, POLICY)
        for option in builder(sheet).toward_standards(findings).options[:4]:
            if option.actions:
                work = plan_work(sheet, findings, option.actions, KINDS, POLICY)
                at_work = option.minutes - POLICY.cleaning_minutes
                self.assertAlmostEqual(work.minutes, at_work, places=1)
                self.assertAlmostEqual(reckon.of(findings, option.actions), at_work)
                self.assertEqual(work.steps[-1].tray, ())

    @some
    @given(units)
    def test_what_a_donor_gives_is_in_it_and_works(self, drawn):
        sheet, findings = unit(*drawn)
        for action in harvestable(sheet, findings, Supply(KINDS, frozenset(KINDS)), POLICY):
            slots = {slot.key for slot in sheet.memory.slots}
            if action.place in slots:
                self.assertEqual(findings.module(action.place).state, "present")
            elif action.place == BOARD:
                self.assertTrue(findings.starts)
            elif action.place in findings.tests:
                self.assertEqual(findings.test(action.place), "passed")
            else:
                self.assertEqual(findings.part(action.place), "present")
            self.assertIn(action.takes_out, KINDS)
        new_only = Policy(harvest=HarvestSchool.NEW_ONLY)
        self.assertEqual(
            harvestable(sheet, findings, Supply(KINDS, frozenset(KINDS)), new_only), ()
        )

    @some
    @given(units)
    def test_a_donors_work_order_takes_everything_out_and_closes_nothing(self, drawn):
        sheet, findings = unit(*drawn)
        gives = harvestable(sheet, findings, Supply(KINDS, frozenset(KINDS)), POLICY)
        if not gives:
            return
        work = plan_work(sheet, findings, gives, KINDS, POLICY, donor=True)
        taken = sorted(a.place for step in work.steps for a in step.actions)
        self.assertEqual(taken, sorted(a.place for a in gives))
        self.assertFalse(any(step.key.endswith(":back") for step in work.steps))

    @some
    @given(units)
    def test_sentences_name_amounts_with_their_units(self, drawn):
        sheet, findings = unit(*drawn)
        assessed = assess(sheet, findings, STANDARDS, POLICY)
        self.assertRegex(assessed.memory.sentence, r"^\d+ GB")
        for verdict in assessed.verdicts:
            for gate in verdict.gates:
                if gate.gate == "memory":
                    self.assertIn(" GB", gate.sentence)
                if gate.gate == "pack" and gate.state is GateState.MET and sheet.packs:
                    self.assertIn("%", gate.sentence)


class Words(unittest.TestCase):
    def action(self, sheet, findings, standard, place):
        for option in builder(sheet).toward_standards(findings).options:
            for action in option.actions:
                if option.standard == standard.key and action.place == place:
                    return action
        raise AssertionError(f"no option works at {place}")

    def test_actions_read_as_people_say_them(self):
        said = [
            (STILT, stilt(m2="-"), FIELD, "m2", "DDR4 SODIMM into Slot 2"),
            (STILT, stilt(d1="h500"), DESK, "d1", "2.5-inch"),
            (FOLIO, folio(heat_sink="-"), DESK, "heat_sink", "Heat sink, Folio 15"),
            (FOLIO, folio(p1="-"), DESK, "p1", "Pack OF-47, 47 Wh into Pack"),
            (FOLIO, folio(fan="x"), DESK, "fan", "Fan, Folio 15"),
        ]
        for sheet, findings, standard, place, words in said:
            action = self.action(sheet, findings, standard, place)
            self.assertIn(words, action_words(sheet, action, KINDS))

    def test_what_comes_out_is_named(self):
        action = self.action(STILT, stilt(d1="h500"), DESK, "d1")
        self.assertIn("500 GB", action.takes_out_label)

    def test_unknown_gates_count_in_none_but_their_own_state(self):
        findings = stilt(speaker="?", fan="?")
        verdict = assess(STILT, findings, (FIELD,), POLICY).verdicts[0]
        self.assertEqual({g.gate for g in verdict.in_state(GateState.UNKNOWN)}, {"parts", "tests"})
        self.assertEqual(verdict.in_state(GateState.SHORT), ())


class Unknown(unittest.TestCase):
    """What nobody looked at, and whether it still matters."""

    def read(self, standards=STANDARDS, **typed):
        findings, refusals = read_entries(FOLIO, "flash", {"grade": "b", "*": "+"} | typed)
        self.assertEqual(refusals, {})
        return assess(FOLIO, findings, standards, Policy()).unknowns

    def test_all_seen_leaves_nothing_unknown(self):
        said = self.read(m0="8", m1="8", d1="n256", d2="-", p1="43/46 90c")
        self.assertEqual((said.decide, said.yields, said.idle), ((), (), ()))
        self.assertEqual(said.sentence, "")

    def test_a_place_that_a_gate_hangs_on_decides(self):
        said = self.read(m0="8", d1="n256", d2="-", p1="43/46 90c")
        self.assertEqual(said.decide, ("m1",))
        self.assertEqual(said.sentence, "Still decides: Slot 1.")

    def test_no_need_to_open_where_every_gate_is_met_without(self):
        said = self.read((DESK,), m0="8", d1="n256", d2="-", p1="43/46 90c")
        self.assertEqual((said.decide, said.idle), ((), ("m1",)))
        self.assertEqual(
            said.sentence, "No need to open: every outcome is the same, whatever is found."
        )

    def test_a_bay_may_hold_somebodys_data_whatever_else_is_met(self):
        said = self.read(m0="8", m1="16", d1="n256", p1="43/46 90c")
        self.assertEqual(said.decide, ("d2",))
        self.assertEqual(said.sentence, "Still decides: 2.5-inch bay.")

    def test_a_test_not_run_is_nothing_to_open_for(self):
        refit = SHEETS["tolva-refit-14"]
        typed = {"grade": "b", "m1": "16", "m2": "16", "d1": "n512", "p1": "50/55.6 90c", "*": "+"}
        findings, _ = read_entries(refit, "std", typed)
        tests = {key: state for key, state in findings.tests.items() if key != "microphone"}
        open_test = findings.model_copy(update={"tests": tests | {"starts": TestState.FAILED}})
        said = assess(refit, open_test, STANDARDS, Policy()).unknowns
        self.assertEqual(said.idle, ("microphone",))
        self.assertEqual(said.sentence, "Nothing that is still unknown changes the outcome.")

    def test_a_unit_beyond_repair_matters_only_for_what_it_gives(self):
        said = self.read(m0="8", d1="n256", starts="x")
        self.assertEqual(said.decide, ())
        self.assertEqual(said.yields, ("m1",))
        self.assertIn("p1", said.idle)
        self.assertEqual(len(said.ruled_out), len(STANDARDS))
        self.assertIn("donor: Slot 1", said.sentence)

    def test_a_ceiling_below_the_gate_rules_a_standard_out(self):
        findings, _ = read_entries(SHEETS["quarrin-wisp-13"], "std", {"m0": "2", "grade": "b"})
        said = assess(SHEETS["quarrin-wisp-13"], findings, STANDARDS, Policy()).unknowns
        self.assertIn("6 GB is all the memory goes (maker's manual)", said.ruled_out[0])

    @given(st.data())
    def test_what_is_idle_never_changes_a_verdict(self, data):
        typed = {"grade": "b", "m0": "8"}
        full = {"m1": "16", "d1": "n256", "d2": "-", "p1": "43/46 90c", "*": "+"}
        for key in data.draw(st.sets(st.sampled_from(sorted(full)))):
            typed[key] = full[key]
        findings, _ = read_entries(FOLIO, "flash", typed)
        before = assess(FOLIO, findings, STANDARDS, Policy())
        words = {"m1": ["-", "4", "16"], "d1": ["-", "n512"], "d2": ["-", "h500", "s256"]}
        for key in before.unknowns.idle:
            if key in words:
                more = typed | {key: data.draw(st.sampled_from(words[key]))}
                after, _ = read_entries(FOLIO, "flash", more)
                held = assess(FOLIO, after, STANDARDS, Policy()).verdicts
                for was, now in zip(before.verdicts, held, strict=True):
                    for gate, same in zip(was.gates, now.gates, strict=True):
                        if gate.gate in ("memory", "solid_drive"):
                            self.assertEqual(gate.state, same.state)


class Remembered(unittest.TestCase):
    """An assessor that remembers sides of units says what one that starts fresh says."""

    @few(2)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 10_000))
    def test_a_whole_fleet_is_assessed_as_each_unit_alone(self, key, seed):
        sheet, dice = SHEETS[key], random.Random(seed)
        kept = Assessor(sheet, STANDARDS, POLICY)
        for _ in range(20):
            trim = dice.choice(sheet.trims).key
            entries = make_entries(sheet, trim, dice)
            for place in dice.sample(sorted(entries), k=dice.randint(0, 3)):
                entries.pop(place)
            findings, _ = read_entries(sheet, trim, entries)
            self.assertEqual(kept.assess(findings), assess(sheet, findings, STANDARDS, POLICY))

    @some
    @given(units)
    def test_room_is_never_promised_beyond_slot_or_ceiling(self, drawn):
        sheet, findings = unit(*drawn)
        for policy in (POLICY, Policy(memory_ceiling=MemorySchool.BENCH_PROVEN)):
            facts = assess(sheet, findings, STANDARDS, policy)
            limits = {slot.key: slot.limit_gb for slot in sheet.memory.slots}
            for room in facts.headroom:
                if room.place not in limits:
                    continue
                most = int(room.words.split("up to ")[1].split(" ")[0])
                held = findings.module(room.place).gb or 0
                self.assertGreater(most, held)
                self.assertLessEqual(most, limits[room.place])
                total = facts.memory.total_gb - held + most
                self.assertLessEqual(total, facts.memory.ceiling_gb)
            self.assertEqual(sum(one.counts for one in facts.ceilings), 1)
