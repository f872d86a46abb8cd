"""The day at the benches through the API."""

import io
from datetime import UTC, datetime, timedelta
from unittest import mock

from django.test import TestCase
from icalendar import Calendar
from pypdf import PdfReader

from sortis_core.day import DayCase, DayPlan, day_faults
from sortis_server.day.models import DayPlanRow
from sortis_server.orders.models import WorkOrderRow
from sortis_server.people.models import Person
from tests.server.workshop import Workshop

MORNING = datetime(2026, 11, 26, 7, 0, tzinfo=UTC)
WEEK = {str(day): [[480, 720], [765, 990]] for day in range(7)}


class TheDay(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        cls.tomas = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")

    def setUp(self):
        clock = mock.patch("sortis_server.day.api._now", side_effect=lambda: self.now)
        clock.start()
        self.addCleanup(clock.stop)
        self.now = MORNING
        self.units = self.announce("stilt", "stilt", "folio")
        for unit in self.units:
            self.inspect(
                unit, **({"m1": "-"} if unit.sheet_key.startswith("ombrel") else {"m2": "-"})
            )
        self.approve(super().plan())

    def hours(self, username: str, hours=WEEK, status=200, version=0, skills=("bench", "setup")):
        body = {"skills": list(skills), "hours": hours, "version": version}
        return self.api("put", f"day/hours/{username}", body, status=status)

    def staffed(self):
        self.hours("marit")
        self.hours("tomas")

    def kept(self, pins=None) -> dict:
        return self.api("post", "day", {"pins": pins})

    def test_without_hours_it_says_what_to_do_first(self):
        said = self.api("get", "day", status=422)
        self.assertIn("Nobody has hours at a bench", said["detail"])

    def test_every_open_order_stands_once_within_hours(self):
        self.staffed()
        view = self.kept()
        self.assertEqual({o["tag"] for o in view["orders"]}, {u.tag for u in self.units})
        row = DayPlanRow.objects.get()
        case, plan = DayCase.model_validate(row.case), DayPlan.model_validate(row.plan)
        self.assertEqual(day_faults(case, plan), [])
        self.assertEqual(view["late"], 0)
        document = self.api("get", "day/day.json")
        self.assertEqual(DayCase.model_validate(document["case"]), case)

    def test_a_move_is_tried_with_its_effect_and_kept_only_then(self):
        self.staffed()
        before = self.kept()
        order = before["orders"][0]
        other = "tomas" if order["technician"] == "marit" else "marit"
        pins = [{"tag": order["tag"], "technician": other, "stretch": 765}]
        tried = self.api("post", "day/try", {"pins": pins})
        there = next(o for o in tried["orders"] if o["tag"] == order["tag"])
        self.assertEqual((there["technician"], there["start"], there["put"]), (other, 765, True))
        self.assertIn(order["tag"], [m["tag"] for m in tried["moved"]])
        self.assertEqual(DayPlanRow.objects.count(), 1)
        self.assertEqual(self.api("get", "day")["orders"], before["orders"])
        self.kept(pins)
        now = self.api("get", "day")
        self.assertEqual(now["pins"], pins)
        # What was put by hand stays put when the day is planned again.
        again = self.kept()
        self.assertEqual(again["pins"], pins)

    def test_two_who_plan_the_day_at_once_one_is_told(self):
        self.staffed()
        seen = self.kept()["number"]
        self.api("post", "day", {"pins": None, "seen": seen})
        said = self.api("post", "day", {"pins": None, "seen": seen}, status=409)
        self.assertIn("Marit Dohl planned the days meanwhile", said["detail"])
        self.assertEqual(DayPlanRow.objects.count(), 2)

    def test_after_a_surprise_it_is_planned_again_with_few_changes(self):
        self.staffed()
        before = self.kept()
        gone = self.units[0]
        WorkOrderRow.objects.filter(unit=gone).update(state="done", open_unit=None)
        self.announce("stilt")
        after = self.kept()
        self.assertNotIn(gone.tag, [o["tag"] for o in after["orders"]])
        people = {o["tag"]: o["technician"] for o in before["orders"]}
        self.assertTrue(all(people[o["tag"]] == o["technician"] for o in after["orders"]))

    def test_a_blocked_unit_is_never_planned(self):
        self.staffed()
        unit = self.units[0]
        unit.refresh_from_db()
        unit.blocked = True
        unit.save()
        view = self.kept()
        self.assertNotIn(unit.tag, [o["tag"] for o in view["orders"]])
        self.assertIn(
            "Blocked by a danger", {w["tag"]: w["reason"] for w in view["waits"]}[unit.tag]
        )

    def test_whoever_has_begun_goes_on_with_it(self):
        self.staffed()
        self.api("post", f"units/{self.units[0].tag}/work/begin", {"version": 1}, person=self.tomas)
        view = self.kept()
        mine = next(o for o in view["orders"] if o["tag"] == self.units[0].tag)
        self.assertEqual(mine["technician"], "tomas")

    def test_the_rest_of_a_day_that_has_begun(self):
        self.staffed()
        self.now = MORNING.replace(hour=11, minute=2)
        view = self.kept()
        self.assertTrue(all(o["start"] >= 665 for o in view["orders"] if o["day"] == "2026-11-26"))

    def test_it_tells_when_it_should_be_planned_again(self):
        self.staffed()
        self.kept()
        self.assertEqual(self.api("get", "day")["stale"], "")
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(super().plan())
        self.assertIn("1 new", self.api("get", "day")["stale"])
        self.kept()
        told = {"version": 1, "kind": "dead", "place": "m2"}
        self.api("post", f"units/{self.units[0].tag}/work/surprise", told)
        self.assertIn("1 not as written", self.api("get", "day")["stale"])
        self.now += timedelta(days=1)
        self.assertIn("26 November", self.api("get", "day")["stale"])

    def test_the_calendar_holds_every_order_or_those_of_one_person(self):
        self.staffed()
        view = self.kept()
        calendar = Calendar.from_ical(self.api("get", "day/day.ics").content)
        events = {str(e["uid"]).rsplit("-", 3)[0]: e for e in calendar.walk("VEVENT")}
        self.assertEqual(set(events), {u.tag for u in self.units})
        order = view["orders"][0]
        begin = events[order["tag"]].decoded("dtstart")
        self.assertEqual(begin.hour * 60 + begin.minute, order["start"])
        his = Calendar.from_ical(self.api("get", "day/day.ics?technician=tomas").content)
        self.assertEqual(
            len(his.walk("VEVENT")), sum(o["technician"] == "tomas" for o in view["orders"])
        )

    def test_job_cards_say_parts_steps_screws_and_cautions(self):
        self.staffed()
        self.kept()
        pdf = PdfReader(io.BytesIO(self.api("get", "day/cards.pdf").content))
        text = " ".join(page.extract_text() for page in pdf.pages)
        for unit in self.units:
            self.assertIn(unit.tag, text)
        self.assertIn("8 GB DDR4 SODIMM", text)
        self.assertIn("LOT-", text)
        self.assertIn("3 × 8 mm", text)
        self.assertIn("Do not charge, pry", " ".join(text.split()))
        empty = PdfReader(io.BytesIO(self.api("get", "day/cards.pdf?ahead=5").content))
        self.assertIn("No order stands", empty.pages[0].extract_text())

    def test_hours_are_checked_versioned_and_the_planner_s(self):
        said = self.hours("tomas", {"0": [[480, 720], [700, 900]]}, status=422)["detail"]
        self.assertIn("do not overlap", said)
        self.hours("nobody", status=404)
        kept = self.hours("tomas")
        version = next(p["version"] for p in kept["people"] if p["username"] == "tomas")
        self.hours("tomas", status=409, version=version - 1)
        self.hours("tomas", {}, version=version)
        self.api("put", "day/benches", {"count": 4})
        self.assertEqual(self.api("get", "day/hours")["benches"], 4)
        self.api("put", "day/benches", {"count": 3}, person=self.ines, status=403)
        self.api("post", "day", {"pins": None}, person=self.ines, status=403)

    def test_a_pin_of_an_order_that_is_gone_or_a_person_who_left_is_dropped(self):
        self.staffed()
        pins = [{"tag": "TW-9999", "technician": "tomas", "stretch": None}]
        pins.append({"tag": self.units[0].tag, "technician": "zoe", "stretch": None})
        self.assertEqual(self.kept(pins)["pins"], [])
