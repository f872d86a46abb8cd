"""The demo workshop: units at every stage, true counts, loaded once."""

from django.db.models import Sum
from django.test import TestCase

from demo.load import load
from demo.load import main as load_once
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.plan.verify import faults
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import counts_of
from sortis_server.decide.models import PlanRow
from sortis_server.inspect.models import Hazard, Inspection
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.sheets.services import sheet_version
from sortis_server.stock.models import Lot
from sortis_server.workshop.services import standard_version


class TheTidewrightWorkshop(TestCase):
    @classmethod
    def setUpTestData(cls):
        sheet_version.cache_clear()
        standard_version.cache_clear()
        load()
        cls.batch = Batch.objects.get(slug="ferry-line-offices")

    def test_no_stage_is_empty_at_first_sight(self):
        counts = counts_of([self.batch])[self.batch.pk].stages
        for stage in ("arrive", "inspect", "decide", "fit", "release", "done", "blocked"):
            self.assertGreater(counts[stage], 0, stage)
        self.assertEqual(self.batch.units.count(), 46)

    def test_there_is_a_log_in_for_every_role(self):
        for role in [role.value for role in Role]:
            alone = [p for p in Person.objects.all() if p.roles == [role]]
            self.assertGreaterEqual(len(alone), 1, role)

    def test_hazards_donors_and_missing_parts_are_there(self):
        here = Hazard.objects.filter(unit__batch=self.batch)
        self.assertEqual(here.filter(done_at=None).count(), 1)
        self.assertEqual(here.exclude(done_at=None).count(), 1)
        self.assertTrue(any(o.document["donor"] for o in WorkOrderRow.objects.all()))
        missing = [
            key
            for row in Inspection.objects.all()
            for key, state in row.findings["parts"].items()
            if state == "missing"
        ]
        self.assertGreater(len(missing), 5)

    def test_the_other_batches_wait_at_the_door_and_to_be_decided(self):
        desks, centre = (
            counts_of([batch])[batch.pk].stages
            for slug in ("ferry-line-ticket-desks", "call-centre-closed")
            for batch in [Batch.objects.get(slug=slug)]
        )
        self.assertEqual(desks["arrive"], 28)
        self.assertGreater(centre["inspect"], 30)
        self.assertGreater(centre["decide"], 120)
        models = {unit.sheet_key for unit in Unit.objects.exclude(batch=self.batch)}
        self.assertEqual(len(models), 15)

    def test_every_count_is_the_sum_of_its_movements(self):
        for lot in Lot.objects.all():
            moved = lot.movements.aggregate(total=Sum("change"))["total"] or 0
            self.assertEqual(lot.on_hand, moved, str(lot))
            waiting = Reservation.objects.filter(lot=lot, taken=False).count()
            self.assertEqual(lot.promised, waiting, str(lot))

    def test_every_plan_holds_and_comes_out_the_same_again(self):
        self.assertEqual(PlanRow.objects.count(), 2)
        for row in PlanRow.objects.all():
            case, plan = Case.model_validate(row.case), Plan.model_validate(row.plan)
            self.assertEqual(faults(case, plan), [])
            self.assertEqual(make_plan(case), plan)

    def test_work_orders_end_with_an_empty_tray(self):
        for order in WorkOrderRow.objects.all():
            if not order.document["donor"]:
                self.assertEqual(order.document["steps"][-1]["tray"], [])

    def test_loading_again_changes_nothing(self):
        before = (Unit.objects.count(), Inspection.objects.count(), Lot.objects.count())
        load_once()
        after = (Unit.objects.count(), Inspection.objects.count(), Lot.objects.count())
        self.assertEqual(before, after)
