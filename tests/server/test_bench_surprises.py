"""At the bench: scans, surprises, rests, hand-overs, ticks kept while not connected."""

from datetime import timedelta

from django.db.models import Sum
from django.test import TestCase
from django.utils import timezone

from sortis_core.route.pace import PRIOR_TIMES
from sortis_server.decide.models import PlanRow
from sortis_server.inspect.services import findings_of
from sortis_server.orders.models import StepLog, WorkOrderRow
from sortis_server.orders.orders import lies_open
from sortis_server.orders.pace import pace_of, recorded_times
from sortis_server.orders.parts import withdraw_unbegun
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot
from sortis_server.stock.services import lot_code
from sortis_server.workshop.models import OfferRow
from tests.server.workshop import Workshop


class AtTheBench(Workshop):
    """Helpers that work an order through the API."""

    def decided(self, *units_and_entries) -> None:
        for unit, entries in units_and_entries:
            self.inspect(unit, **entries)
        self.approve(self.plan())

    def order(self, unit) -> WorkOrderRow:
        return unit.orders.order_by("-pk").first()

    def post(self, unit, what: str, *, person=None, status=200, **more) -> dict:
        body = {"version": self.order(unit).version} | more
        path = f"units/{unit.tag}/work/{what}"
        return self.api("post", path, body, person=person, status=status)

    def view(self, unit) -> dict:
        return self.api("get", f"units/{unit.tag}/work")

    def tick_to(self, unit, key: str) -> dict:
        """Tick until the step with this key is in hand."""
        for _ in range(40):
            view = self.view(unit)
            if view["work"]["steps"][view["done_steps"]]["key"] == key:
                return view
            self.post(unit, "tick")
        self.fail(f"{key} never came")

    def tick_out(self, unit) -> dict:
        for _ in range(60):
            view = self.post(unit, "tick")
            if view["state"] != "open":
                return view
        self.fail("the order never ended")

    def stock_is_true(self) -> None:
        """Counts are sums of movements, and promises those of open orders."""
        for lot in Lot.objects.all():
            moved = lot.movements.aggregate(total=Sum("change"))["total"] or 0
            promised = lot.reservation_set.filter(taken=False, order__state="open").count()
            self.assertEqual((lot.on_hand, lot.promised), (moved, promised), str(lot))


