"""Reasons, ladders, grouping, words and what is generated."""

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import demo_stock, make_case, make_entries, read
from sortis_core.base import listed, money
from sortis_core.options import OptionBuilder, OutcomeKind
from sortis_core.plan import make_plan
from sortis_core.plan.grouping import DecisionView, cheapest_cents, group_units
from sortis_core.policy import Policy
from sortis_core.strip import draw_strip
from sortis_core.supply import Supply
from tests.core.sample import KINDS, SHEETS, STANDARDS, folio, found, lot, stilt
from tests.core.test_plan import case_of
from tests.examples import few

POLICY = Policy()
REFIT, VANE = SHEETS["tolva-refit-14"], SHEETS["ombrel-vane-13"]
STILT_IS_LOST = "Ports failed; the sheet says a repair is not worth it."
DEAD = {"m0": "8", "d1": "-", "p1": "41/51 9c", "starts": "xx", "fan": "xx"}


class Reasons(unittest.TestCase):
    def reason(self, *units, tag="T-001", **more) -> str:
        plan = make_plan(case_of(*units, **more))
        return next(o.reason for o in plan.outcomes if o.tag == tag)

    def test_the_runner_up_and_its_loss_are_named(self):
        said = self.reason(stilt())
        self.assertRegex(said, r"Next best is .+, which leaves €[\d.]+ less\.")

    def test_a_donor_names_what_it_gives_and_what_it_would_have_left(self):
        units = (stilt(grade="c"), stilt(speaker="-", grade="a"))
        plan = make_plan(case_of(*units, lots=(), offers=()))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.DONOR)
        said = plan.outcomes[0].reason
        self.assertIn("would leave", said)
        self.assertIn("Speaker, Stilt Q2 is worth more in other units", said)

    def test_a_unit_that_reaches_nothing_says_which_fact_stands_against_each(self):
        said = self.reason(stilt(starts="x"))
        self.assertIn("The board failed and no Board, Stilt Q2 is in stock or on offer.", said)

    def test_hours_that_run_out_are_the_reason(self):
        units = [stilt(m2="-", grade=grade) for grade in "abc"]
        work = make_plan(case_of(stilt(m2="-"))).minutes
        # The two that are not lifted are still cleaned for the standard they reach.
        plan = make_plan(case_of(*units, minutes=work + 2 * POLICY.cleaning_minutes))
        lifted = [o for o in plan.outcomes if o.standard == "field-ready"]
        self.assertEqual(len(lifted), 1)
        said = next(o.reason for o in plan.outcomes if o.standard != "field-ready")
        self.assertIn("bench hours", said)

    def test_what_lies_unused_is_not_said_to_be_worth_more_elsewhere(self):
        good = {"d1": "n256", "p1": "50/55.6 9c", "m1": "4", "m2": "4"}
        eights, sixteen = lot("sodimm-ddr5-8", 2, 1900), lot("sodimm-ddr5-16", 1, 3600)
        case = case_of(found(REFIT, **good), lots=(eights, sixteen), offers=())
        plan = make_plan(case)
        self.assertEqual({part.kind for part in plan.allocations}, {"sodimm-ddr5-8"})
        self.assertIn("fills the channels unevenly", plan.outcomes[0].reason)

    def test_the_second_part_is_priced_at_the_source_that_has_it(self):
        good = {"d1": "n256", "p1": "50/55.6 9c", "m1": "4", "m2": "4"}
        cheap = lot("sodimm-ddr5-16", 1, 3600)
        dear = cheap.model_copy(update={"key": "lot-dear", "unit_cost_cents": 3990})
        plan = make_plan(case_of(found(REFIT, **good), lots=(cheap, dear), offers=()))
        both = [r for r in plan.groups[0].ladder if len(r.actions) == 2]
        self.assertEqual({rung.parts_cents for rung in both}, {3600 + 3990})

    def test_too_few_of_a_kind_is_told_by_their_number(self):
        good = {"d1": "n256", "p1": "50/55.6 9c", "m1": "-", "m2": "-"}
        one = lot("sodimm-ddr5-8", 1, 100)
        said = self.reason(found(REFIT, **good), lots=(one,), offers=())
        self.assertIn("but takes 2 8 GB DDR5 SODIMM, of which there is 1.", said)

    def test_what_no_part_mends_is_the_fact_before_a_part_that_lacks(self):
        plan = make_plan(case_of(found(VANE, **DEAD), lots=(), offers=()))
        facts = {r.standard: r.fact for r in plan.groups[0].rejections}
        self.assertTrue(facts["class-set"].startswith("Starts failed; the sheet says"), facts)
        # Nor is that the board failed the fact where ports are not worth a repair on any board.
        broken = stilt(starts="xx", ports="xx")
        plan = make_plan(case_of(broken, lots=(), offers=()))
        facts = {r.fact for r in plan.groups[0].rejections if r.outcome is OutcomeKind.FIT}
        self.assertEqual(facts, {STILT_IS_LOST}, facts)
        # A pack that lacks says nothing where the memory is soldered and too small.
        worn = {"d1": "n256", "m0": "8", "p1": "20/51 9c"}
        plan = make_plan(case_of(found(VANE, **worn), lots=(), offers=()))
        facts = {r.standard: r.fact for r in plan.groups[0].rejections}
        self.assertIn("Memory is soldered at 8 GB", facts["field-ready"])
        self.assertIn("No pack of family", facts["desk-ready"])

    def test_what_is_scarce_tells_used_and_at_hand(self):
        plan = make_plan(case_of(stilt(m2="-"), stilt(m2="-")))
        row = next(r for r in plan.scarce if r.key == "sodimm-ddr4-8")
        self.assertEqual((row.used, row.harvested, row.bought), (2, 0, 0))
        minutes = next(r for r in plan.scarce if r.key == "minutes")
        self.assertAlmostEqual(minutes.used, plan.minutes)
        self.assertEqual(plan.scarce[1].key, "money")


