"""The count at the door and the labels."""

import json
import tempfile
import threading
import urllib.request
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from pypdf import PdfReader

from sortis_core.labels import USUAL_SIZES, size_called
from sortis_server.arrive.models import ScanNote, Unit
from sortis_server.labels import Label, labels_pdf
from standins.printer import server as printer
from tests.server.workshop import Workshop


class TheCount(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        self.slug = self.batch.slug
        self.units = self.announce("folio", "stilt", "lern")
        Unit.objects.update(stage="arrive")

    def scan(self, code: str, before: str = "") -> dict:
        return self.api("post", f"batches/{self.slug}/scan", {"code": code, "before": before})

    def count(self) -> dict:
        return self.api("get", f"batches/{self.slug}/count")

    def test_expected_against_seen(self):
        one, two, three = self.units
        self.assertEqual(self.scan(one.tag)["verdict"], "seen")
        self.assertEqual(self.scan(f" {two.serial.lower()} ")["verdict"], "seen")
        self.assertEqual(self.scan(one.tag.lower().replace("-", ""))["verdict"], "again")
        counted = self.count()
        self.assertEqual((counted["expected"], counted["seen"]), (3, 2))
        self.assertEqual(self.stage(three), "arrive")
        self.assertIsNotNone(Unit.objects.get(pk=one.pk).counted_at)

    def test_a_scan_costs_the_same_on_any_pallet(self):
        def queries(code: str) -> int:
            self.at_work(self.marit)
            with CaptureQueriesContext(connection) as seen:
                self.scan(code)
            return len(seen)

        few = queries(self.units[0].tag)
        more = self.announce(*["stilt"] * 40)
        Unit.objects.filter(pk__in=[unit.pk for unit in more]).update(stage="arrive")
        self.assertEqual(queries(more[-1].tag), few)

    def test_surplus_is_noted_once_and_taken_in_with_a_model(self):
        self.assertEqual(self.scan("QQ-9")["verdict"], "surplus")
        self.scan("QQ-9")
        (note,) = self.count()["notes"]
        path = f"batches/{self.slug}/notes/{note['number']}"
        said = self.api("post", path, {"how": "take", "sheet": "none"}, status=404)
        self.assertIn("no sheet none", said["detail"])
        after = self.api("post", path, {"how": "take", "sheet": "tolva-lern-11"})
        self.assertIn("taken in as", after["notes"][0]["settled"])
        taken = Unit.objects.get(serial="QQ-9")
        self.assertEqual((taken.stage, taken.sheet_key), ("inspect", "tolva-lern-11"))
        self.api("post", path, {"how": "aside"}, status=404)

    def test_swapped_labels_follow_the_machines(self):
        one, two, _ = self.units
        self.scan(one.tag)
        said = self.scan(two.serial, before=one.tag)
        self.assertEqual((said["verdict"], said["other"]), ("swapped", two.tag))
        note = ScanNote.objects.get()
        self.api("post", f"batches/{self.slug}/notes/{note.pk}", {"how": "swap"})
        first, second = (Unit.objects.get(tag=unit.tag) for unit in (one, two))
        self.assertEqual((first.serial, first.sheet_key), (two.serial, two.sheet_key))
        self.assertEqual((second.serial, second.sheet_key), (one.serial, one.sheet_key))

    def test_a_doubt_about_labels_may_simply_be_the_next_unit(self):
        one, two, _ = self.units
        self.scan(two.serial, before=one.tag)
        note = ScanNote.objects.get()
        self.api("post", f"batches/{self.slug}/notes/{note.pk}", {"how": "next"})
        self.assertEqual(self.stage(two), "inspect")
        self.assertEqual(Unit.objects.get(tag=one.tag).serial, one.serial)

    def test_a_unit_of_another_batch_is_named(self):
        Unit.objects.filter(pk=self.units[0].pk).update(serial="ELSE-1")
        other = self.api(
            "post",
            "batches",
            {
                "name": "Second",
                "source": "x",
                "arrived_on": "2026-11-01",
                "due_on": "2026-12-01",
                "money_cents": 0,
                "bench_minutes": 0,
            },
        )
        said = self.api("post", f"batches/{other['slug']}/scan", {"code": "else-1"})
        self.assertEqual(said["verdict"], "elsewhere")
        self.assertIn("belongs to Harbour office", said["sentence"])

    def test_adapters_and_docks_are_counted_along(self):
        body = {"kind": "adapter", "seen": 12}
        counted = self.api("post", f"batches/{self.slug}/extras", body)
        self.assertEqual(counted["extras"][0], {"kind": "adapter", "expected": 0, "seen": 12})
        said = self.api(
            "post", f"batches/{self.slug}/extras", {"kind": "hat", "seen": 1}, status=422
        )
        self.assertIn("'adapter', 'dock' or 'pack'", said["detail"])

    def test_counting_is_for_receivers(self):
        body = {"code": "x"}
        said = self.api("post", f"batches/{self.slug}/scan", body, status=403, person=self.ines)
        self.assertIn("Sign in as a receiver", said["detail"])


class Labels(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        cls.units = cls.announce(cls, *["folio"] * 30)

    def test_every_size_holds_every_label(self):
        labels = [
            Label(tag=f"TW-{n:04d}", model="Ombrel Folio 15", serial=f"S{n}") for n in range(70)
        ]
        for key, pages in (
            ("roll-70x36", 70),
            ("roll-50x25", 70),
            ("sheet-24", 3),
            ("sheet-14", 5),
            ("sheet-65", 2),
        ):
            reader = PdfReader(_file(labels_pdf(labels, size_called(key, USUAL_SIZES))))
            text = " ".join(page.extract_text() for page in reader.pages)
            self.assertEqual(len(reader.pages), pages, key)
            self.assertTrue(all(label.tag in text for label in labels), key)

    def test_pdf_of_some_units_and_refusals(self):
        tags = ",".join(unit.tag for unit in self.units[:2])
        answer = self.api("get", f"batches/{self.batch.slug}/labels.pdf?size=sheet-24&tags={tags}")
        self.assertEqual(answer["Content-Type"], "application/pdf")
        self.assertEqual(len(PdfReader(_file(answer.content)).pages), 1)
        said = self.api("get", f"batches/{self.batch.slug}/labels.pdf?size=poster", status=422)
        self.assertIn("no label size poster", said["detail"])
        said = self.api("get", f"batches/{self.batch.slug}/labels.pdf?tags=ZZ-1", status=422)
        self.assertIn("No unit is chosen", said["detail"])

    def test_the_printer_shows_what_it_printed(self):
        body = {"size": "roll-50x25", "tags": [self.units[0].tag, self.units[1].tag]}
        path = f"batches/{self.batch.slug}/labels/print"
        with tempfile.TemporaryDirectory() as folder:
            device = printer(0, Path(folder))
            threading.Thread(target=device.serve_forever, daemon=True).start()
            address = f"http://127.0.0.1:{device.server_port}"
            with mock.patch.dict("os.environ", {"SORTIS_PRINTER_URL": address}):
                self.assertEqual(self.api("post", path, body)["count"], 2)
                self.assertEqual(self.api("get", "labels")["printer"], address)
            (job,) = json.load(urllib.request.urlopen(f"{address}/jobs"))
            self.assertEqual((job["pages"], job["size"]), (2, "roll-50x25"))
            self.assertIn(self.units[0].tag, job["words"][0])
            picture = urllib.request.urlopen(f"{address}/jobs/1/2.png").read()
            self.assertTrue(picture.startswith(b"\x89PNG"))
            self.assertIn("2 labels", urllib.request.urlopen(address).read().decode())
            device.shutdown()
            device.server_close()
            with mock.patch.dict("os.environ", {"SORTIS_PRINTER_URL": address}):
                said = self.api("post", path, body, status=422)
            self.assertIn("The label printer does not answer", said["detail"])
        with mock.patch.dict("os.environ", {"SORTIS_PRINTER_URL": ""}):
            said = self.api("post", path, body, status=422)
        self.assertIn("No label printer is set up", said["detail"])

    def test_code_sheets_carry_every_word(self):
        for key, word in (("all", "same"), ("ombrel-folio-15", "heat_sink")):
            answer = self.api("get", f"units/codes/{key}.pdf")
            text = " ".join(p.extract_text() for p in PdfReader(_file(answer.content)).pages)
            self.assertIn(word, text)
        self.api("get", "units/codes/none.pdf", status=404)


def _file(data: bytes):
    import io

    return io.BytesIO(data)


class TakenBack(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def test_a_count_by_mistake_goes_back_but_for_what_was_looked_at(self):
        one, two, three = self.announce("stilt", "stilt", "folio")
        Unit.objects.update(stage="arrive", counted_at=None)
        slug = self.batch.slug
        done = self.api("post", f"batches/{slug}/count-in", {"tags": None})
        self.assertEqual(done["tags"], [one.tag, two.tag, three.tag])
        self.inspect(two)
        back = self.api("post", f"batches/{slug}/count-back", {"tags": done["tags"]})
        self.assertEqual(back["count"], 2)
        self.assertEqual({self.stage(unit) for unit in (one, three)}, {"arrive"})
        self.assertNotEqual(self.stage(two), "arrive")
        self.api("post", f"batches/{slug}/count-back", {"tags": []}, status=403, person=self.ines)

    def test_what_was_counted_long_ago_stays(self):
        (unit,) = self.announce("stilt")
        Unit.objects.update(counted_at=timezone.now() - timedelta(minutes=16))
        back = self.api("post", f"batches/{self.batch.slug}/count-back", {"tags": [unit.tag]})
        self.assertEqual((back["count"], self.stage(unit)), (0, "inspect"))
