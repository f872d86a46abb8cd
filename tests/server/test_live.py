"""What others do appears to whoever looks on."""

from datetime import timedelta

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from sortis_server.live.models import Here
from tests.server.workshop import Workshop


class Live(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def look(self, unit=None, person=None) -> dict:
        body = {"batch": self.batch.slug, "tag": unit.tag if unit else ""}
        return self.api("post", "here", body, person=person or self.marit)

    def changed(self, before: dict, now: dict) -> set[str]:
        return {
            key for key in ("batch", "stock", "day", "shelf", "unit") if before[key] != now[key]
        }

    def test_each_thing_that_is_done_moves_the_marks_of_what_shows_it(self):
        (unit,) = self.announce("stilt")
        before = self.look(unit)
        self.assertEqual(self.changed(before, self.look(unit)), set())
        self.inspect(unit, m2="-")
        seen = self.look(unit)
        self.assertEqual(self.changed(before, seen), {"batch", "unit"})
        plan = self.plan()
        planned = self.look(unit)
        self.assertEqual(self.changed(seen, planned), {"batch"})
        self.approve(plan)
        approved = self.look(unit)
        self.assertEqual(self.changed(planned, approved), {"batch", "stock", "day", "unit"})
        self.api("post", f"units/{unit.tag}/work/tick", {"version": 1})
        self.assertEqual(self.changed(approved, self.look(unit)), {"batch", "day", "unit"})

    def test_a_released_unit_shows_at_the_shelf(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        before = self.look()
        self.release(unit)
        self.assertIn("shelf", self.changed(before, self.look()))

    def test_it_says_who_else_has_the_unit_open_and_for_how_long(self):
        (unit,) = self.announce("stilt")
        self.assertEqual(self.look(unit)["others"], [])
        self.assertEqual(self.look(unit, self.ines)["others"], [self.marit.name])
        self.assertEqual(self.look(unit)["others"], [self.ines.name])
        self.look(None, self.ines)
        self.assertEqual(self.look(unit)["others"], [])
        self.look(unit, self.ines)
        Here.objects.filter(person=self.ines).update(at=timezone.now() - timedelta(seconds=21))
        self.assertEqual(self.look(unit)["others"], [])
        self.assertEqual(Here.objects.count(), 2)

    def test_staying_where_one_is_writes_nothing(self):
        (unit,) = self.announce("stilt")
        self.look(unit)
        at = Here.objects.get().at
        self.look(unit)
        self.assertEqual(Here.objects.get().at, at)

    def test_nothing_is_told_of_what_there_is_not_and_to_nobody(self):
        told = self.api("post", "here", {"batch": "none", "tag": "TW-9999"})
        self.assertEqual((told["unit"], told["unit_by"], told["others"]), ("", "", []))
        self.client.logout()
        answer = self.client.post("/api/here", {}, "application/json")
        self.assertEqual(answer.status_code, 401)

    def test_it_costs_the_same_whatever_the_batch_holds(self):
        self.announce("stilt")
        self.look()
        with CaptureQueriesContext(connection) as few:
            self.look()
        self.announce(*["folio"] * 30)
        with self.assertNumQueries(len(few)):
            self.look()
