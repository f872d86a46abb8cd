from datetime import timedelta

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from sortis_core.story import StoryKind
from sortis_server.arrive.models import Batch
from sortis_server.orders.models import WorkOrderRow
from tests.server.workshop import Workshop


class Stories(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def story(self, unit, **more):
        return self.api("get", f"units/{unit.tag}/story", **more)

    def test_from_the_manifest_to_the_bench_with_who_when_and_what(self):
        # What waits for hours begins a chapter of its own; the day may be young.
        Batch.objects.update(arrived_on=self.batch.arrived_on - timedelta(1))
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        order = WorkOrderRow.objects.get(unit=unit)
        while order.state == "open":
            self.api("post", f"units/{unit.tag}/work/tick", {"version": order.version})
            order.refresh_from_db()
        story = self.story(unit)
        kinds = [event["kind"] for event in story["events"]]
        self.assertEqual(kinds[:4], ["announced", "counted", "looked", "decided"])
        self.assertIn("part", kinds)
        self.assertEqual(story["stage"], "release")
        looks = [event for event in story["events"] if event["kind"] == "looked"]
        self.assertEqual(looks[0]["changes"], [])
        self.assertIn(
            {"place": "m2", "label": "Slot 2", "was": "empty", "now": "8 GB DDR4 2666"},
            looks[-1]["changes"],
        )
        decided = next(event for event in story["events"] if event["kind"] == "decided")
        self.assertIn("8 GB DDR4 SODIMM into Slot 2", decided["details"])
        self.assertEqual(decided["by"], "Marit Dohl")
        planned = {cell["key"]: cell["mark"] for cell in decided["strip"]["cells"]}
        self.assertEqual(planned["m2"], "to_fit")
        self.assertEqual([change["place"] for change in decided["changes"]], ["m2"])
        self.assertEqual(
            [span["chapter"] for span in story["chapters"]],
            ["arrive", "arrive", "inspect", "decide", "fit", "check"],
        )
        told = sum(span["count"] for span in story["chapters"])
        self.assertEqual(told, len(story["events"]))
        times = [event["at"] for event in story["events"]]
        self.assertEqual(times, sorted(times))

    def test_a_danger_and_its_taking_back_both_stand(self):
        (unit,) = self.announce("folio")
        self.inspect(unit, p1="!")
        self.api("delete", f"units/{unit.tag}/hazard")
        kinds = [event["kind"] for event in self.story(unit)["events"]]
        self.assertEqual((kinds.count("danger"), kinds.count("safe")), (1, 1))

    def test_it_costs_no_more_for_a_longer_life(self):
        short, long = self.announce("stilt", "stilt")
        self.inspect(short)
        for _ in range(5):
            self.inspect(long, m2="-")
            self.inspect(long)
        self.assertEqual(self.queries(short), self.queries(long))

    def queries(self, unit) -> int:
        client = self.client_of(self.marit)
        client.get(f"/api/units/{unit.tag}/story")
        with CaptureQueriesContext(connection) as seen:
            client.get(f"/api/units/{unit.tag}/story")
        return len(seen)

    def test_an_unknown_tag_is_told(self):
        self.assertIn("TW-0999", self.api("get", "units/tw999/story", status=404)["detail"])

    def test_every_kind_has_words(self):
        self.assertTrue(all(kind.heading for kind in StoryKind))