class Ladders(unittest.TestCase):
    def test_the_chosen_rung_stands_on_top_when_nothing_is_scarce(self):
        plan = make_plan(case_of(stilt(m2="-")))
        top = plan.groups[0].ladder[0]
        self.assertEqual(top.units, 1)
        self.assertEqual(top.standard, "field-ready")

    def test_a_rung_prices_parts_at_the_cheapest_source(self):
        case = case_of(stilt(m2="-"))
        plan = make_plan(case)
        rung = next(
            r
            for r in plan.groups[0].ladder
            if [a.kind for a in r.actions] == ["sodimm-ddr4-8"] and r.standard == "field-ready"
        )
        self.assertEqual(rung.parts_cents, cheapest_cents(case)["sodimm-ddr4-8"])
        self.assertEqual(rung.parts_cents, 700)

    def test_rejected_ends_carry_a_fact(self):
        plan = make_plan(case_of(folio()))
        ends = {r.outcome for r in plan.groups[0].rejections}
        self.assertIn(OutcomeKind.RECYCLE, ends)


class Grouping(unittest.TestCase):
    @few(3)
    @given(st.integers(0, 5000), st.integers(0, 5000), st.sampled_from(sorted(SHEETS)))
    def test_units_that_look_alike_to_a_decision_have_the_same_options(self, one, other, key):
        sheet = SHEETS[key]
        trim = sheet.trims[0].key
        first, second = (
            read(sheet, trim, make_entries(sheet, trim, random.Random(seed)))
            for seed in (one, other)
        )
        # Take over everything but the exact health, so that views often agree.
        second = first.model_copy(update={"packs": second.packs, "grade": second.grade})
        builder = OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), STANDARDS, POLICY)
        views = [DecisionView(builder, STANDARDS, POLICY).of(f) for f in (first, second)]
        if views[0] == views[1]:
            self.assertEqual(*(builder.toward_standards(f) for f in (first, second)))

    def test_groups_hold_every_unit_once(self):
        case = make_case(4, 16)
        units = tuple(unit for unit in case.units if not unit.findings.hazards)
        tags = [tag for group in group_units(case, units) for tag in group.tags]
        self.assertEqual(sorted(tags), sorted(unit.tag for unit in units))

    def test_larger_groups_come_first_and_numbers_count_up(self):
        groups = group_units(case := make_case(4, 16), case.units)
        sizes = [len(group.tags) for group in groups]
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        self.assertEqual([group.number for group in groups], list(range(1, len(groups) + 1)))


class Words(unittest.TestCase):
    def test_money(self):
        self.assertEqual(money(-123456), "-€1,234.56")
        self.assertEqual(money(5), "€0.05")
        self.assertEqual(money(100, "SEK"), "SEK 1.00")

    def test_lists(self):
        self.assertEqual(listed([]), "")
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(["a", "b", "c"]), "a, b and c")


class Generated(unittest.TestCase):
    def test_the_same_seed_makes_the_same_batch(self):
        self.assertEqual(make_case(11, 30), make_case(11, 30))
        self.assertNotEqual(make_case(11, 30).units, make_case(12, 30).units)

    def test_the_demo_stock_is_whole(self):
        kinds, lots, offers = demo_stock()
        keys = {kind.key for kind in kinds}
        self.assertTrue({lot.kind for lot in lots} | {offer.kind for offer in offers} <= keys)
        for sheet in SHEETS.values():
            wanted = {part.kind for part in sheet.parts}
            wanted |= {test.repair.kind for test in sheet.tests if test.repair}
            self.assertLessEqual(wanted, keys, sheet.name)

    @given(st.integers(0, 5000), st.sampled_from(sorted(SHEETS)))
    def test_every_unit_can_be_drawn_and_read_aloud(self, seed, key):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        findings = read(sheet, trim, make_entries(sheet, trim, dice))
        strip = draw_strip(sheet, findings, STANDARDS)
        keys = [cell.key for cell in strip.cells]
        self.assertEqual(len(keys), len(set(keys)))
        for cell in strip.cells:
            self.assertTrue(cell.words and cell.label)
            self.assertTrue(0 < cell.length <= 1)
            self.assertTrue(cell.fill is None or 0 <= cell.fill <= 1)
            if cell.group in ("memory", "drive", "pack", "part"):
                self.assertIn(cell.label, strip.words)
