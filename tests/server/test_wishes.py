"""Orders, pins, dials, holds and re-planning over the API; the store and its supplier."""

import io
import os
import threading
from datetime import date, timedelta
from unittest import mock

import openpyxl
from django.db import connection
from django.test import TestCase, TransactionTestCase

from sortis_core.plan import Case, Plan
from sortis_core.plan.verify import faults
from sortis_server.arrive.services import make_batch
from sortis_server.decide.approval import approve
from sortis_server.decide.cases import Dials
from sortis_server.decide.models import PlanRow, UnitPin
from sortis_server.decide.services import begin_plan, solve_in_background
from sortis_server.orders.models import Outcome, Reservation, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion
from sortis_server.stock.models import Lot, Movement, Purchase
from sortis_server.stock.services import move, new_lot
from sortis_server.workshop.models import OfferRow, PartKindRow
from standins.supplier import server as supplier
from tests.server.workshop import Workshop


def cells(book: bytes) -> str:
    """All that stands in the first sheet of a workbook."""
    return str(list(openpyxl.load_workbook(io.BytesIO(book)).active.values))


class Deciding(Workshop):
    def path(self, rest: str = "") -> str:
        return f"batches/{self.batch.slug}/plan{rest}"

    def view(self) -> dict:
        return self.api("get", self.path())

    def order(self, **given) -> list:
        told = {"customer": "Pilots", "standard": "desk-ready", "count": 1} | given
        return self.api("post", f"batches/{self.batch.slug}/customer-orders", told)

    def pin(self, *units, status=200, **given):
        told = {"tags": [unit.tag for unit in units]} | given
        return self.api("post", f"batches/{self.batch.slug}/pins", told, status=status)

    def holds(self, plan: dict) -> None:
        """The kept plan holds against its case."""
        row = PlanRow.objects.get(batch=self.batch, number=plan["number"])
        self.assertEqual(faults(Case.model_validate(row.case), Plan.model_validate(row.plan)), [])


