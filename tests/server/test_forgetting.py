"""What is no evidence goes after its term, once, and nothing else goes with it."""

import json
from datetime import timedelta
from unittest import mock

from axes.models import AccessAttempt
from django.contrib.sessions.models import Session
from django.db import connections
from django.test import TestCase
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from sortis_core.forgetting import NAMELESS, Forgotten
from sortis_core.market import OrderVerdict
from sortis_core.plan import Case, Plan
from sortis_core.plan.verify import faults
from sortis_core.selling import SaleState
from sortis_server.arrive.models import Batch, ManifestImport, Unit
from sortis_server.background import terms
from sortis_server.day.models import DayPlanRow
from sortis_server.decide.models import CustomerOrder, PlanRow
from sortis_server.inspect.models import Inspection, Photo
from sortis_server.orders.models import Outcome
from sortis_server.sell.forgets import _without_buyer
from sortis_server.sell.models import MarketAnswer, Sale, SaleStep
from sortis_server.stock.models import Movement
from tests.server.test_bench import picture
from tests.server.workshop import Workshop

OLD = timedelta(days=91)


class Forgetting(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def aged(self, model, by: timedelta = OLD, **field: str) -> None:
        model.objects.update(**{next(iter(field.values()), "at"): timezone.now() - by})

    def lived(self) -> None:
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        list_ = b"serial,model\nZ1,Lern 11\n"
        number = self.upload(f"batches/{self.batch.slug}/manifests", list_)["number"]
        self.api("post", f"batches/{self.batch.slug}/manifests/{number}/take")
        for _ in range(2):
            DayPlanRow.objects.create(case={}, plan={}, by=self.marit)
            self.upload(f"units/{unit.tag}/photos", picture(), name="p.jpg")
        self.api("delete", f"units/{unit.tag}/photos/{Photo.objects.first().pk}")
        DBTaskResult.objects.create(
            args_kwargs={"args": [], "kwargs": {}},
            priority=0,
            task_path="none",
            queue_name="default",
            backend_name="default",
            finished_at=timezone.now(),
        )
        AccessAttempt.objects.create(username="x", ip_address="127.0.0.1", failures_since_start=1)
        Session.objects.create(
            session_key="over", session_data="", expire_date=timezone.now() - timedelta(minutes=1)
        )

    def test_nothing_younger_than_the_term_goes_but_sessions_that_ended(self):
        self.lived()
        gone = terms.forget()
        self.assertEqual(set(gone), set(Forgotten))
        self.assertEqual({what for what, count in gone.items() if count}, {Forgotten.SIGN_INS})
        self.assertEqual(gone[Forgotten.SIGN_INS], 1)

    def test_each_goes_after_its_term_and_evidence_stays(self):
        self.lived()
        kept = [m.objects.count() for m in (Unit, Inspection, Movement, ManifestImport)]
        self.aged(Photo)
        # An old picture that was taken off just now can still be put back.
        self.assertEqual(terms.forget()[Forgotten.PICTURES], 0)
        self.aged(ManifestImport)
        self.aged(DayPlanRow)
        Photo.objects.filter(removed=True).update(removed_at=timezone.now() - OLD)
        self.aged(DBTaskResult, field="finished_at")
        self.aged(AccessAttempt, field="attempt_time")
        gone = terms.forget()
        once = dict.fromkeys(Forgotten, 1) | {Forgotten.BUYERS: 0, Forgotten.CUSTOMERS: 0}
        self.assertEqual(gone, once, "the newest day plan stays")
        self.assertEqual(
            [m.objects.count() for m in (Unit, Inspection, Movement, ManifestImport)], kept
        )
        self.assertEqual(Photo.objects.get().removed, False)
        self.assertEqual(sum(terms.forget().values()), 0)

    def test_the_term_is_the_workshop_s(self):
        self.lived()
        self.aged(DayPlanRow, timedelta(days=10))
        self.assertEqual(terms.forget()[Forgotten.DAY_PLANS], 0)
        view = self.api("get", "furnish/settings")
        self.assertEqual(len(view["forgotten"]), len(Forgotten) - 2)
        self.assertFalse({"buyers", "customers"} & set(view["forgotten"]))
        body = {"document": view["settings"] | {"forget_days": 9}, "started_from": view["version"]}
        self.api("put", "furnish/settings", body)
        self.assertEqual(terms.forget()[Forgotten.DAY_PLANS], 1)

    def test_of_a_sale_that_ended_long_ago_the_name_goes_and_the_sale_stays(self):
        sold, came_back, waits = self.announce("stilt", "stilt", "stilt")
        for unit in (sold, came_back, waits):
            self.inspect(unit)
        self.approve(self.plan())
        for unit in (sold, came_back, waits):
            self.release(unit)
            self.api("post", f"units/{unit.tag}/sale/reserve", {"buyer": "Ilse Varga (M-7)"})
        for unit in (sold, came_back):
            self.api("post", f"units/{unit.tag}/sale/pack", {"code": unit.tag})
            self.api("post", f"units/{unit.tag}/sale/hand-over")
        self.api(
            "post",
            f"units/{came_back.tag}/sale/return",
            {"reason": "too slow for Ilse Varga (M-7)"},
        )
        MarketAnswer.objects.create(
            number="M-7",
            order={"number": "M-7", "buyer": "Ilse Varga", "count": 3},
            verdict=OrderVerdict.TAKEN,
            sentence="Order M-7 of Ilse Varga: 3 reserved.",
            by=self.marit,
        )
        prices = list(Sale.objects.order_by("pk").values_list("price_cents", "state"))
        SaleStep.objects.update(at=timezone.now() - timedelta(days=3649))
        self.assertEqual(terms.forget()[Forgotten.BUYERS], 0)
        SaleStep.objects.update(at=timezone.now() - timedelta(days=3651))
        SaleStep.objects.filter(state=SaleState.RETURNED).update(at=timezone.now())
        self.assertEqual(terms.forget()[Forgotten.BUYERS], 1, "one came back only now, one waits")
        SaleStep.objects.update(at=timezone.now() - timedelta(days=3651))
        self.assertEqual(terms.forget()[Forgotten.BUYERS], 1)
        self.assertEqual(terms.forget()[Forgotten.BUYERS], 0)
        self.assertEqual(
            list(Sale.objects.order_by("pk").values_list("price_cents", "state")), prices
        )
        for unit in (sold, came_back):
            story = json.dumps(self.api("get", f"units/{unit.tag}/story"))
            self.assertEqual(("Varga" in story, NAMELESS in story), (False, True))
        self.assertEqual(waits.sales.get().buyer, "Ilse Varga (M-7)")
        self.assertNotIn(
            "Varga", json.dumps(list(MarketAnswer.objects.values("order", "sentence")))
        )

    def test_what_comes_back_at_that_moment_stays_returned(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        self.release(unit)
        self.api("post", f"units/{unit.tag}/sale/reserve", {"buyer": "Ilse"})
        self.api("post", f"units/{unit.tag}/sale/pack", {"code": unit.tag})
        self.api("post", f"units/{unit.tag}/sale/hand-over")
        seen_before = Sale.objects.select_related("unit").get()
        self.api("post", f"units/{unit.tag}/sale/return", {"reason": "too slow"})
        _without_buyer(seen_before)
        sale = Sale.objects.get()
        self.assertEqual((sale.state, sale.buyer), (SaleState.RETURNED, NAMELESS))

    def test_two_workers_do_not_clean_at_once(self):
        other = connections.create_connection("default")
        self.addCleanup(other.close)
        with other.cursor() as cursor:
            cursor.execute("SELECT GET_LOCK(%s, 0)", [terms.LOCK])
        self.assertEqual(terms.forget(), {})

    def test_it_is_done_beside_the_tasks_and_goes_on_after_a_fault(self):
        over = mock.Mock()
        over.wait.side_effect = [False, False, True]
        with (
            mock.patch.object(terms, "forget", side_effect=[terms.Error("away"), {}]) as did,
            mock.patch.object(terms.connection, "close"),
        ):
            terms.keep_forgetting(over).join(10)
        self.assertEqual(did.call_count, 2)
        waits = [call.args[0] for call in over.wait.call_args_list]
        self.assertEqual(waits, [60.0, 600.0, 86400.0])

    def test_of_a_batch_closed_long_ago_the_customers_go_and_the_plans_stay(self):
        for unit in self.announce("stilt", "stilt"):
            self.inspect(unit)
        orders = f"batches/{self.batch.slug}/customer-orders"
        for name in ("Quay", "Quay pilots"):
            told = {"customer": name, "standard": "desk-ready", "count": 1, "price_cents": 43_210}
            self.api("post", orders, told)
        self.approve(self.plan())
        told = json.dumps(PlanRow.objects.values_list("case", "plan").get())
        self.assertIn("Quay pilots", told)
        self.assertIn("pays", told)
        was = Plan.model_validate(PlanRow.objects.get().plan)
        self.assertEqual(terms.forget()[Forgotten.CUSTOMERS], 0, "it is open")
        for days, gone in ((3649, 0), (3651, 2), (3651, 0)):
            Batch.objects.update(closed_at=timezone.now() - timedelta(days=days))
            self.assertEqual(terms.forget()[Forgotten.CUSTOMERS], gone)
        row = PlanRow.objects.get()
        told = json.dumps([row.case, row.plan, *Outcome.objects.values_list("reason", flat=True)])
        self.assertEqual(("Quay" in told, NAMELESS in told), (False, True))
        case, plan = Case.model_validate(row.case), Plan.model_validate(row.plan)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(plan.contribution_cents, was.contribution_cents)
        self.assertEqual(set(CustomerOrder.objects.values_list("customer", flat=True)), {NAMELESS})
