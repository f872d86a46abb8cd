"""What donors and displaced parts give, how far a donor is opened, and what is left alone."""

import random
import unittest
from itertools import combinations

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries, read
from sortis_core.assess import assess
from sortis_core.facts.configuration import unnoted_parts
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.options.harvest import board_in, donor, harvestable
from sortis_core.plan import make_plan
from sortis_core.plan.case import Case, Pin
from sortis_core.plan.verify import faults
from sortis_core.policy import BoardSchool, HarvestSchool, Policy
from sortis_core.route.minutes import RouteMinutes
from sortis_core.sheets import BOARD
from sortis_core.stock import Lot, Offer
from sortis_core.supply import Supply
from tests.core.sample import (
    FOLIO,
    KINDS,
    PRICED_BY_STEPS,
    SHEETS,
    STANDARDS,
    folio,
    found,
    lot,
    stilt,
)
from tests.core.test_plan import case_of
from tests.examples import few

POLICY = Policy()
SUPPLY = Supply(KINDS, frozenset(KINDS))
HALYARD = SHEETS["quarrin-halyard-14"]
SORREL = SHEETS["kestrin-sorrel-14"]


def halyard(**entries: str) -> Findings:
    return found(HALYARD, **({"m0": "8", "m1": "8", "d1": "n256", "p1": "48/50 90c"} | entries))


def gives(findings: Findings, policy: Policy = POLICY) -> dict[str, str]:
    sheet = SHEETS[findings.sheet]
    return {a.place: a.takes_out for a in harvestable(sheet, findings, SUPPLY, policy)}


def bare(*units: Findings, lots: tuple[Lot, ...] = (), offers: tuple[Offer, ...] = ()) -> Case:
    return case_of(*units, lots=lots, offers=offers)


class WhatIsGiven(unittest.TestCase):
    def test_what_makes_a_passed_test_pass_and_each_part_once(self):
        good, broken, unseen = (
            gives(folio(keyboard=mark, speakers="+")) for mark in ("+", "x", "?")
        )
        keyboard = next(t.repair.kind for t in FOLIO.tests if t.key == "keyboard")
        self.assertEqual(good["keyboard"], keyboard)
        self.assertNotIn("keyboard", broken)
        self.assertNotIn("keyboard", unseen)
        for key, sheet in SHEETS.items():
            unit = found(sheet, **{slot.key: "4" for slot in sheet.memory.slots})
            kinds = [kind for place, kind in gives(unit).items() if place in unit.tests]
            self.assertFalse({p.kind for p in sheet.parts} & set(kinds), key)

    def test_the_board_of_a_unit_that_dies_of_something_else(self):
        lost = halyard(ports="x")
        self.assertEqual(gives(lost)[BOARD], board_in(HALYARD, lost))
        self.assertTrue(board_in(HALYARD, lost).startswith("board-8"))
        self.assertTrue(board_in(HALYARD, halyard(m0="16")).startswith("board-16"))
        for bad in (halyard(starts="x"), halyard(starts="?")):
            self.assertNotIn(BOARD, gives(bad))

    def test_new_parts_only_leaves_nothing(self):
        self.assertEqual(gives(folio(), Policy(harvest=HarvestSchool.NEW_ONLY)), {})


