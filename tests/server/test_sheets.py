"""Sheets: drawn while edited, saved as versions, compared, imported, proven."""

import json

import jsonschema
from django.test import TestCase

from demo.generator import demo_sheets
from sortis_server.arrive.models import Unit
from sortis_server.sheets.models import SheetVersion
from sortis_server.sheets.services import sheet_version
from standins.probe import Probe
from tests.core.sample import FOLIO, folio
from tests.server.workshop import Workshop

KEY = "ombrel-folio-15"


class Sheets(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        # Versions that an earlier test saved were rolled back with it.
        sheet_version.cache_clear()

    def document(self, **changes) -> dict:
        return self.api("get", f"sheets/{KEY}") | changes

    def save(self, document: dict, started_from: int = 1, *, status: int = 200, **more) -> dict:
        body = {"document": document, "started_from": started_from, **more}
        return self.api("post", "sheets", body, status=status)

    def test_every_demo_sheet_obeys_the_published_schema(self):
        schema = json.loads(self.api_text("sheets/schema.json"))
        for sheet in demo_sheets():
            jsonschema.validate(json.loads(sheet.model_dump_json()), schema)
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(self.document(colour="red"), schema)

    def api_text(self, path: str) -> str:
        return self.client_of(self.marit).get(f"/api/{path}").content.decode()

    def test_a_version_is_added_and_waiting_units_follow(self):
        waiting, decided = self.announce("folio", "folio")
        self.inspect(waiting)
        Unit.objects.filter(pk=decided.pk).update(stage="fit")
        saved = self.save(self.document(summary="Measured anew."), words="height measured")
        self.assertEqual((saved["sheet"]["version"], saved["left"]), (2, []))
        found = self.api("get", f"sheets/{KEY}/versions")
        self.assertEqual([v["version"] for v in found], [2, 1])
        self.assertEqual(
            (found[0]["by"], found[0]["words"], found[0]["tags"]),
            ("Marit Dohl", "height measured", [waiting.tag]),
        )
        self.assertEqual(found[0]["changes"][0]["where"], "summary")
        self.assertEqual(found[1]["tags"], [decided.tag])
        self.assertEqual(self.api("get", f"sheets/{KEY}/versions/1")["summary"], FOLIO.summary)

    def test_a_unit_that_no_longer_reads_stays_and_is_named(self):
        (unit,) = self.announce("folio")
        self.inspect(unit, m1="16")
        document = self.document()
        document["memory"]["slots"][0]["limit_gb"] = 8
        (left,) = self.save(document)["left"]
        self.assertIn(f"{unit.tag} stays on version 1: Slot 1 takes up to 8 GB", left)
        self.assertEqual(Unit.objects.get(pk=unit.pk).sheet_version, 1)

    def test_two_writers_one_is_told_and_loses_nothing(self):
        self.save(self.document(year=2019))
        said = self.save(self.document(year=2021), status=409)
        self.assertIn("Marit Dohl saved version 2", said["detail"])
        self.assertEqual(said["facts"]["document"]["year"], 2019)

    def test_what_is_no_sheet_is_refused_with_its_place(self):
        document = self.document(year="soon")
        said = self.save(document, status=422)
        self.assertIn("year", said["detail"])
        for key in ("", "A Key", "x" * 61):
            said = self.save(self.document(key=key), 0, status=422)
            self.assertIn("up to 60 small letters", said["detail"])
        drawn = self.api("post", "sheets/draw", {"document": document})
        self.assertEqual((drawn["strip"], drawn["faults"][0]["where"]), (None, "year"))
        self.assertEqual(SheetVersion.objects.filter(key=KEY).count(), 1)

    def test_a_draft_is_drawn_with_what_changed(self):
        document = self.document()
        document["memory"]["slots"].append(
            {"key": "m2", "label": "Slot 2", "limit_gb": 16, "channel": "C"}
        )
        drawn = self.api("post", "sheets/draw", {"document": document, "trim": "lite"})
        self.assertIn("m2", [cell["key"] for cell in drawn["strip"]["cells"]])
        self.assertNotIn("heat_sink", [cell["key"] for cell in drawn["strip"]["cells"]])
        self.assertEqual(drawn["changes"][0]["where"], "memory › slots › m2")
        # Nobody said how the new slot is reached: told, and no reason not to keep the sheet.
        self.assertEqual(drawn["faults"], [])
        self.assertIn("how Slot 2 is reached", drawn["gaps"][0]["sentence"])

    def test_export_and_import_give_the_same_sheet(self):
        text = self.api_text(f"sheets/{KEY}/export.json").encode()
        self.assertEqual(self.upload("sheets/import", text), self.document())
        for data, words in (
            (b"{", "not JSON"),
            (b"\xff\xfe", "not JSON"),
            (b"[1]", "the sheet"),
            (b'{"key": "x"}', "version"),
        ):
            self.assertIn(words, self.upload("sheets/import", data, status=422)["detail"])

    def test_a_new_sheet_begins_from_a_near_one_or_a_read_out(self):
        body = {"maker": "Ombrel", "model": "Folio 17", "near": KEY}
        draft = self.api("post", "sheets/begin", body)
        self.assertEqual(
            (draft["key"], draft["memory"]["stated"]["source"]), ("ombrel-folio-17", "guess")
        )
        self.assertEqual(self.save(draft, 0)["sheet"]["version"], 1)
        (unit,) = self.announce("folio")
        body = {"maker": "Zeta", "model": "One", "tag": unit.tag}
        self.assertIn(
            "no read-out yet", self.api("post", "sheets/begin", body, status=404)["detail"]
        )
        self.upload(f"units/{unit.tag}/readout", Probe(FOLIO, folio(), "S").bundle())
        draft = self.api("post", "sheets/begin", body)
        self.assertEqual((draft["key"], len(draft["memory"]["slots"])), ("zeta-one", 1))

    def test_released_units_prove_a_ceiling(self):
        self.assertIsNone(self.api("get", f"sheets/{KEY}/proof"))
        for unit in self.announce("folio", "folio", "folio", "folio", "folio"):
            self.inspect(unit, m1="16")
        Unit.objects.update(stage="released")
        offer = self.api("get", f"sheets/{KEY}/proof")
        self.assertEqual((offer["gb"], offer["units"]), (24, 5))
        saved = self.api("post", f"sheets/{KEY}/proof", {})
        self.assertEqual(saved["sheet"]["memory"]["proven"]["units_on_record"], 5)
        self.api("post", f"sheets/{KEY}/proof", {}, status=404)

    def test_writing_a_sheet_is_for_inspectors(self):
        lena = type(self.marit).objects.create_person("lena", "Lena Wirt", ["releaser"], "tide")
        body = {"document": self.document(), "started_from": 1}
        said = self.api("post", "sheets", body, status=403, person=lena)
        self.assertIn(
            "Sign in as a inspector", said["detail"].replace("an inspector", "a inspector")
        )
