"""What held units wait for until somebody finds it: a price, or a part that nobody has."""

import unittest

from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan import make_plan
from sortis_core.plan.case import Case, Pin
from sortis_core.plan.result import NoSuchUnit, Sought
from sortis_core.plan.verify import faults
from sortis_core.plan.waiting import priced
from sortis_core.plan.whatif import one_found
from sortis_core.standards import Price
from tests.core.sample import SHEETS, STANDARDS, STILT, folio, found, lot, stilt
from tests.core.test_plan import case_of

GANTRY = SHEETS["ombrel-gantry-16"]


def gantry(**entries):
    good = {"m1": "16", "m2": "16", "d1": "n512", "d2": "-", "p1": "77/77.2 9c"}
    return found(GANTRY, "std", **(good | entries))


def bare(*units, lots=()):
    """A store with these lots alone."""
    return case_of(*units, lots=lots, offers=())


class WithoutAPrice(unittest.TestCase):
    def case(self, *units: Findings) -> Case:
        standards = tuple(
            s.model_copy(update={"prices": tuple(p for p in s.prices if p.sheet != STILT.key)})
            for s in STANDARDS
        )
        return bare(*units).model_copy(update={"standards": standards})

    def test_a_working_unit_waits_and_says_so(self):
        case = self.case(stilt(), folio(radio="x"))
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.HOLD)
        (waiting,) = plan.unpriced
        self.assertEqual((waiting.sheet, waiting.grade, waiting.tags), (STILT.key, "B", ("T-001",)))
        self.assertIn("waits for a price", waiting.sentence)
        self.assertEqual(waiting.standards, tuple(s.name for s in STANDARDS))

    def test_one_that_could_not_be_sold_anyway_is_decided(self):
        plan = make_plan(self.case(stilt(ports="xx")))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.RECYCLE)
        self.assertEqual(plan.unpriced, ())

    def test_a_grade_that_one_standard_sells_is_not_sold_by_the_others(self):
        only = (Price(sheet=STILT.key, grade="B", price_cents=9000),)
        low, *others = STANDARDS
        standards = (
            low.model_copy(update={"prices": only}),
            *(s.model_copy(update={"prices": ()}) for s in others),
        )
        plan = make_plan(bare(stilt()).model_copy(update={"standards": standards}))
        self.assertEqual((plan.outcomes[0].standard, plan.unpriced), (low.key, ()))


