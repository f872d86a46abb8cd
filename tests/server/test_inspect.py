from datetime import timedelta

from django.test import TestCase
from django.utils import timezone

from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import Hazard, Inspection
from tests.server.workshop import Workshop


class Inspections(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_reading_keeps_nothing(self):
        (unit,) = self.announce("stilt")
        body = {"trim": "std", "entries": {"m1": "8", "m2": "99"}}
        reading = self.api("post", f"units/{unit.tag}/read", body)
        self.assertIn("Slot 2", reading["refusals"]["m2"])
        self.assertEqual(reading["assessment"]["memory"]["total_gb"], 8)
        self.assertEqual(Inspection.objects.count(), 0)

    def test_a_complete_inspection_sends_the_unit_on(self):
        (unit,) = self.announce("stilt")
        kept = self.inspect(unit)
        self.assertEqual((kept["number"], kept["stage"]), (1, "decide"))
        self.assertEqual(kept["kept"]["by"], "Marit Dohl")

    def test_an_incomplete_one_is_kept_and_stays_unless_it_is_enough(self):
        (unit,) = self.announce("stilt")
        body = {"started_from": 0, "trim": "std", "entries": {"starts": "x"}}
        kept = self.api("post", f"units/{unit.tag}/inspection", body)
        self.assertEqual(kept["stage"], "inspect")
        body |= {"started_from": 1, "enough": True}
        kept = self.api("post", f"units/{unit.tag}/inspection", body)
        self.assertEqual(kept["stage"], "decide")

    def test_inspections_are_added_never_changed(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m1="4")
        self.inspect(unit, m1="16")
        found = [
            row.findings["modules"]["m1"]["gb"] for row in Inspection.objects.order_by("number")
        ]
        self.assertEqual(found, [4, 16])

    def test_a_stale_page_gets_both_versions(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m1="16")
        body = {"started_from": 0, "trim": "std", "entries": {"m1": "4"}}
        said = self.api("post", f"units/{unit.tag}/inspection", body, status=409, person=self.ines)
        self.assertEqual(said["facts"]["entries"]["m1"], "16")
        self.assertEqual((said["facts"]["number"], said["facts"]["by"]), (1, "Marit Dohl"))
        self.assertEqual(Inspection.objects.count(), 1)

    def test_what_a_place_cannot_hold_is_not_kept(self):
        (unit,) = self.announce("folio")
        body = {"started_from": 0, "trim": "disk", "entries": {"p1": "59.8/46 90c", "m1": "8"}}
        said = self.api("post", f"units/{unit.tag}/inspection", body, status=422)
        self.assertIn("130 %", said["detail"])
        self.assertEqual(list(said["facts"]["refusals"]), ["p1"])
        body = {"started_from": 0, "trim": "gold", "entries": {}}
        said = self.api("post", f"units/{unit.tag}/inspection", body, status=422)
        self.assertIn("no trim gold", said["detail"])
        self.assertEqual(Inspection.objects.count(), 0)

    def test_a_swollen_pack_blocks_until_a_named_person_records_it_is_gone(self):
        (unit,) = self.announce("folio")
        kept = self.inspect(unit, p1="!")
        self.assertTrue(kept["blocked"])
        self.assertEqual(kept["stage"], "inspect")
        self.assertIn("do not charge", kept["reading"]["assessment"]["hazard_words"].lower())
        again = {"started_from": 1, "trim": "flash", "entries": {"p1": "43/46 90c"}}
        said = self.api("post", f"units/{unit.tag}/inspection", again, status=422)
        self.assertIn("Record first what was done", said["detail"])
        said = self.api("post", f"units/{unit.tag}/hazard", {"words": "ok"}, status=422)
        self.assertIn("where the pack went", said["detail"])
        words = {"words": "Fetched by the licensed carrier, slip 118"}
        freed = self.api("post", f"units/{unit.tag}/hazard", words)
        self.assertFalse(freed["blocked"])
        self.assertEqual(freed["entries"]["p1"], "-")
        self.assertEqual(Hazard.objects.get().done_by, self.marit)
        said = self.api("post", f"units/{unit.tag}/hazard", words, status=422)
        self.assertIn("Nothing blocks", said["detail"])

    def test_a_unit_at_the_bench_is_not_inspected_over(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        body = {"started_from": 1, "trim": "std", "entries": {}}
        said = self.api("post", f"units/{unit.tag}/inspection", body, status=422)
        self.assertIn("Stop its work order first", said["detail"])


class TakenBack(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def take_back(self, unit, **more):
        return self.api("delete", f"units/{unit.tag}/hazard", **more)

    def test_for_a_minute_by_whoever_pressed_it_and_nothing_else_is_lost(self):
        (unit,) = self.announce("folio")
        self.inspect(unit, p1="43/46 90c")
        self.inspect(unit, p1="!", m1="16")
        self.assertTrue(Unit.objects.get(pk=unit.pk).blocked)
        refused = self.take_back(unit, status=422, person=self.ines)
        self.assertIn("only whoever noted it", refused["detail"])
        view = self.take_back(unit)
        self.assertFalse(view["blocked"])
        self.assertEqual((view["entries"]["p1"], view["entries"]["m1"]), ("43/46 90c", "16"))
        self.assertIn("by mistake", view["hazards"][0]["done"])
        self.take_back(unit, status=422)

    def test_after_the_minute_only_the_record_frees_the_unit(self):
        (unit,) = self.announce("folio")
        self.inspect(unit, p1="!")
        unit.hazards.update(seen_at=timezone.now() - timedelta(seconds=61))
        self.assertIn("within 60 seconds", self.take_back(unit, status=422)["detail"])
        self.assertTrue(Unit.objects.get(pk=unit.pk).blocked)

    def test_a_dangerous_unit_is_no_model_for_the_next(self):
        danger, following = self.announce("folio", "folio")
        self.inspect(danger, p1="!")
        like = self.api("get", f"units/{following.tag}/inspection")["like"]
        self.assertFalse(like and like["entries"])
