import json
import threading
from io import StringIO

from django.core.management import call_command
from django.db import connection
from django.test import TestCase, TransactionTestCase

from sortis_core.plan import Case, make_plan
from sortis_server.decide.approval import approve
from sortis_server.decide.cases import Dials
from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import begin_plan, solve_in_background
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.problems import StaleVersion
from sortis_server.stock.models import Lot, Purchase
from sortis_server.workshop.models import OfferRow
from tests.server.workshop import Workshop


def begin(batch, person):
    return begin_plan(batch, person, Dials())


class Plans(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_nothing_inspected_is_refused_in_words_and_leaves_no_plan(self):
        self.announce("stilt")
        said = self.api("post", f"batches/{self.batch.slug}/plan", {}, status=422)
        self.assertIn("Inspect at least one unit", said["detail"])
        self.assertEqual(PlanRow.objects.count(), 0)

    def test_the_exported_case_gives_the_same_plan_without_the_server(self):
        for unit in self.announce("stilt", "stilt", "folio", "lern"):
            self.inspect(unit, **({"m2": "-"} if "stilt" in unit.sheet_key else {}))
        out = StringIO()
        call_command("export_case", self.batch.slug, stdout=out)
        solved = make_plan(Case.model_validate_json(out.getvalue()))
        kept = self.whole(self.plan())
        self.assertEqual(json.loads(solved.model_dump_json()), kept)

    def test_rows_gather_units_that_end_alike_and_name_what_changes(self):
        for unit in self.announce("stilt", "stilt", "stilt"):
            self.inspect(unit, m2="-")
        plan = self.plan()
        rows = plan["rows"]
        self.assertEqual(len(rows[0]["tags"]), 3)
        self.assertEqual(rows[0]["action_words"], ["8 GB DDR4 SODIMM into Slot 2"])
        marks = {cell["key"]: cell["mark"] for cell in plan["strips"][rows[0]["planned"]]["cells"]}
        self.assertEqual(marks["m2"], "to_fit")

    def test_approving_promises_parts_orders_purchases_and_writes_work_orders(self):
        one, two = self.announce("stilt", "lern")
        self.inspect(one, m2="-")
        self.inspect(two, keyboard="x")
        self.approve(self.plan())
        self.assertEqual((self.stage(one), self.stage(two)), ("fit", "fit"))
        self.assertEqual(WorkOrderRow.objects.count(), 2)
        promised = Reservation.objects.get(order__unit=one)
        self.assertEqual(promised.lot.promised, 1)
        bought = Purchase.objects.get()
        self.assertEqual((bought.offer.kind.key, bought.count), ("keyboard-tl11", 1))
        self.assertEqual(bought.offer.limit, 2)

    def test_what_approved_plans_took_is_not_there_for_the_next(self):
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        before = self.api("get", f"batches/{self.batch.slug}/plan")
        plan = self.approve(self.plan())["figures"]
        after = self.api("get", f"batches/{self.batch.slug}/plan")
        self.assertEqual(before["money_cents"] - after["money_cents"], plan["spend_cents"])
        self.assertAlmostEqual(before["bench_minutes"] - after["bench_minutes"], plan["minutes"], 1)

    def test_a_plan_made_before_another_inspection_is_not_approved(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        plan = self.plan()
        self.inspect(unit, m2="4")
        said = self.approve(plan, status=409)
        self.assertIn("was inspected again", said["detail"])
        self.assertEqual(WorkOrderRow.objects.count(), 0)

    def test_a_lot_gone_meanwhile_approves_nothing(self):
        one, two = self.announce("lern", "stilt")
        self.inspect(one)
        self.inspect(two, rear_cover="-")
        plan = self.plan()
        self.assertIn("rear-cover-qs2", {a["kind"] for a in self.whole(plan)["allocations"]})
        used = Lot.objects.get(kind__key="rear-cover-qs2")
        Lot.objects.filter(pk=used.pk).update(promised=used.on_hand)
        said = self.approve(plan, status=409)
        self.assertIn("promised to another plan", said["detail"])
        self.assertEqual((self.stage(one), self.stage(two)), ("decide", "decide"))
        self.assertEqual(Reservation.objects.count(), 0)

    def test_a_large_plan_is_solved_by_a_worker_to_the_same_result(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        small = begin(self.batch, self.marit)
        row = PlanRow.objects.create(batch=self.batch, number=9, case=small.case, by=self.marit)
        solve_in_background.call(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, row.plan), ("solved", small.plan))

    def test_less_money_is_a_dial(self):
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        self.assertEqual(self.plan(money_cents=0)["figures"]["spend_cents"], 0)


class TwoPlanners(Workshop, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def test_one_wins_the_other_is_told_and_nothing_is_promised_twice(self):
        for unit in self.announce("stilt", "stilt"):
            self.inspect(unit, m2="-")
        row = begin(self.batch, self.marit)
        said: list[str] = []
        gate = threading.Barrier(2)

        def approve_at_once():
            try:
                gate.wait()
                approve(self.batch, row.number, self.marit)
                said.append("approved")
            except StaleVersion as stale:
                said.append(stale.sentence)
            finally:
                connection.close()

        threads = [threading.Thread(target=approve_at_once) for _ in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(said)[1], "approved")
        self.assertIn("has approved this plan already", sorted(said)[0])
        self.assertEqual(Reservation.objects.count(), 2)
        self.assertEqual(sum(lot.promised for lot in Lot.objects.all()), 2)
        self.assertTrue(all(offer.limit >= 0 for offer in OfferRow.objects.all()))
