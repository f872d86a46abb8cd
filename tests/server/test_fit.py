from django.db.models import Sum
from django.test import TestCase

from sortis_server.inspect.services import findings_of
from sortis_server.orders.models import WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot, Movement, Purchase
from sortis_server.stock.services import StockRefused, expected_on, move
from sortis_server.workshop.models import OfferRow
from tests.server.workshop import Workshop


class Bench(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def decided(self, *units_and_entries):
        for unit, entries in units_and_entries:
            self.inspect(unit, **entries)
        self.approve(self.plan())

    def tick(self, unit, **more):
        order = WorkOrderRow.objects.get(unit=unit)
        return self.api("post", f"units/{unit.tag}/work/tick", {"version": order.version}, **more)

    def tick_until(self, unit, state="done"):
        for _ in range(40):
            view = self.tick(unit)
            if view["state"] == state:
                return view
        self.fail("the order never ended")

    def counts_are_sums_of_movements(self):
        for lot in Lot.objects.all():
            moved = lot.movements.aggregate(total=Sum("change"))["total"] or 0
            self.assertEqual(lot.on_hand, moved, str(lot))

    def free_modules(self) -> int:
        return sum(lot.on_hand for lot in Lot.objects.filter(kind__key="sodimm-ddr4-8"))

    def test_parts_leave_displaced_parts_enter_and_findings_follow(self):
        (unit,) = self.announce("stilt")
        before = self.free_modules()
        self.decided((unit, {"m1": "4", "m2": "4"}))
        view = self.tick_until(unit)
        fitted = [a for step in view["work"]["steps"] for a in step["actions"]]
        self.assertTrue(fitted)
        self.assertEqual(self.stage(unit), "release")
        unit.refresh_from_db()
        self.assertGreaterEqual(sum(m.gb for m in findings_of(unit).modules.values()), 16)
        used = sum(a["kind"] == "sodimm-ddr4-8" for a in fitted)
        self.assertEqual(self.free_modules(), before - used)
        out = Lot.objects.filter(place=f"out of {unit.tag}").aggregate(n=Sum("on_hand"))["n"]
        self.assertEqual(out, sum(bool(a["takes_out"]) for a in fitted))
        self.counts_are_sums_of_movements()
        self.assertEqual(sum(lot.promised for lot in Lot.objects.all()), 0)

    def test_a_drive_that_held_data_waits_for_its_record(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"d1": "h500"}))
        self.tick_until(unit)
        lot = Lot.objects.get(kind__key="disk-500-bay")
        self.assertEqual((lot.on_hand, lot.condition), (1, "unsanitised"))

    def test_back_moves_parts_back(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        before = self.free_modules()
        order = WorkOrderRow.objects.get(unit=unit)
        steps = order.document["steps"]
        acts = next(n for n, step in enumerate(steps) if step["actions"])
        for _ in range(acts + 1):
            self.tick(unit)
        self.assertEqual(self.free_modules(), before - 1)
        order.refresh_from_db()
        view = self.api("post", f"units/{unit.tag}/work/back", {"version": order.version})
        self.assertEqual(view["done_steps"], acts)
        self.assertEqual(self.free_modules(), before)
        self.assertEqual(sum(lot.promised for lot in Lot.objects.all()), 1)
        self.counts_are_sums_of_movements()

    def test_a_second_screen_is_told_and_shown_the_same(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.tick(unit)
        said = self.api("post", f"units/{unit.tag}/work/tick", {"version": 1}, status=409)
        self.assertIn("another screen: step 1 is done there, and Marit Dohl has it", said["detail"])
        self.assertEqual(WorkOrderRow.objects.get().done_steps, 1)

    def test_of_two_who_begin_at_once_the_second_hears_who_was_first(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        other = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")
        seen = {"version": WorkOrderRow.objects.get().version}
        self.api("post", f"units/{unit.tag}/work/begin", seen)
        said = self.api("post", f"units/{unit.tag}/work/begin", seen, status=409, person=other)
        self.assertIn(
            "another screen: no step is done there, and Marit Dohl has it", said["detail"]
        )

    def test_a_tick_ends_the_step_that_was_seen_and_no_other(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.tick(unit)
        now = WorkOrderRow.objects.get()
        # The screen heard of the new version, and whoever pressed the key had not looked yet.
        seen = {"version": now.version, "step": 0}
        said = self.api("post", f"units/{unit.tag}/work/tick", seen, status=409)
        self.assertIn("step 1 is done there", said["detail"])
        self.api("post", f"units/{unit.tag}/work/tick", seen | {"step": 1})
        self.assertEqual(WorkOrderRow.objects.get().done_steps, 2)

    def test_a_part_in_a_donor_is_awaited_and_handed_over(self):
        dead, short = self.announce("stilt", "stilt")
        Lot.objects.filter(kind__key="speaker-qs2").delete()
        self.decided((dead, {"starts": "x"}), (short, {"speaker": "-"}))
        fetch = self.api("get", f"units/{short.tag}/work")["fetch"]
        self.assertEqual((fetch[0]["state"], fetch[0]["where"]), ("in_unit", dead.tag))
        said = None
        for _ in range(30):
            order = WorkOrderRow.objects.get(unit=short)
            client = self.client_of(self.marit)
            answer = client.post(
                f"/api/units/{short.tag}/work/tick",
                {"version": order.version},
                content_type="application/json",
            )
            if answer.status_code != 200:
                said = answer.json()
                break
        self.assertIn(f"still in {dead.tag}", said["detail"])
        self.tick_until(dead)
        self.assertEqual(self.stage(dead), "parted")
        # What comes out of a unit that does not start was never seen working: it is tried first.
        untried = WorkOrderRow.objects.get(unit=short).reservations.get(lot__isnull=False)
        self.assertEqual(untried.lot.condition, "untested")
        version = WorkOrderRow.objects.get(unit=short).version
        path = f"units/{short.tag}/work/tick"
        said = self.api("post", path, {"version": version}, status=422)
        self.assertIn("was not tried yet", said["detail"])
        self.api("post", f"stock/lots/{untried.lot_id}/settled", {"good": 1, "bad": 0})
        self.assertEqual(self.tick_until(short)["state"], "done")
        self.counts_are_sums_of_movements()

    def test_where_units_are_by_now_stands_beside_what_was_decided(self):
        work, whole = self.announce("stilt", "stilt")
        self.decided((work, {"m2": "-"}), (whole, {}))

        def now() -> dict[str, str]:
            told = self.api("get", f"batches/{self.batch.slug}/plan")["moved"]
            return {one["tag"]: one["words"] for one in told}

        self.assertEqual(now(), {})
        view = self.tick(work)
        steps = len(view["work"]["steps"])
        self.assertEqual(now(), {work.tag: f"at the bench, 1 of {steps} steps done"})
        self.tick_until(work)
        self.assertEqual(now(), {work.tag: "fitted, at its last check"})
        self.release(whole)
        self.assertEqual(now()[whole.tag], "released")

    def test_a_part_on_order_is_awaited_and_booked_in(self):
        (unit,) = self.announce("lern")
        self.decided((unit, {"keyboard": "x"}))
        view = self.api("get", f"units/{unit.tag}/work")
        (fetch,) = view["fetch"]
        self.assertEqual((fetch["state"], fetch["here"]), ("to_be_ordered", False))
        fitted = [
            number
            for number, step in enumerate(view["work"]["steps"], start=1)
            if any(action["verb"] == "fit" for action in step["actions"])
        ]
        self.assertEqual([fetch["step"]], fitted)
        purchase = Purchase.objects.get()
        self.assertEqual(fetch["due"], expected_on(purchase).isoformat())
        path = f"batches/{self.batch.slug}/work"
        self.assertIn("to be ordered", self.api("get", path)[0]["waits_for"][0])
        begin = f"units/{unit.tag}/work/begin"
        seen = {"version": view["version"]}
        said = self.api("post", begin, seen, status=422)
        self.assertIn(f"{unit.tag} waits for Keyboard, Lern 11 (to be ordered)", said["detail"])
        self.assertIsNone(WorkOrderRow.objects.get().begun_at)
        Purchase.objects.update(state="ordered")
        view = self.api("post", begin, seen | {"on_purpose": True})
        self.assertEqual((view["clock"]["mine"], view["fetch"][0]["state"]), (True, "on_order"))
        # Begun once, it rests and goes on as any other.
        for then in ("pause", "begin"):
            seen = {"version": view["version"]}
            view = self.api("post", f"units/{unit.tag}/work/{then}", seen)
        self.assertTrue(view["clock"]["mine"])
        self.api("post", f"stock/purchases/{purchase.pk}/arrived", {"place": "shelf A-1"})
        fetch = self.api("get", f"units/{unit.tag}/work")["fetch"][0]
        self.assertEqual((fetch["state"], fetch["where"]), ("ready", "shelf A-1"))
        twice = self.api(
            "post", f"stock/purchases/{purchase.pk}/arrived", {"place": "x"}, status=422
        )
        self.assertIn("already", twice["detail"])
        self.tick_until(unit)
        self.counts_are_sums_of_movements()

    def test_what_goes_in_along_with_a_part_is_fetched_and_leaves_its_own_lot(self):
        (unit,) = self.announce("stilt")
        kept = ("nvme-256-2242", "bracket-2242-2280")
        for lot in Lot.objects.select_related("kind").exclude(kind__key__in=kept):
            if "256" in lot.kind.key or "512" in lot.kind.key or "1000" in lot.kind.key:
                move(lot, -lot.on_hand, "gone", self.marit)
        OfferRow.objects.update(limit=0)
        self.decided((unit, {"d1": "-", "d2": "-"}))
        fetch = self.api("get", f"units/{unit.tag}/work")["fetch"]
        places = {(part["label"], part["for_place"]) for part in fetch}
        self.assertIn(("M.2 bracket 2242 to 2280", "M.2 socket"), places)
        bracket = Lot.objects.get(kind__key="bracket-2242-2280")
        self.assertEqual(bracket.promised, 1)
        self.tick_until(unit)
        bracket.refresh_from_db()
        self.assertEqual((bracket.on_hand, bracket.promised), (2, 0))
        self.counts_are_sums_of_movements()

    def test_not_as_written_gives_promises_back_and_returns_the_unit(self):
        (unit,) = self.announce("stilt")
        unit.notes = "dent at the rear"
        unit.save()
        self.decided((unit, {"m2": "-"}))
        self.tick(unit)
        path = f"units/{unit.tag}/work/stop"
        self.assertIn(
            "few words", self.api("post", path, {"version": 2, "words": ""}, status=422)["detail"]
        )
        view = self.api("post", path, {"version": 2, "words": "slot 2 is cracked"})
        self.assertEqual((view["state"], self.stage(unit)), ("stopped", "inspect"))
        back = self.api("get", f"units/{unit.tag}/inspection")
        self.assertEqual(back["back_for"], "not as written: slot 2 is cracked")
        self.assertEqual(back["notes"], "dent at the rear")
        self.assertEqual(sum(lot.promised for lot in Lot.objects.all()), 0)
        self.assertIn("stopped", self.tick(unit, status=422)["detail"])

    def test_stopping_a_donor_others_wait_for_names_them(self):
        dead, short = self.announce("stilt", "stilt")
        self.decided((dead, {"starts": "x"}), (short, {"speaker": "-"}))
        said = self.api(
            "post",
            f"units/{dead.tag}/work/stop",
            {"version": 1, "words": "gone missing"},
            status=422,
        )
        self.assertIn(f"{short.tag} waits for parts of {dead.tag}", said["detail"])

    def test_no_count_falls_below_zero_or_below_what_is_promised(self):
        lot = Lot.objects.filter(on_hand__gt=0).first()
        with self.assertRaises(StockRefused):
            move(lot, -lot.on_hand - 1, "test", self.marit)
        Lot.objects.filter(pk=lot.pk).update(promised=lot.on_hand)
        with self.assertRaises(StockRefused):
            move(lot, -1, "test", self.marit)
        self.counts_are_sums_of_movements()
        self.assertFalse(Movement.objects.filter(reason="test").exists())

    def test_the_cable_of_a_disk_that_goes_serves_a_unit_without_one(self):
        giver, taker = self.announce("folio", "folio")
        for lot in Lot.objects.filter(kind__key="bay-cable-of15"):
            move(lot, -lot.on_hand, "gone", self.marit)
        OfferRow.objects.filter(kind__key="bay-cable-of15").delete()
        whole = {"m0": "8", "m1": "8", "p1": "45/46 9c"}
        self.decided(
            (giver, whole | {"trim": "disk", "d1": "-", "d2": "h500"}),
            (taker, whole | {"trim": "disk", "d1": "-", "d2": "s256", "bay_cable": "-"}),
        )
        fetch = self.api("get", f"units/{taker.tag}/work")["fetch"]
        self.assertIn((giver.tag, "in_unit"), [(row["where"], row["state"]) for row in fetch])
        self.assertEqual(self.api("get", f"units/{giver.tag}/work")["stays_out"], [])
        self.tick_until(giver)
        out = self.api("get", f"units/{giver.tag}/work")["stays_out"]
        where = {part["place"]: part["words"] for part in out}
        self.assertEqual(where["bay_cable"], f"for {taker.tag}")
        others = {words for place, words in where.items() if place != "bay_cable"}
        self.assertLessEqual(others, {"to the store"})
        self.tick_until(taker)
        self.assertEqual(self.api("get", f"units/{taker.tag}/work")["stays_out"], [])
        self.assertEqual({self.stage(unit) for unit in (giver, taker)}, {"release"})
        for unit in (giver, taker):
            unit.refresh_from_db()
        self.assertEqual(findings_of(taker).part("bay_cable"), "present")
        self.assertEqual(findings_of(giver).part("bay_cable"), "missing")
        self.counts_are_sums_of_movements()