class WithoutAPart(unittest.TestCase):
    def test_a_working_unit_is_not_given_up_for_a_part_that_nobody_has(self):
        case = bare(gantry(d1_shield="-"))
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        (waiting,) = plan.outcomes
        self.assertIs(waiting.outcome, OutcomeKind.HOLD)
        self.assertEqual(waiting.waits_for, ("shield-og16",))
        self.assertIn("Nobody has or offers Shield, socket 1", waiting.reason)
        (sought,) = plan.sought
        self.assertEqual((sought.kinds, sought.tags), (("shield-og16",), ("T-001",)))
        self.assertTrue(sought.sentence.startswith("1 unit waits for Shield, socket 1"))
        self.assertRegex(
            sought.price, r"^Estimate, each counted alone: up to €[\d.,]+ may be paid for that\.$"
        )

    def test_what_may_be_paid_for_it_is_just_what_lets_it_be_sold(self):
        case = bare(gantry(d1_shield="-"))
        (sought,) = make_plan(case).sought

        def ends(cents):
            at = lot("shield-og16", cents=cents)
            return make_plan(case.model_copy(update={"lots": (at,)})).outcomes[0].outcome

        self.assertIs(ends(sought.most_cents - 1), OutcomeKind.FIT)
        self.assertIsNot(ends(sought.most_cents + 400), OutcomeKind.FIT)

    def test_what_may_be_paid_is_solved_with_the_batch_around_it(self):
        # Two lack a shield and a module; there is one module.
        lacks = gantry(d1_shield="-", m1="-", m2="-")
        case = bare(lacks, gantry(m1="-", m2="-"), lots=(lot("sodimm-ddr5-16", 1, 900),))
        plan = make_plan(case)
        (line,) = plan.sought
        self.assertEqual(line.tags, ("T-001",))
        self.assertIsNone(line.worth_cents)
        before = line.model_dump(mode="json", exclude={"price", "worth_cents"})
        self.assertEqual(Sought.model_validate(before).price, "")
        found = one_found(case, line.kinds)
        gain = found.then.contribution_cents - found.now.contribution_cents
        self.assertEqual(found.now.contribution_cents, plan.contribution_cents)
        self.assertLess(gain, line.most_cents)
        self.assertIn("no more: other parts", priced(line, 0, "EUR").price)
        alone = case.model_copy(update={"units": case.units[:1]})
        (line,) = make_plan(alone).sought
        found = one_found(alone, line.kinds)
        gain = found.then.contribution_cents - found.now.contribution_cents
        told = priced(line, gain, "EUR")
        self.assertEqual(told.worth_cents, gain)
        self.assertRegex(told.price, r"^Solved: the batch leaves €[\d.]+ more with the first")

        def leaves(cents):
            at = lot("shield-og16", cents=cents)
            pins = (Pin(tag="T-001", outcome=OutcomeKind.FIT),)
            with_it = alone.model_copy(update={"lots": (*alone.lots, at), "pins": pins})
            return make_plan(with_it).contribution_cents

        self.assertEqual(leaves(gain - 1), found.now.contribution_cents + 1)
        with self.assertRaises(NoSuchUnit):
            one_found(case, ("no-such-kind",))

    def test_the_way_that_lacks_least_is_named(self):
        # A module is in stock; a drive of any size could be found, the smallest way is one kind.
        case = bare(gantry(d1_shield="-", m1="-", m2="-"), lots=(lot("sodimm-ddr5-16", 2, 900),))
        (sought,) = make_plan(case).sought
        self.assertEqual(sought.kinds, ("shield-og16",))

    def test_units_that_wait_for_the_same_are_told_at_once_the_dearest_first(self):
        cheap = stilt(rear_cover="-")
        case = bare(cheap, gantry(d1_shield="-", grade="a"), gantry(d1_shield="-", grade="c"))
        shield, cover = make_plan(case).sought
        self.assertEqual((shield.tags, cover.tags), (("T-002", "T-003"), ("T-001",)))
        self.assertIn("2 units wait", shield.sentence)
        self.assertRegex(shield.price, r" €[\d.]+ to €[\d.]+ a unit may be paid")

    def test_a_dead_unit_waits_for_no_board(self):
        plan = make_plan(bare(gantry(starts="x")))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.RECYCLE)
        self.assertEqual(plan.sought, ())

    def test_what_another_unit_holds_and_keeps_is_sought_all_the_same(self):
        # The whole one leaves more than the one that lacks its cover would with it.
        lacks, has = gantry(d1_shield="-", grade="c"), gantry(grade="a")
        case = bare(lacks, has)
        plan = make_plan(case)
        self.assertEqual([o.outcome.ready for o in plan.outcomes], [False, True])
        (sought,) = plan.sought
        self.assertEqual((sought.kinds, sought.tags), (("shield-og16",), ("T-001",)))
        self.assertIn("which only another unit could give", plan.outcomes[0].reason)
        at = lot("shield-og16", cents=sought.most_cents - 1)
        helped = make_plan(case.model_copy(update={"lots": (at,)}))
        self.assertTrue(all(o.outcome.ready for o in helped.outcomes))
        self.assertEqual(helped.sought, ())

    def test_what_waits_for_hours_or_money_seeks_no_part(self):
        case = bare(gantry(d1_shield="-"), lots=(lot("shield-og16"),))
        plan = make_plan(case.model_copy(update={"bench_minutes": 1.0}))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.HOLD)
        self.assertEqual(plan.sought, ())

    def test_a_stripped_unit_waits_for_nothing(self):
        bare_of_all = gantry(d1_shield="-", d1_pad="-", slot_lid="-", cover_screws="-", feet="-")
        plan = make_plan(bare(bare_of_all))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.RECYCLE)

    def test_it_may_still_rescue_another_and_be_given_up_by_a_person(self):
        lacks, wants = stilt(rear_cover="-"), stilt(speaker="-")
        case = bare(lacks, wants)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual({o.outcome for o in plan.outcomes}, {OutcomeKind.DONOR, OutcomeKind.FIT})
        # Before it is taken apart somebody may find what it lacks.
        (sought,) = plan.sought
        given_up = next(o.tag for o in plan.outcomes if o.outcome is OutcomeKind.DONOR)
        self.assertEqual(sought.tags, (given_up,))
        self.assertIn("1 unit is taken apart for want of ", sought.sentence)
        pin = Pin(tag="T-001", outcome=OutcomeKind.RECYCLE)
        plan = make_plan(case.model_copy(update={"pins": (pin,)}))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.RECYCLE)