class Wishes(Deciding, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_a_customers_own_price_is_in_the_sum_and_in_the_sale(self):
        for unit in self.announce("stilt", "stilt"):
            self.inspect(unit)
        (kept,) = self.order(price_cents=43_210)
        self.assertEqual(kept["price_cents"], 43_210)
        plan = self.plan()
        self.holds(plan)
        (row,) = [row for row in plan["rows"] if row["order"]]
        self.assertEqual(row["price_cents"], 43_210)
        self.assertIn("Pilots pays", self.ladder_reason(row))

    def ladder_reason(self, row: dict) -> str:
        told = self.api("post", self.path("/ladder"), {"number": 1, "group": row["group"]})
        return next(
            s["outcome"]["reason"] for s in told["sums"] if s["outcome"]["tag"] in row["tags"]
        )

    def test_what_is_on_its_way_to_a_customer_is_not_wanted_again(self):
        units = self.announce("stilt", "stilt", "stilt")
        for unit in units[:2]:
            self.inspect(unit)
        self.order(count=2)
        self.approve(self.plan())
        self.inspect(units[2])
        # Both are approved for the order already; the third goes where it leaves most.
        case = Case.model_validate(self.api("get", f"batches/{self.batch.slug}/case.json"))
        self.assertEqual(case.sales_orders, ())
        for unit in units[:1]:
            unit.refresh_from_db()
            Outcome.objects.filter(unit=unit).update(order_key="")
        case = Case.model_validate(self.api("get", f"batches/{self.batch.slug}/case.json"))
        self.assertEqual([order.count for order in case.sales_orders], [1])

    def test_an_order_is_met_and_one_too_many_is_told_with_what_can_be_had(self):
        for unit in self.announce("stilt", "stilt"):
            self.inspect(unit)
        self.order(count=1)
        plan = self.plan()
        self.holds(plan)
        self.assertEqual(len(plan["sales_orders"][0]["tags"]), 1)
        (row,) = [row for row in plan["rows"] if row["order"]]
        self.assertEqual((row["order"], row["end"]), ("Pilots", "Release as Desk ready"))
        self.order(count=9, customer="Quay")
        said = self.api("post", self.path(), {}, status=422)
        self.assertIn("Quay: 9 Desk ready cannot be met", said["detail"])
        self.assertIn("At most 2 can be had", said["detail"])
        first = self.plan(goal="orders")
        self.assertEqual(first["figures"]["proofs"][0]["goal"], "units short of orders")
        gone = self.api(
            "delete",
            f"batches/{self.batch.slug}/customer-orders/{self.view()['sales_orders'][1]['id']}",
        )
        self.assertEqual([order["customer"] for order in gone], ["Pilots"])
        self.plan()

    def test_an_order_that_makes_no_sense_is_refused_in_words(self):
        self.announce("stilt")
        path = f"batches/{self.batch.slug}/customer-orders"
        good = {"customer": "P", "standard": "desk-ready", "count": 1}
        yesterday = (date.today() - timedelta(1)).isoformat()
        for wrong, words in (
            ({"standard": "gold"}, "no standard gold"),
            ({"sheets": ["tolva-lern-11"]}, "has no tolva-lern-11"),
            ({"due_on": yesterday}, "has passed"),
        ):
            said = self.api("post", path, good | wrong, status=422)
            self.assertIn(words, said["detail"])
        self.api("delete", f"{path}/999", status=404)

    def test_a_pin_holds_splits_its_group_and_carries_a_note(self):
        units = self.announce("stilt", "stilt", "stilt")
        for unit in units:
            self.inspect(unit)
        self.pin(units[1], outcome="release", standard="class-set", note="for the museum")
        plan = self.plan()
        self.holds(plan)
        ends = {tag: row for row in plan["rows"] for tag in row["tags"]}
        self.assertEqual(ends[units[1].tag]["end"], "Release as Class set")
        self.assertTrue(ends[units[1].tag]["pinned"])
        self.assertEqual(ends[units[0].tag]["tags"], [units[0].tag, units[2].tag])
        (pin,) = self.view()["pins"]
        self.assertEqual((pin["note"], pin["by"]), ("for the museum", "Marit Dohl"))
        self.pin(units[1])
        self.assertEqual(self.view()["pins"][0]["outcome"], None)
        self.pin(units[1], note="")
        self.assertEqual(UnitPin.objects.count(), 0)

    def test_a_pin_by_the_rung_of_the_ladder_chooses_that_very_option(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m1="4", m2="-")
        plan = self.plan()
        asked = {"number": plan["number"], "group": plan["rows"][0]["group"]}
        ladder = self.api("post", self.path("/ladder"), asked)
        other = next(r for r in ladder["rungs"] if r["outcome"] == "fit" and not r["units"])
        self.assertTrue(other["memory"])
        self.pin(unit, outcome=other["outcome"], standard=other["standard"], option=other["key"])
        again = self.plan()
        self.holds(again)
        self.assertEqual(again["rows"][0]["action_words"], other["action_words"])
        self.approve(again)
        standing = self.plan()
        self.assertEqual((standing["changes"], standing["rows"][0]["kept"]), ([], True))

    def test_only_units_that_wait_for_a_decision_are_pinned(self):
        one, two = self.announce("stilt", "stilt")
        self.inspect(one)
        said = self.pin(one, two, outcome="hold", status=422)
        self.assertIn(f"{two.tag} is in inspect", said["detail"])
        self.assertEqual(UnitPin.objects.count(), 0)
        said = self.api(
            "post",
            f"batches/{self.batch.slug}/pins",
            {"tags": ["ZZ-1"], "outcome": "hold"},
            status=422,
        )
        self.assertIn("not a unit of this batch", said["detail"])

    def test_planning_is_the_planners(self):
        self.announce("stilt")
        for path, told in (
            ("/try", {}),
            ("/curve", {}),
            ("/curve/point", {}),
            ("/one-more", {"key": "money"}),
            ("/ways", {"tag": "TW-0001"}),
            ("/rules", {}),
        ):
            self.api("post", self.path(path), told, status=403, person=self.ines)


class Dialling(Deciding, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def short(self):
        """Two units of which one needs a bought part."""
        one, two = self.announce("lern", "stilt")
        self.inspect(one, keyboard="x")
        self.inspect(two, m2="-")
        return one, two

    def test_a_tried_plan_is_not_kept_and_says_the_same_as_the_kept_one(self):
        self.short()
        tried = self.api("post", self.path("/try"), {"money_cents": 0})
        self.assertEqual((tried["number"], tried["state"]), (0, "tried"))
        self.assertEqual(PlanRow.objects.count(), 0)
        proven = self.api("post", self.path("/try"), {"money_cents": 0, "quick": False})
        kept = self.plan(money_cents=0)
        self.assertEqual(proven["rows"], kept["rows"])
        self.assertEqual(proven["scarce"], kept["scarce"])
        asked = {"money_cents": 0, "group": tried["rows"][0]["group"]}
        self.assertTrue(self.api("post", self.path("/ladder"), asked)["rungs"])
        self.api("post", self.path("/ladder"), {"group": 99}, status=404)

    def test_goals_skills_and_schools_are_dials(self):
        self.short()
        frugal = self.plan(goal="spend")
        self.assertEqual(frugal["figures"]["spend_cents"], 0)
        best = self.plan()
        self.assertGreater(best["figures"]["spend_cents"], 0)
        limited = self.plan(skills={"bench": 0})
        self.assertTrue(all(not row["action_words"] for row in limited["rows"]))
        self.holds(limited)
        self.assertEqual(self.plan(policy={"harvest": "new_only"})["policy"]["harvest"], "new_only")

    def test_what_if_is_answered_by_solving_again(self):
        one, _ = self.short()
        curve = self.api("post", self.path("/curve"), {})
        points = [
            self.api("post", self.path("/curve/point"), {"money_cents": cents})
            for cents in curve["below"]
        ]
        points.append(curve["top"])
        leaves = [point["figures"]["contribution_cents"] for point in points]
        self.assertEqual(leaves, sorted(leaves))
        self.assertGreater(leaves[-1], leaves[0])
        more = self.api("post", self.path("/one-more"), {"key": "money", "money_cents": 0})
        self.assertGreater(more["then"]["contribution_cents"], more["now"]["contribution_cents"])
        ways = self.api("post", self.path("/ways"), {"tag": one.tag})
        self.assertEqual(ways["ways"][0]["loss_cents"], 0)
        self.assertTrue(ways["refused_parts"])
        rules = self.api("post", self.path("/rules"), {})
        key = next(r["key"] for r in rules["rules"] if r["key"] == "desk-ready:none")
        told = self.api("post", self.path("/rule"), {"key": key})
        self.assertLessEqual(told["then"]["contribution_cents"], rules["now"]["contribution_cents"])
        self.api("post", self.path("/rule"), {"key": "nonsense"}, status=404)
        self.order(standard="desk-ready", sheets=["tolva-lern-11"])
        impossible = self.api("post", self.path("/rule"), {"key": "desk-ready:memory:16 GB"})
        self.assertIsNone(impossible["then"])
        self.assertIn("Pilots", impossible["impossible"])

    def test_the_buying_list_leaves_as_csv_and_xlsx(self):
        self.short()
        plan = self.plan()
        self.assertEqual([line["kind"] for line in plan["buying"]], ["keyboard-tl11"])
        text = self.api("get", self.path(f"/{plan['number']}/buying.csv")).content.decode(
            "utf-8-sig"
        )
        self.assertIn("keyboard-tl11,Harbour Parts,1,1,1,17.00,17.00,EUR,8", text)
        book = openpyxl.load_workbook(
            io.BytesIO(self.api("get", self.path(f"/{plan['number']}/buying.xlsx")).content)
        )
        self.assertEqual(book.active["G2"].value, 17)
        OfferRow.objects.update(supplier="=1+1")
        plan = self.plan()
        for name, read in (("csv", bytes.decode), ("xlsx", cells)):
            told = self.api("get", self.path(f"/{plan['number']}/buying.{name}")).content
            self.assertIn("'=1+1", read(told))
        case = self.api("get", self.path(f"/{plan['number']}/case.json"))
        whole = Plan.model_validate(self.whole(plan))
        self.assertEqual(faults(Case.model_validate(case), whole), [])
        self.api("get", self.path("/77/plan.json"), status=404)

    def test_a_batch_too_large_to_wait_for_goes_to_a_worker_that_can_be_stopped(self):
        self.short()
        small = self.plan()
        with mock.patch("sortis_server.decide.services.SOLVED_AT_ONCE", 1):
            with mock.patch("sortis_server.decide.services.solve_in_background"):
                waiting = self.plan()
            self.assertEqual(waiting["state"], "solving")
            said = self.api("post", self.path("/try"), {}, status=422)
            self.assertIn("A worker solves it", said["detail"].replace("a worker", "A worker"))
        row = PlanRow.objects.get(number=waiting["number"])
        solve_in_background.call(row.pk)
        done = self.api("get", self.path(f"/{row.number}"))
        self.assertEqual((done["state"], done["rows"]), ("solved", small["rows"]))
        self.assertIn(done["progress"]["goal"], ("finding the ways of every unit", "contribution"))
        again = PlanRow.objects.create(batch=self.batch, number=50, case=row.case, by=self.marit)
        self.assertTrue(self.api("post", self.path("/50/stop"), {})["stopped"])
        solve_in_background.call(again.pk)
        again.refresh_from_db()
        self.assertEqual((again.state, again.refusal), ("refused", "Stopped before it began."))


class PlanningAgain(Deciding, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def decided(self, *models, **entries):
        units = self.announce(*models)
        for unit in units:
            self.inspect(unit, **entries)
        self.approve(self.plan())
        return units

    def test_approved_work_that_is_not_begun_stands_in_the_next_plan(self):
        (first,) = self.decided("stilt", m2="-")
        (second,) = self.announce("stilt")
        self.inspect(second, m2="-")
        self.assertEqual(self.view()["open_orders"], 1)
        plan = self.plan()
        self.holds(plan)
        kept = {tag for row in plan["rows"] if row["kept"] for tag in row["tags"]}
        self.assertEqual(kept, {first.tag})
        self.approve(plan)
        self.assertEqual(WorkOrderRow.objects.filter(unit=first).count(), 1)
        self.assertEqual(sum(lot.promised for lot in Lot.objects.all()), 2)
        self.assertEqual(Reservation.objects.count(), 2)

    def test_a_pin_changes_standing_work_frees_its_part_and_says_so(self):
        (first,) = self.decided("stilt", m2="-")
        lot = Reservation.objects.get().lot
        self.pin(first, outcome="hold")
        plan = self.plan()
        self.holds(plan)
        self.assertEqual([c["tag"] for c in plan["changes"]], [first.tag])
        self.approve(plan)
        self.assertEqual(self.stage(first), "decide")
        order = WorkOrderRow.objects.get(unit=first)
        changed = f"Changed by plan {plan['number']}."
        self.assertEqual((order.state, order.words), ("stopped", changed))
        lot.refresh_from_db()
        self.assertEqual((lot.promised, Reservation.objects.count()), (0, 0))

    def test_work_begun_meanwhile_makes_the_plan_stale(self):
        (first,) = self.decided("stilt", m2="-")
        (second,) = self.announce("stilt")
        self.inspect(second)
        plan = self.plan()
        self.api("post", f"units/{first.tag}/work/tick", {"version": 1})
        said = self.approve(plan, status=409)
        self.assertIn(f"Work on {first.tag} has begun", said["detail"])
        self.assertEqual(self.stage(second), "decide")

    def test_a_part_on_its_way_beyond_what_is_promised_serves_the_next_plan(self):
        (first,) = self.decided("lern", keyboard="x")
        purchase = Purchase.objects.get()
        Purchase.objects.filter(pk=purchase.pk).update(count=2)
        OfferRow.objects.filter(kind__key="keyboard-tl11").update(limit=0)
        (second,) = self.announce("lern")
        self.inspect(second, keyboard="x")
        plan = self.plan()
        self.holds(plan)
        whole = self.whole(plan)
        part = next(a for a in whole["allocations"] if a["tag"] == second.tag)
        self.assertEqual(part["source_key"], f"purchase-{purchase.pk}")
        self.approve(plan)
        self.assertEqual(purchase.reservation_set.count(), 2)
        path = f"stock/purchases/{purchase.pk}/arrived"
        self.api("post", path, {"place": "A", "count": 3}, status=422)
        self.api("post", path, {"place": "A", "count": 1})
        came = Reservation.objects.get(order__unit=first)
        self.assertEqual(came.lot.place, "A")
        still = Reservation.objects.get(order__unit=second)
        self.assertIsNone(still.lot)
        self.assertEqual((still.purchase.count, still.purchase.lot), (1, None))

    def test_what_comes_after_the_due_day_holds_its_unit_and_wakes_it_when_it_comes(self):
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        self.batch.due_on = date.today() + timedelta(2)
        self.batch.save()
        plan = self.plan()
        row = plan["rows"][0]
        self.assertEqual((row["outcome"], row["waits_for"]), ("hold", ["Keyboard, Lern 11"]))
        self.approve(plan)
        self.assertEqual(self.view()["woken"], [])
        self.api(
            "post",
            "stock/received",
            {"kind": "keyboard-tl11", "place": "B-1", "count": 1, "unit_cost_cents": 900},
        )
        self.assertEqual(self.view()["woken"], [{"tag": unit.tag, "parts": ["Keyboard, Lern 11"]}])
        self.assertIsNotNone(Outcome.objects.get().woken_at)
        self.assertEqual(self.plan()["rows"][0]["outcome"], "fit")


class Store(Deciding, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def lot(self, kind="sodimm-ddr4-8") -> Lot:
        return Lot.objects.filter(kind__key=kind).order_by("pk").first()

    def test_a_count_that_differs_is_a_movement_with_its_reason(self):
        lot = self.lot()
        path = f"stock/lots/{lot.pk}/counted"
        said = self.api("post", path, {"counted": 5}, status=422)
        self.assertIn(f"The books say {lot.on_hand}, you counted 5", said["detail"])
        self.api("post", path, {"counted": 5, "words": "two were cracked"})
        lot.refresh_from_db()
        self.assertEqual(lot.on_hand, 5)
        newest = Movement.objects.order_by("-pk").first()
        self.assertEqual((newest.change, newest.reason), (-2, "counted: two were cracked"))
        moved = self.api("get", f"stock/lots/{lot.pk}/movements")
        self.assertEqual([m["change"] for m in moved], [-2, 7])

    def test_a_count_below_what_is_promised_names_whom_it_is_promised_to(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        lot = Reservation.objects.get().lot
        said = self.api(
            "post", f"stock/lots/{lot.pk}/counted", {"counted": 0, "words": "gone"}, status=422
        )
        self.assertIn(f"promised to {unit.tag}", said["detail"])
        self.api("post", "stock/lots/99999/counted", {"counted": 0}, status=404)

    def test_parts_received_are_free_to_plan_with(self):
        told = {"kind": "speaker-qs2", "place": "A-9", "count": 2, "unit_cost_cents": 300}
        self.api("post", "stock/received", told)
        lot = Lot.objects.get(kind__key="speaker-qs2", place="A-9")
        self.assertEqual((lot.on_hand, lot.condition), (2, "new"))
        self.api("post", "stock/received", told | {"kind": "no-such"}, status=404)
        self.api("post", "stock/received", told, status=403, person=self.ines)

    def test_parts_that_wait_are_settled_and_drives_need_their_record(self):
        kind = PartKindRow.objects.get(key="disk-500-bay")
        lot = new_lot(kind, "unsanitised", "tray", 100)
        move(lot, 2, "out", self.marit)
        path = f"stock/lots/{lot.pk}/settled"
        said = self.api("post", path, {"good": 1, "bad": 0}, status=422)
        self.assertIn("how the drive was sanitised", said["detail"])
        self.api("post", path, {"good": 9, "bad": 0, "words": "overwritten"}, status=422)
        body = {"good": 1, "bad": 1, "words": "overwritten, Sten"}
        said = self.api("post", path, body, status=422)
        self.assertIn("destroyed or gone back to its owner", said["detail"])
        self.api("post", path, body | {"drive_end": "destroyed"})
        lot.refresh_from_db()
        good = Lot.objects.get(kind=kind, condition="tested", place="tray")
        self.assertEqual((lot.on_hand, good.on_hand), (0, 1))
        said = self.api("post", f"stock/lots/{good.pk}/settled", {"good": 1, "bad": 0}, status=422)
        self.assertIn("waits for nothing", said["detail"])

    def test_an_order_whose_part_fails_its_test_is_withdrawn_and_planned_again(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        reservation = Reservation.objects.get()
        Lot.objects.filter(pk=reservation.lot_id).update(condition="untested")
        lot = Lot.objects.get(pk=reservation.lot_id)
        self.api("post", f"stock/lots/{lot.pk}/settled", {"good": 0, "bad": lot.on_hand})
        lot.refresh_from_db()
        self.assertEqual((lot.promised, lot.on_hand), (0, 0))
        view = self.api("get", f"units/{unit.tag}/work")
        self.assertEqual((view["state"], self.stage(unit)), ("stopped", "decide"))
        self.assertIn("is gone", view["words"])
        self.assertEqual(self.whole(self.plan())["ready"], 1)

    def test_an_order_that_was_begun_says_that_its_part_is_gone(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        self.api("post", f"units/{unit.tag}/work/begin", {"version": 1})
        reservation = Reservation.objects.get()
        Lot.objects.filter(pk=reservation.lot_id).update(condition="untested")
        lot = Lot.objects.get(pk=reservation.lot_id)
        self.api("post", f"stock/lots/{lot.pk}/settled", {"good": 0, "bad": lot.on_hand})
        view = self.api("get", f"units/{unit.tag}/work")
        self.assertEqual((view["state"], view["fetch"][0]["state"]), ("open", "lost"))


class Supplier(Deciding, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        self.shop = supplier(0)
        threading.Thread(target=self.shop.serve_forever, daemon=True).start()
        self.addCleanup(self.shop.server_close)
        self.addCleanup(self.shop.shutdown)
        address = f"http://127.0.0.1:{self.shop.server_port}"
        patch = mock.patch.dict(os.environ, {"SORTIS_SUPPLIER_URL": address})
        patch.start()
        self.addCleanup(patch.stop)

    def bought(self) -> Purchase:
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        self.approve(self.plan())
        return Purchase.objects.get()

    def test_quotes_bring_prices_up_to_date_and_what_is_not_quoted_cannot_be_had(self):
        OfferRow.objects.filter(article="HB-1007").update(price_cents=1, limit=0)
        old = OfferRow.objects.get(article="HB-1014")
        OfferRow.objects.filter(pk=old.pk).update(article="HB-OLD")
        self.api("post", "stock/quotes")
        self.assertEqual(OfferRow.objects.get(article="HB-1007").price_cents, 1690)
        self.assertEqual(OfferRow.objects.get(article="HB-OLD").limit, 0)
        self.assertEqual(OfferRow.objects.get(article="HB-1014").limit, 6)

    def test_a_purchase_is_sent_once_and_comes_with_reference_and_day(self):
        purchase = self.bought()
        self.assertEqual(purchase.state, "planned")
        told = {"ids": [purchase.pk]}
        self.api("post", "stock/purchases/order", told)
        purchase.refresh_from_db()
        self.assertEqual((purchase.state, purchase.reference), ("ordered", "HB-50001"))
        self.assertEqual(purchase.due_on, date.today() + timedelta(8))
        said = self.api("post", "stock/purchases/order", told, status=422)
        self.assertIn("ordered already", said["detail"])

    def test_another_price_is_refused_in_the_suppliers_words_and_changes_nothing(self):
        purchase = self.bought()
        Purchase.objects.filter(pk=purchase.pk).update(price_cents=5)
        said = self.api("post", "stock/purchases/order", {"ids": [purchase.pk]}, status=422)
        self.assertIn("costs 17.00 each at 1 now. Nothing was ordered", said["detail"])
        purchase.refresh_from_db()
        self.assertEqual(purchase.state, "planned")

    def test_without_a_supplier_it_is_ordered_by_hand(self):
        purchase = self.bought()
        with mock.patch.dict(os.environ, {"SORTIS_SUPPLIER_URL": ""}):
            said = self.api("post", "stock/purchases/order", {"ids": [purchase.pk]}, status=422)
            self.assertIn("order by hand", said["detail"])
            by_hand = {"ids": [purchase.pk], "how": "hand", "reference": "phone 12"}
            self.api("post", "stock/purchases/order", by_hand)
            self.api("post", "stock/purchases/order", by_hand, status=422)
        purchase.refresh_from_db()
        self.assertEqual((purchase.state, purchase.reference), ("ordered", "phone 12"))

    def test_a_supplier_that_is_down_or_babbles_is_told_of(self):
        with mock.patch.dict(os.environ, {"SORTIS_SUPPLIER_URL": "http://127.0.0.1:9"}):
            said = self.api("post", "stock/quotes", status=422)
        self.assertIn("does not answer", said["detail"])
        with mock.patch("sortis_server.stock.supplier.call_supplier", return_value=b"[1]"):
            said = self.api("post", "stock/quotes", status=422)
        self.assertIn("not the agreed one", said["detail"])


class TwoPlannersOfTwoBatches(Deciding, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def test_two_batches_that_want_the_last_part_get_it_once(self):
        Lot.objects.filter(kind__key="sodimm-ddr4-8").update(promised=0)
        keep = Lot.objects.filter(kind__key="sodimm-ddr4-8").order_by("pk").first()
        for lot in Lot.objects.filter(kind__key__startswith="sodimm-ddr4").exclude(pk=keep.pk):
            move(lot, -lot.on_hand, "gone", self.marit)
        move(keep, 1 - keep.on_hand, "one left", self.marit)
        OfferRow.objects.update(limit=0)
        rows = []
        first = self.batch
        for name in ("One", "Two"):
            self.batch = make_batch(name, "t", first.arrived_on, first.due_on, 0, 600)
            (unit,) = self.announce("stilt")
            self.inspect(unit, m2="-")
            rows.append((self.batch, begin_plan(self.batch, self.marit, Dials())))
        said: list[str] = []
        gate = threading.Barrier(2)

        def approve_one(batch, row):
            try:
                gate.wait()
                approve(batch, row.number, Person.objects.get(username="marit"))
                said.append("approved")
            except StaleVersion as stale:
                said.append(stale.sentence)
            finally:
                connection.close()

        threads = [threading.Thread(target=approve_one, args=row) for row in rows]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(said, key=len)[0], "approved", said)
        self.assertEqual(len([words for words in said if words == "approved"]), 1, said)
        keep.refresh_from_db()
        self.assertEqual((keep.on_hand, keep.promised), (1, 1))