class AsFarAsUsed(unittest.TestCase):
    @few(6)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 9999))
    def test_any_parts_take_the_minutes_of_just_their_work_order(self, key, seed):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        findings = read(sheet, trim, make_entries(sheet, trim, dice))
        actions = harvestable(sheet, findings, SUPPLY, POLICY)
        reckon = RouteMinutes(sheet, POLICY)
        option = donor(findings, actions, reckon, POLICY)
        tried = 0.0 if findings.starts else POLICY.part_test_minutes
        for size in (0, 1, 2, len(actions)):
            for taken in list(combinations(range(len(actions)), min(size, len(actions))))[:12]:
                chosen = tuple(actions[n] for n in taken)
                order = reckon.of(findings, chosen, donor=True)
                given_up = option.given(taken)
                self.assertAlmostEqual(given_up.minutes, order + tried * len(taken), places=1)
                self.assertEqual(given_up.actions, chosen)

    def test_a_donor_gives_what_is_wanted_and_nothing_else_is_reached(self):
        dead, wants = stilt(starts="x"), stilt(speaker="-")
        case = bare(dead, wants)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        gave, got = plan.outcomes
        self.assertIs(gave.outcome, OutcomeKind.DONOR)
        self.assertEqual([action.place for action in gave.actions], ["speaker"])
        self.assertTrue(got.outcome.ready)
        both = make_plan(bare(dead, stilt(speaker="-", m2="-", m1="4"))).outcomes[0]
        self.assertGreater(len(both.actions), 1)
        self.assertGreater(both.minutes, gave.minutes)

    def test_of_two_alike_one_gives_all(self):
        dead = stilt(starts="x", display_out="+")
        wants = [stilt(speaker="-"), stilt(cage_screws="-")]
        plan = make_plan(bare(dead, dead, *wants))
        donors = [o for o in plan.outcomes if o.outcome is OutcomeKind.DONOR]
        self.assertEqual([len(o.actions) for o in donors], [2])

    def test_what_only_the_unit_itself_wants_is_no_reason_to_open_it(self):
        # Its own 8 GB is the only module far and wide.
        alone = bare(stilt(m1="8", m2="-"))
        plan = make_plan(alone.model_copy(update={"standards": (STANDARDS[2],)}))
        (outcome,) = plan.outcomes
        self.assertIsNot(outcome.outcome, OutcomeKind.DONOR)
        facts = " ".join(r.fact for r in plan.groups[0].rejections)
        self.assertIn("in another unit", facts)
        self.assertNotIn("waits for its parts", facts)


class Displaced(unittest.TestCase):
    def test_a_good_board_that_a_swap_displaces_rescues_a_dead_unit(self):
        small, dead = halyard(m1="dead", m0="8"), halyard(starts="x", m0="8")
        big = next(board.kind for board in HALYARD.boards if board.soldered_gb == 16)
        case = bare(small, dead, lots=(lot(big, cents=500),)).model_copy(
            update={"standards": (STANDARDS[2],), "bench_minutes": 1000.0}
        )
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(plan.ready, 2, [o.reason for o in plan.outcomes])
        given_by = {a.tag: a.source_key for a in plan.allocations if a.kind.startswith("board-8")}
        self.assertEqual(given_by, {"T-002": "T-001"})
        never = Policy(board=BoardSchool.NEVER_SWAP)
        self.assertLess(make_plan(case.model_copy(update={"policy": never})).ready, 2)

    def test_a_module_too_many_serves_a_unit_that_lacks_one(self):
        rich, poor = stilt(m1="16", m2="16"), stilt(m1="8", m2="-")
        case = bare(rich, poor).model_copy(update={"standards": (STANDARDS[2],)})
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(plan.ready, 2)
        self.assertEqual([a.source_key for a in plan.allocations], ["T-001"])
        self.assertEqual(len(plan.outcomes[0].actions), 1)
        self.assertIn(plan.outcomes[0].actions[0].key, ("m1-", "m2-"))

    def test_where_the_shelf_is_cheaper_than_the_opening_it_stays(self):
        rich, poor = stilt(m1="16", m2="16"), stilt(m1="8", m2="-")
        case = bare(rich, poor, lots=(lot("sodimm-ddr4-8", cents=100),))
        plan = make_plan(case.model_copy(update={"standards": (STANDARDS[2],)}))
        self.assertEqual(plan.outcomes[0].actions, ())


