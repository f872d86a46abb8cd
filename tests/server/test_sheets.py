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

    def exported(self, **changes) -> bytes:
        return json.dumps(json.loads(self.api_text(f"sheets/{KEY}/export.json")) | changes).encode()

    def test_export_and_import_give_the_same_sheet(self):
        found = self.upload("sheets/import", self.exported())
        self.assertEqual((found["known"], found["offered"]), (True, None))
        self.assertEqual(found["sheet"], self.document())
        other = self.upload("sheets/import", self.exported(key="tolva-odd-1"))
        self.assertEqual((other["known"], other["sheet"]["key"]), (False, "tolva-odd-1"))
        for data, words in (
            (b"{", "not JSON"),
            (b"\xff\xfe", "not JSON"),
            (b"[1]", "the sheet"),
            (b'{"key": "x"}', "version"),
        ):
            self.assertIn(words, self.upload("sheets/import", data, status=422)["detail"])

    def test_the_questions_that_matter_first_change_what_they_are_about(self):
        document = self.document()
        told = self.api("post", "sheets/guide", {"document": document})
        answers = told["asks"]["answers"] | {"most_gb": 64}
        body = {"document": document, "answers": answers}
        now = self.api("post", "sheets/guide/answer", body)
        self.assertEqual(now["document"]["memory"]["stated"]["gb"], 64)
        self.assertEqual(now["document"] | {"memory": 0}, document | {"memory": 0})
        for wrong in ({"slots": -1}, {"most_gb": 10**9}, {"generation": "DDR9"}, {"packs": 4}):
            body = {"document": document, "answers": answers | wrong}
            self.api("post", "sheets/guide/answer", body, status=422)
        self.api("post", "sheets/guide", {"document": {}}, status=422)
        self.assertEqual(self.api("get", f"sheets/{KEY}")["version"], 1)

    def offer(self, **changes) -> dict:
        found = self.upload("sheets/import", self.exported(**changes))
        return self.api("get", f"sheets/offered/{found['offered']}")

    def answer(self, view: dict, status: int = 200, **answers) -> dict:
        body = {"answers": answers, "started_from": view["version"]}
        return self.api("post", f"sheets/offered/{view['line']['id']}/merge", body, status=status)

    def test_another_workshops_sheet_is_merged_by_question(self):
        view = self.offer(year=2015, summary="As they see it.")
        self.assertEqual([q["key"] for q in view["questions"]], ["year", "summary"])
        again = self.upload("sheets/import", self.exported(year=2015, summary="As they see it."))
        self.assertEqual(again["offered"], view["line"]["id"])
        self.assertEqual(self.api("get", "sheets/offered")[0]["questions"], 2)
        self.assertIn("1 of 2", self.answer(view, 422, year="theirs")["detail"])
        saved = self.answer(view, year="theirs", summary="ours")["sheet"]
        self.assertEqual((saved["version"], saved["year"]), (2, 2015))
        self.assertEqual(saved["summary"], FOLIO.summary)
        self.assertEqual(self.api("get", "sheets/offered"), [])
        words = self.api("get", f"sheets/{KEY}/versions")[0]["words"]
        self.assertEqual(words, "from list.csv: year")
        self.assertIn("answered already", self.answer(view, 404, year="ours")["detail"])

    def test_answers_that_do_not_go_together_keep_nothing(self):
        parts = [*FOLIO.model_dump(mode="json")["parts"]]
        parts[0] = parts[0] | {"only_with_drive_in": "d9"}
        drives = [*FOLIO.model_dump(mode="json")["drives"]]
        drives.append(drives[0] | {"key": "d9", "label": "Third socket"})
        view = self.offer(parts=parts, drives=drives)
        keys = [q["key"] for q in view["questions"]]
        new = "drives/d9"
        self.assertIn(new, keys)
        said = self.answer(view, 422, **{k: "ours" if k == new else "theirs" for k in keys})
        self.assertIn("d9", said["detail"])
        self.assertEqual(len(self.api("get", "sheets/offered")), 1)
        self.assertEqual(self.api("get", f"sheets/{KEY}")["version"], 1)
        saved = self.answer(view, **dict.fromkeys(keys, "theirs"))["sheet"]
        self.assertIn("d9", [drive["key"] for drive in saved["drives"]])

    def test_a_sheet_that_was_changed_meanwhile_is_asked_anew(self):
        view = self.offer(year=2015)
        self.save(self.document(adapter="19 V, 45 W"))
        said = self.answer(view, 409, year="theirs")
        self.assertIn("saved version 2", said["detail"])
        self.assertEqual(said["facts"]["version"], 2)
        self.api("post", f"sheets/offered/{view['line']['id']}/leave")
        self.assertEqual(self.api("get", "sheets/offered"), [])
        self.assertEqual(self.api("get", f"sheets/{KEY}")["version"], 2)

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