class Surprises(AtTheBench, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_a_dead_slot_changes_the_work_and_what_is_open_stays_open(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m1": "4", "m2": "4"}))
        before = self.tick_to(unit, "at:m1")
        opened = {s["key"] for s in before["work"]["steps"][: before["done_steps"]]}
        view = self.post(unit, "surprise", kind="dead", place="m2")
        self.assertEqual(view["surprises"][0]["advice"], "change")
        unit.refresh_from_db()
        self.assertEqual(findings_of(unit).module("m2").state, "dead")
        keys = [step["key"] for step in view["work"]["steps"]]
        self.assertFalse(opened & set(keys))
        self.assertNotIn("at:m2", keys)
        # What lay in the tray before still goes back in.
        self.assertIn("panel_off:back", keys)
        self.tick_out(unit)
        self.assertEqual(self.stage(unit), "release")
        self.stock_is_true()

    def test_a_screw_that_does_not_matter_lets_the_work_go_on(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.post(unit, "tick")
        view = self.post(unit, "surprise", kind="screw", words="one is worn")
        self.assertEqual(view["surprises"][0]["advice"], "go_on")
        self.assertEqual(view["done_steps"], 1)
        self.tick_out(unit)
        self.stock_is_true()

    def test_a_missing_set_of_screws_is_fitted_in_the_same_opening(self):
        (unit,) = self.announce("folio")
        self.decided((unit, {"m1": "4"}))
        self.tick_to(unit, "at:m1")
        view = self.post(unit, "surprise", kind="screw", place="base_screws")
        fitted = {a["place"] for step in view["work"]["steps"] for a in step["actions"]}
        self.assertEqual(fitted, {"m1", "base_screws"})
        self.tick_out(unit)
        unit.refresh_from_db()
        self.assertEqual(findings_of(unit).part("base_screws"), "present")
        self.stock_is_true()

    def test_the_part_to_fit_is_broken_and_another_is_promised(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.tick_to(unit, "at:m2")
        lot = self.order(unit).reservations.get().lot
        count = Lot.objects.filter(kind=lot.kind).aggregate(n=Sum("on_hand"))["n"]
        view = self.post(
            unit,
            "surprise",
            kind="new_part",
            place="m2",
            words="bent contacts",
        )
        self.assertEqual(view["surprises"][0]["advice"], "change")
        left = Lot.objects.filter(kind=lot.kind).aggregate(n=Sum("on_hand"))["n"]
        self.assertEqual(left, count - 1)
        self.assertIn("bent contacts", lot.movements.order_by("-pk").first().reason)
        self.tick_out(unit)
        self.stock_is_true()

    def test_what_differs_is_typed_and_what_comes_out_is_booked_right(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m1": "8", "m2": "-"}))
        self.tick_to(unit, "at:m2")
        refused = self.post(unit, "surprise", kind="differs", place="m2", entry="ddr3", status=422)
        self.assertIn("DDR4 only", refused["detail"])
        self.post(unit, "surprise", kind="differs", place="m2", entry="4")
        view = self.tick_out(unit)
        self.assertEqual(view["state"], "done")
        out = Lot.objects.filter(place=f"out of {unit.tag}", on_hand__gt=0)
        self.assertEqual([lot.kind.key for lot in out], ["sodimm-ddr4-4"])
        self.stock_is_true()

    def test_a_find_that_changes_nothing_ahead_goes_on_and_is_kept(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m1": "8", "m2": "-", "d2": "-"}))
        self.tick_to(unit, "at:m2")
        self.post(unit, "tick")
        view = self.post(unit, "surprise", kind="differs", place="m1", entry="16")
        self.assertEqual(view["surprises"][0]["advice"], "go_on")
        # What goes on can still be taken back as if nothing had been said.
        self.post(unit, "back")
        unit.refresh_from_db()
        self.assertEqual(findings_of(unit).module("m2").state, "empty")
        self.tick_out(unit)
        unit.refresh_from_db()
        found = findings_of(unit)
        self.assertEqual((found.module("m1").gb, found.module("m2").gb), (16, 8))
        self.stock_is_true()

    def test_no_way_from_here_closes_the_unit_and_waits_for_the_batch(self):
        (unit,) = self.announce("lern")
        self.decided((unit, {"p1": "12/38 90c"}))
        self.tick_to(unit, "pack_out:back")
        view = self.post(unit, "surprise", kind="broke", place="starts")
        self.assertEqual(view["surprises"][0]["advice"], "stop")
        self.assertTrue(view["closing"])
        self.assertNotIn("check", [step["key"] for step in view["work"]["steps"]])
        self.assertEqual(view["work"]["steps"][-1]["tray"], [])
        self.tick_out(unit)
        self.assertEqual(self.stage(unit), "decide")
        self.stock_is_true()

    def test_left_open_it_is_gone_on_with_where_it_lies(self):
        (unit,) = self.announce("lern")
        self.decided((unit, {"p1": "12/38 90c"}))
        self.tick_to(unit, "pack_out:back")
        self.post(unit, "surprise", kind="broke", place="keyboard")
        self.assertTrue(self.view(unit)["closing"])
        self.post(unit, "leave")
        self.assertEqual(self.stage(unit), "decide")
        plan = self.plan()
        self.approve(plan)
        view = self.view(unit)
        keys = [step["key"] for step in view["work"]["steps"]]
        self.assertNotIn("base_off", keys)
        self.assertIn("base_off:back", keys)
        # It left the bench meanwhile: nothing inside is touched before that is seen.
        self.assertEqual(keys[0], "isolated")
        self.assertIn("isolate", [c["key"] for c in view["work"]["steps"][0]["cautions"]])
        self.stock_is_true()
        # Withdrawn before anybody begins it, it still lies open for the order after.
        withdraw_unbegun(self.order(unit).reservations.first())
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "decide")
        self.assertIn("base_off", lies_open(unit).opened)

    def test_a_unit_that_lies_open_is_closed_before_it_is_released(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.tick_to(unit, "fan_up")
        self.post(unit, "stop", words="fetched too early")
        self.inspect(unit, m1="8", m2="8")
        self.approve(self.plan())
        self.assertEqual(self.stage(unit), "fit")
        keys = [step["key"] for step in self.view(unit)["work"]["steps"]]
        self.assertIn("panel_off:back", keys)
        self.assertEqual(keys[-1], "check")
        self.tick_out(unit)
        self.assertEqual(self.stage(unit), "release")

    def test_a_screen_with_the_old_order_never_ticks_the_new_one(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m1": "4", "m2": "4"}))
        seen = self.order(unit).version
        self.post(unit, "surprise", kind="dead", place="m2")
        self.assertGreater(self.order(unit).version, seen)
        path = f"units/{unit.tag}/work/tick"
        self.api("post", path, {"version": seen}, status=409)

    def test_a_swollen_pack_blocks_the_unit_and_frees_its_parts(self):
        (unit,) = self.announce("lern")
        self.decided((unit, {"p1": "12/38 90c"}))
        self.tick_to(unit, "pack_unplug")
        view = self.post(unit, "surprise", kind="swollen", place="p1")
        self.assertEqual(view["surprises"][0]["advice"], "danger")
        unit.refresh_from_db()
        self.assertTrue(unit.blocked)
        self.assertEqual((view["state"], unit.stage), ("stopped", "inspect"))
        self.assertEqual(unit.hazards.get().kind, "swollen")
        self.post(unit, "tick", status=422)
        self.stock_is_true()

    def test_started_by_itself_blocks_the_unit(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.post(unit, "tick")
        view = self.post(unit, "surprise", kind="lit")
        self.assertEqual(view["surprises"][0]["advice"], "danger")
        unit.refresh_from_db()
        self.assertTrue(unit.blocked)

    def test_a_donor_keeps_what_broke_and_its_taker_is_planned_again(self):
        dead, short = self.announce("stilt", "stilt")
        Lot.objects.filter(kind__key="speaker-qs2").delete()
        self.decided((dead, {"starts": "x"}), (short, {"speaker": "-"}))
        view = self.view(dead)
        self.assertIn(short.tag, [d["words"].split(",")[0] for d in view["goes_to"]])
        self.assertTrue(view["remains"])
        self.post(dead, "tick")
        view = self.post(dead, "surprise", kind="broke", place="speaker")
        self.assertIn(f"{short.tag} waited for a part of it", view["surprises"][0]["sentence"])
        self.assertEqual(self.stage(short), "decide")
        places = {a["place"] for step in view["work"]["steps"] for a in step["actions"]}
        self.assertNotIn("speaker", places)
        self.stock_is_true()

    def test_the_plan_of_a_surprise_is_kept_and_is_no_plan_of_the_batch(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m1": "4", "m2": "4"}))
        self.tick_to(unit, "at:m1")
        self.post(unit, "surprise", kind="dead", place="m2")
        row = PlanRow.objects.exclude(cause="").get()
        self.assertIn(unit.tag, row.cause)
        listed = self.api("get", f"batches/{self.batch.slug}/plan")["plans"]
        self.assertNotIn(row.number, [plan["number"] for plan in listed])

    def test_what_does_not_go_with_the_place_is_refused_and_changes_nothing(self):
        (unit,) = self.announce("stilt")
        self.decided((unit, {"m2": "-"}))
        self.post(unit, "tick")
        version = self.order(unit).version
        for kind, place, said in (
            ("dead", "feet", "Say which slot or socket"),
            ("swollen", "m1", "Say which pack"),
            ("new_part", "m1", "No part waits"),
            ("differs", "m1", "Type what really sits"),
        ):
            refused = self.post(unit, "surprise", kind=kind, place=place, status=422)
            self.assertIn(said, refused["detail"])
        self.assertEqual(self.order(unit).version, version)
        self.stock_is_true()


class Scans(AtTheBench, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def scan(self, unit, code: str, **more) -> dict:
        return self.api(
            "post", f"units/{unit.tag}/work/scan", {"code": code} | more.pop("b", {}), **more
        )

    def test_right_wrong_and_promised_parts(self):
        first, second = self.announce("stilt", "stilt")
        self.decided((first, {"m2": "-"}), (second, {"m2": "-"}))
        mine = self.order(first).reservations.get()
        wrong = Lot.objects.exclude(kind=mine.kind).filter(on_hand__gt=0).first()
        said = self.scan(first, lot_code(wrong), status=422)["detail"]
        self.assertIn(f"{lot_code(wrong)} holds", said)
        self.assertIn("8 GB", said)
        self.assertIn("code of no lot", self.scan(first, "XYZ", status=422)["detail"])
        view = self.scan(first, f" {lot_code(mine.lot).lower()} ")
        self.assertEqual(view["fetch"][0]["state"], "confirmed")
        again = self.scan(first, lot_code(mine.lot), status=422)["detail"]
        self.assertIn("confirmed already", again)

    def test_another_lot_is_refused_with_whom_it_is_promised_to_or_taken_instead(self):
        first, second = self.announce("stilt", "stilt")
        self.decided((first, {"m2": "-"}), (second, {"m2": "-"}))
        mine = self.order(first).reservations.get()
        other = Lot.objects.create(
            kind=mine.kind, condition="new", place="drawer 9", unit_cost_cents=900
        )
        Lot.objects.filter(pk=other.pk).update(on_hand=1, promised=1)
        theirs = self.order(second).reservations.get()
        theirs.lot.promised -= 1
        theirs.lot.save()
        theirs.lot = other
        theirs.save()
        said = self.scan(first, lot_code(other), status=422)["detail"]
        self.assertIn(f"promised to {second.tag}", said)
        Lot.objects.filter(pk=other.pk).update(on_hand=2)
        refused = self.scan(first, lot_code(other), status=422)
        self.assertEqual(refused["facts"]["instead"], lot_code(other))
        view = self.scan(first, lot_code(other), b={"instead": True})
        self.assertEqual(
            (view["fetch"][0]["lot"], view["fetch"][0]["state"]), (lot_code(other), "confirmed")
        )
        mine.lot.refresh_from_db()
        self.assertEqual(mine.lot.promised, 0)


class Clock(AtTheBench, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        cls.tomas = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")

    def setUp(self):
        (self.unit,) = self.announce("stilt")
        self.decided((self.unit, {"m2": "-"}))

    def started(self, seconds: float) -> None:
        """Let the clock of the step in hand have run so long."""
        since = timezone.now() - timedelta(seconds=seconds)
        WorkOrderRow.objects.filter(pk=self.order(self.unit).pk).update(clock_from=since)

    def test_a_colleague_takes_over_at_the_same_step(self):
        self.post(self.unit, "begin")
        self.post(self.unit, "tick")
        said = self.post(self.unit, "tick", person=self.tomas, status=422)
        self.assertIn("Marit Dohl has this order at step 2", said["detail"])
        view = self.post(self.unit, "begin", person=self.tomas)
        self.assertEqual((view["done_steps"], view["clock"]["mine"]), (1, True))
        self.post(self.unit, "tick", person=self.tomas)
        self.assertIn("Tomas Reyl has", self.post(self.unit, "tick", status=422)["detail"])

    def test_time_runs_by_itself_rests_and_is_no_measure_when_told_so(self):
        self.post(self.unit, "begin")
        self.started(60)
        view = self.post(self.unit, "pause")
        self.assertFalse(view["clock"]["running"])
        self.assertAlmostEqual(view["clock"]["seconds"], 60, delta=2)
        self.post(self.unit, "begin")
        self.started(30)
        self.post(self.unit, "tick")
        line = StepLog.objects.get(what="done")
        self.assertAlmostEqual(line.seconds, 90, delta=2)
        self.started(3000)
        view = self.post(self.unit, "discount")
        self.assertFalse(view["clock"]["counts"])
        self.post(self.unit, "tick")
        self.assertIsNone(StepLog.objects.filter(what="done").order_by("-pk").first().seconds)

    def test_a_step_ticked_back_teaches_nothing(self):
        self.post(self.unit, "begin")
        self.started(60)
        self.post(self.unit, "tick")
        self.assertEqual(len(recorded_times("quarrin-stilt-q2")), 1)
        self.post(self.unit, "back")
        self.assertEqual(recorded_times("quarrin-stilt-q2"), [])

    def test_recorded_times_move_the_next_order_and_the_plan(self):
        steps = self.view(self.unit)["work"]["steps"]
        self.post(self.unit, "begin")
        for _ in range(len(steps)):
            step = self.view(self.unit)["work"]["steps"][self.order(self.unit).done_steps]
            self.started(step["sheet_minutes"] * 120)
            view = self.post(self.unit, "tick")
        self.assertEqual(view["state"], "done")
        factor = pace_of("quarrin-stilt-q2").of("panel_off").factor
        self.assertAlmostEqual(factor, (PRIOR_TIMES + 2) / (PRIOR_TIMES + 1), delta=0.02)
        (again,) = self.announce("stilt")
        self.inspect(again, m2="-")
        plan = self.whole(self.plan())
        (minutes,) = [o["minutes"] for o in plan["outcomes"] if o["tag"] == again.tag]
        self.approve(self.plan())
        later = self.view(again)
        self.assertGreater(later["work"]["minutes"], sum(s["sheet_minutes"] for s in steps))
        self.assertGreater(later["estimate"]["times"], 0)
        self.assertLess(later["estimate"]["low"], later["estimate"]["high"])
        self.assertAlmostEqual(minutes, later["work"]["minutes"] + 2.0, delta=0.2)

    def test_a_tick_sent_twice_counts_once_and_keeps_the_time_of_the_screen(self):
        body = {"version": 1, "token": "a-tick", "seconds": 41.5}
        self.post(self.unit, "begin")
        body["version"] = 2
        path = f"units/{self.unit.tag}/work/tick"
        self.api("post", path, body)
        view = self.api("post", path, body)
        self.assertEqual(view["done_steps"], 1)
        self.assertEqual(StepLog.objects.get(what="done").seconds, 41.5)

    def test_only_technicians_work_at_the_bench(self):
        for what in ("begin", "pause", "discount", "tick", "back", "leave"):
            self.post(self.unit, what, person=self.ines, status=403)
        self.api(
            "post",
            f"units/{self.unit.tag}/work/scan",
            {"code": "LOT-1"},
            person=self.ines,
            status=403,
        )
        self.assertTrue(OfferRow.objects.exists())