class NobodyNotedWhich(unittest.TestCase):
    """Two kinds of keyboard sit in this model; a plan counts on neither before somebody looked."""

    def refused(self, **dead: str) -> str:
        good = {"m1": "8", "m2": "8", "d1": "n256", "d2": "-", "p1": "50/54 9c"}
        wants = found(SORREL, **(good | {"keyboard": "xx"}))
        other = found(SORREL, **(good | {"screen": "xx"} | dead))
        plan = make_plan(bare(wants, other))
        facts = [r.fact for g in plan.groups if "T-001" in g.tags for r in g.rejections]
        return next((fact for fact in facts if fact.startswith("Keyboard failed")), "")

    def test_the_fact_says_that_one_may_be_there_and_what_to_note(self):
        end = "another unit may give one, but nobody noted which sits in it."
        self.assertTrue(self.refused().endswith(end), self.refused())
        self.assertEqual(
            unnoted_parts(SORREL, found(SORREL, m1="8", m2="8", p1="50/54 9c"))
            & {"keyboard-ks14", "keyboard-lit-ks14"},
            {"keyboard-ks14", "keyboard-lit-ks14"},
        )

    def test_the_inspector_is_asked_where_the_unit_gives_and_sells_nothing(self):
        good = {"m1": "8", "m2": "8", "d1": "n256", "d2": "-", "p1": "50/54 9c"}

        def asked(**entries: str) -> tuple[str, ...]:
            unit = found(SORREL, **(good | entries))
            return assess(SORREL, unit, PRICED_BY_STEPS, POLICY).unknowns.yields

        dead = {"starts": "xx"}
        self.assertIn("keyboard_light", asked(**dead))
        self.assertNotIn("keyboard_light", asked(**dead, keyboard_light="lit"))
        self.assertNotIn("keyboard_light", asked(**dead, keyboard="xx"))
        self.assertEqual(asked(), ())

    def test_it_is_given_once_it_was_noted_and_not_hinted_at_where_it_fails(self):
        self.assertEqual(self.refused(keyboard_light="unlit"), "")
        self.assertTrue(self.refused(keyboard="xx").endswith("in stock or on offer."))


class LeftWhole(unittest.TestCase):
    def test_the_shelf_is_no_reason_to_take_apart_what_could_be_sold(self):
        # The shelf costs more than the recycler, and somebody wants its speaker.
        policy = Policy(hold_cents=4000, recycle_cents=0)
        wants, could = stilt(speaker="-", m1="8", m2="8"), stilt(m1="4", m2="-", d1="-")
        case = bare(could, wants, lots=(lot("speaker-qs2", cents=0),)).model_copy(
            update={"policy": policy, "money_cents": 0}
        )
        offers = tuple(o for o in case_of(could).offers if "speaker" not in o.kind)
        plan = make_plan(case.model_copy(update={"offers": offers}))
        self.assertIsNot(plan.outcomes[0].outcome, OutcomeKind.DONOR)

    def test_a_unit_that_waits_for_a_part_on_its_way_is_not_taken_apart(self):
        late = lot("sata-256-bay").model_copy(update={"days": 9})
        waiting, wants = stilt(d1="-", d2="-"), stilt(speaker="-")
        case = bare(waiting, wants, lots=(late,)).model_copy(update={"days": 5})
        plan = make_plan(case)
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.HOLD)
        self.assertEqual(plan.outcomes[0].waits_for, ("sata-256-bay",))
        facts = [r.fact for g in plan.groups for r in g.rejections if r.outcome == "donor"]
        self.assertTrue(any("it stays whole" in fact for fact in facts), facts)

    def test_a_person_may_give_a_unit_up_that_could_be_sold(self):
        case = bare(stilt(d1="-"), lots=(lot("sata-256-bay"),))
        pin = Pin(tag="T-001", outcome=OutcomeKind.RECYCLE)
        pinned = case.model_copy(update={"pins": (pin,)})
        plan = make_plan(pinned)
        self.assertEqual((plan.outcomes[0].outcome, faults(pinned, plan)), ("recycle", []))
