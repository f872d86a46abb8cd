"""People at the same moment: one wins, the other is told, nothing is counted twice."""

import threading

from django.db import OperationalError, connection, transaction
from django.db.models import Sum
from django.test import TransactionTestCase

from sortis_core.base import SortisError
from sortis_server.arrive.manifests import take_in
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import make_batch
from sortis_server.fit.bench import tick
from sortis_server.inspect.models import Inspection
from sortis_server.inspect.services import keep_inspection
from sortis_server.orders.models import StepLog, WorkOrderRow
from sortis_server.problems import StaleVersion
from sortis_server.release.models import Release
from sortis_server.release.services import gates_of, release, sign
from sortis_server.stock.counting import receive
from sortis_server.stock.models import Lot, Movement, Purchase
from sortis_server.stock.services import StockRefused, promise
from tests.server.workshop import Workshop


class AtTheSameMoment(Workshop, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def together(self, *calls) -> tuple[int, list[SortisError]]:
        """Run calls at once in threads: how many went through, and the refusals."""
        gate = threading.Barrier(len(calls))
        refusals: list[SortisError] = []
        done: list[int] = []
        others: list[BaseException] = []

        def run(call):
            try:
                gate.wait()
                call()
                done.append(1)
            except SortisError as refusal:
                refusals.append(refusal)
            except BaseException as error:
                others.append(error)
            finally:
                connection.close()

        threads = [threading.Thread(target=run, args=(call,)) for call in calls]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(others, [])
        return len(done), refusals

    def test_two_inspectors_keep_the_same_unit(self):
        (unit,) = self.announce("stilt")

        def keep(gb):
            return lambda: keep_inspection(unit.tag, 0, "std", {"m1": gb}, self.marit, enough=False)

        done, refusals = self.together(keep("4"), keep("16"))
        self.assertEqual(done, 1)
        self.assertIsInstance(refusals[0], StaleVersion)
        self.assertEqual(refusals[0].facts["number"], 1)
        self.assertEqual(Inspection.objects.count(), 1)

    def test_two_technicians_tick_the_same_step(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        done, refusals = self.together(
            lambda: tick(unit.tag, 1, self.marit), lambda: tick(unit.tag, 1, self.ines)
        )
        self.assertEqual((done, len(refusals)), (1, 1))
        self.assertEqual(WorkOrderRow.objects.get().done_steps, 1)
        self.assertEqual(StepLog.objects.filter(what="done").count(), 1)

    def test_whoever_works_on_a_unit_waits_for_nobody_of_its_batch(self):
        """A plan that is approved holds the batch meanwhile, and so may take its time."""
        one, two, three = self.announce("stilt", "stilt", "stilt")
        self.inspect(one, m2="-")
        self.inspect(two)
        self.approve(self.plan())
        held, over = threading.Event(), threading.Event()

        def hold():
            with transaction.atomic():
                Batch.objects.select_for_update().get(pk=self.batch.pk)
                held.set()
                over.wait(30)
            connection.close()

        holding = threading.Thread(target=hold)
        holding.start()
        self.assertTrue(held.wait(10))
        try:
            with connection.cursor() as cursor:
                cursor.execute("SET SESSION innodb_lock_wait_timeout = 1")
            keep_inspection(three.tag, 0, "std", {"m1": "8"}, self.marit, enough=False)
            tick(one.tag, 1, self.marit)
            gate = next(one for one in gates_of(Unit.objects.get(pk=two.pk)) if one.asks)
            sign(two.tag, gate.gate, "overwritten once", self.marit)
            with self.assertRaises(OperationalError), transaction.atomic():
                Batch.objects.select_for_update().get(pk=self.batch.pk)
        finally:
            over.set()
            holding.join()
            connection.close()

    def test_the_last_part_of_a_lot_is_promised_once(self):
        lot = Lot.objects.get(kind__key="rear-cover-qs2")
        self.assertEqual(lot.on_hand, 1)
        done, refusals = self.together(*[lambda: promise(lot.pk)] * 3)
        self.assertEqual((done, len(refusals)), (1, 2))
        lot.refresh_from_db()
        self.assertEqual(lot.promised, 1)

    def test_a_purchase_is_booked_in_once(self):
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        self.approve(self.plan())
        purchase = Purchase.objects.get()

        def book():
            receive(purchase.pk, "shelf A-1", self.marit)

        done, refusals = self.together(book, book)
        self.assertEqual(done, 1)
        self.assertIsInstance(refusals[0], StockRefused)
        booked = Movement.objects.filter(reason__startswith="received").aggregate(n=Sum("change"))
        self.assertEqual(booked["n"], purchase.count)

    def test_two_manifests_never_share_a_tag(self):
        other = make_batch("Quay office", "test", self.batch.arrived_on, self.batch.due_on, 0, 0)

        def manifest(lead: str) -> bytes:
            rows = "\n".join(f"{lead}{n},Tolva,Lern 11" for n in range(20))
            return f"serial,maker,model\n{rows}\n".encode()

        done, refusals = self.together(
            lambda: take_in(self.batch, manifest("A")), lambda: take_in(other, manifest("B"))
        )
        self.assertEqual((done, refusals), (2, []))
        tags = list(Unit.objects.values_list("tag", flat=True))
        self.assertEqual((len(tags), len(set(tags))), (40, 40))

    def test_a_unit_is_released_once(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        for gate in gates_of(Unit.objects.get(pk=unit.pk)):
            if gate.asks:
                sign(unit.tag, gate.gate, "overwritten once", self.marit)
        done, refusals = self.together(
            lambda: release(unit.tag, self.marit), lambda: release(unit.tag, self.ines)
        )
        self.assertEqual((done, len(refusals)), (1, 1))
        self.assertEqual(Release.objects.count(), 1)
