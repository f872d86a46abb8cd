"""Prices by steps: an upgrade is chosen where it pays, to the cent, and left where it does not."""

import unittest

from sortis_core.gates import MemoryGate, PackGate, SolidDriveGate
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.standards import PriceStep, Standard
from tests.core.sample import CLASS, DESK, FOLIO, LERN, STILT, folio, lern, stilt
from tests.core.test_harvest import lot
from tests.core.test_plan import case_of

POLICY = Policy()


def stepped(standard: Standard, *steps: PriceStep) -> Standard:
    return standard.model_copy(update={"steps": steps})


def planned(case: Case, *standards: Standard) -> tuple[Case, Plan]:
    case = case.model_copy(update={"standards": standards, "offers": ()})
    return case, make_plan(case)


class Steps(unittest.TestCase):
    def test_what_is_there_already_is_paid_for(self):
        standard = stepped(DESK, PriceStep(gate=MemoryGate(min_gb=16), adds_cents=1500))
        low = standard.price_cents(STILT.key, stilt())
        self.assertEqual(standard.sells_for(STILT, stilt(), POLICY), low + 1500)
        self.assertEqual(standard.sells_for(STILT, stilt(m2="-"), POLICY), low)
        self.assertEqual(standard.sells_for(STILT, stilt(m2="?"), POLICY), low)
        other = stepped(
            DESK, PriceStep(gate=MemoryGate(min_gb=16), adds_cents=1, sheets=(FOLIO.key,))
        )
        self.assertEqual(other.sells_for(STILT, stilt(), POLICY), low)

    def test_steps_add_up(self):
        steps = [PriceStep(gate=MemoryGate(min_gb=gb), adds_cents=1000) for gb in (12, 16, 32)]
        standard = stepped(DESK, *steps)
        base = DESK.price_cents(STILT.key, stilt())
        self.assertEqual(standard.sells_for(STILT, stilt(), POLICY), base + 2000)

    def test_a_unit_that_meets_its_gates_is_upgraded_where_it_pays(self):
        step = PriceStep(gate=MemoryGate(min_gb=16), adds_cents=4000)
        for cents, pays in ((2000, True), (4500, False)):
            case = case_of(stilt(m2="-"), lots=(lot("sodimm-ddr4-8", cents=cents),))
            case, plan = planned(case, stepped(DESK, step))
            self.assertEqual(faults(case, plan), [])
            (outcome,) = plan.outcomes
            self.assertIs(outcome.outcome, OutcomeKind.FIT if pays else OutcomeKind.RELEASE)
            more = 4000 if pays else 0
            base = DESK.price_cents(STILT.key, stilt())
            self.assertEqual(outcome.price_cents, base + more)
            # The same search knows the way that was not taken, and what it would leave.
            ways = {(rung.outcome, rung.price_cents) for rung in plan.groups[0].ladder}
            self.assertIn((OutcomeKind.FIT, base + 4000), ways)

    def test_a_larger_drive_and_a_larger_pack_are_ways_beyond_the_gates(self):
        drive = PriceStep(gate=SolidDriveGate(min_gb=480), adds_cents=6000)
        case, plan = planned(
            case_of(stilt(), lots=(lot("nvme-512-2280", cents=900), lot("screw-m2x3", cents=10))),
            stepped(DESK, drive),
        )
        self.assertEqual(faults(case, plan), [])
        self.assertTrue(any("nvme-512" in a.key for a in plan.outcomes[0].actions))
        place = LERN.packs[0]
        watts = LERN.draw[0].watts
        hours = PackGate(min_health_percent=10, min_runtime_hours=0.95 * 38 / watts)
        worn = lern(p1="31/38 9c")
        kind = next(
            k.key for k in case.kinds if getattr(k.facts, "family", "") == place.variants[0].family
        )
        case, plan = planned(
            case_of(worn, lots=(lot(kind, cents=500),)),
            stepped(CLASS, PriceStep(gate=hours, adds_cents=9000)),
        )
        self.assertEqual(faults(case, plan), [])
        self.assertEqual([a.kind for a in plan.outcomes[0].actions], [kind])

    def test_a_way_to_what_is_paid_for_keeps_to_the_gates(self):
        """Hours could come from the other pack; the worn one is replaced all the same."""
        hours = PackGate(min_health_percent=10, min_runtime_hours=2.0)
        case, plan = planned(
            case_of(folio(p1="20/46 9c")), stepped(DESK, PriceStep(gate=hours, adds_cents=9000))
        )
        self.assertEqual(faults(case, plan), [])
        self.assertEqual([a.place for a in plan.outcomes[0].actions], ["p1"])

    def test_the_checker_finds_a_price_that_was_not_earned(self):
        step = PriceStep(gate=MemoryGate(min_gb=16), adds_cents=4000)
        case, plan = planned(case_of(stilt(m2="-")), stepped(DESK, step))
        (outcome,) = plan.outcomes
        dearer = outcome.model_copy(update={"price_cents": outcome.price_cents + 4000})
        bad = plan.model_copy(update={"outcomes": (dearer,)})
        self.assertTrue(any("another price" in fault for fault in faults(case, bad)))
