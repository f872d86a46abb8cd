"""Kit that comes free with a disk: it serves the same job, or other units; drives of an array."""

import unittest

from sortis_core.assess import assess
from sortis_core.plan import make_plan
from sortis_core.plan.result import Plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.route.work import plan_work
from sortis_core.sheets import ModelSheet
from tests.core.gates.test_built_with import lot
from tests.core.sample import FOLIO, KINDS, STANDARDS, folio
from tests.core.test_plan import case_of

# The Folio's bay holds its disk with the screw that its M.2 socket wants as well.
ALIKE = ModelSheet.model_validate(
    FOLIO.model_dump()
    | {
        "parts": [
            part | ({"kind": "screw-m2x3"} if part["key"] == "bay_screws" else {})
            for part in FOLIO.model_dump()["parts"]
        ]
    }
)
DRIVE = lot("nvme-256-2280", cents=2000)


def planned(sheet, *units, lots=(DRIVE,)) -> Plan:
    case = case_of(*units, lots=lots, offers=())
    sheets = tuple(sheet if one.key == sheet.key else one for one in case.sheets)
    case = case.model_copy(update={"sheets": sheets})
    plan = make_plan(case)
    assert faults(case, plan) == [], faults(case, plan)
    return plan


def with_disk(**entries):
    return folio("disk", **({"d1": "-", "d2": "h500", "d1_screw": "-"} | entries))


class SameJob(unittest.TestCase):
    def test_what_comes_free_is_not_bought(self):
        plan = planned(ALIKE, with_disk())
        (outcome,) = plan.outcomes
        keys = [action.key for action in outcome.actions]
        self.assertIn("d1_screw+screw-m2x3", keys)
        self.assertIn("bay_screws-", keys)
        screw = next(a for a in plan.allocations if a.kind == "screw-m2x3")
        self.assertEqual((screw.source, screw.source_key), ("unit", "T-001"))
        self.assertEqual(outcome.parts_cents - outcome.gives_cents, 2000)

    def test_without_the_disk_there_is_no_screw_and_no_way(self):
        plan = planned(ALIKE, with_disk(d2="-", bay_cable="-", bay_frame="-", bay_screws="-"))
        self.assertEqual(plan.ready, 0)
        facts = " ".join(r.fact for r in plan.groups[0].rejections)
        self.assertIn("Socket screw is missing", facts)

    def test_it_comes_out_before_it_goes_in(self):
        unit = with_disk()
        (outcome,) = planned(ALIKE, unit).outcomes
        work = plan_work(ALIKE, unit, outcome.actions, KINDS, Policy())
        order = [action.key for step in work.steps for action in step.actions]
        self.assertLess(order.index("bay_screws-"), order.index("d1_screw+screw-m2x3"))


class OtherUnits(unittest.TestCase):
    def test_the_cable_of_a_disk_that_goes_serves_a_unit_without_one(self):
        taker = folio("disk", d1="-", d2="s256", bay_cable="-")
        plan = planned(FOLIO, with_disk(d1_screw="+"), taker)
        self.assertEqual(plan.ready, 2)
        (cable,) = (a for a in plan.allocations if a.kind == "bay-cable-of15")
        self.assertEqual((cable.source_key, cable.tag), ("T-001", "T-002"))
        giver = next(o for o in plan.outcomes if o.tag == "T-001")
        self.assertIn("bay_cable-", [action.key for action in giver.actions])

    def test_so_does_that_of_a_faulty_drive_which_only_comes_out(self):
        giver = folio("disk", d1="n256", d2="x")
        plan = planned(FOLIO, giver, folio("disk", d1="-", d2="s256", bay_cable="-"))
        self.assertEqual(plan.ready, 2)
        (cable,) = (a for a in plan.allocations if a.kind == "bay-cable-of15")
        self.assertEqual((cable.source_key, cable.tag), ("T-001", "T-002"))
        keys = [a.key for o in plan.outcomes if o.tag == "T-001" for a in o.actions]
        self.assertLessEqual({"d2-", "bay_cable-"}, set(keys))

    def test_nobody_takes_it_out_where_nobody_wants_it(self):
        (outcome,) = planned(FOLIO, with_disk(d1_screw="+")).outcomes
        self.assertEqual([a.key for a in outcome.actions if a.place.startswith("bay")], [])


class Arrays(unittest.TestCase):
    def test_no_drive_of_an_array_is_pulled_before_somebody_asked(self):
        plan = planned(FOLIO, with_disk(d1_screw="+", array="+"))
        self.assertEqual(plan.outcomes[0].outcome, "hold")
        self.assertIn("binds its drives to an array", plan.outcomes[0].reason)
        self.assertEqual(planned(FOLIO, with_disk(d1_screw="+", array="-")).ready, 1)

    def test_what_leaves_its_drives_alone_is_done_all_the_same(self):
        plan = planned(FOLIO, folio(array="+", d2="-"))
        self.assertEqual(plan.ready, 1)

    def test_the_inspector_is_told_at_once(self):
        said = assess(FOLIO, folio(array="+"), STANDARDS, Policy()).questions
        self.assertTrue(any("Stop, touch none of them" in one.sentence for one in said))
