"""Manifests from file to units; lists, batches."""

import csv
import io
from unittest import mock

from django.db import OperationalError, connection
from django.test import TestCase, TransactionTestCase
from django.test.utils import CaptureQueriesContext

from sortis_server.arrive import manifests
from sortis_server.arrive.manifests import judge_in_background, take_in, take_in_background
from sortis_server.arrive.models import ExtraCount, ManifestImport, SourceMemory, Unit
from sortis_server.arrive.services import make_batch
from tests.server.workshop import Workshop

GOOD = b"tag,serial,maker,model,notes\nTW-0412,A1,Ombrel,Folio 15,dent\n,A2,Quarrin,Stilt Q2,\n"


COUNTS = dict.fromkeys(("ok", "look", "fault", "left_out", "aside"), 0)


class Manifests(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def look(self, data: bytes, *, status: int = 200):
        return self.upload(f"batches/{self.batch.slug}/manifests", data, status=status)

    def at(self, looked: dict, then: str = "") -> str:
        return f"batches/{self.batch.slug}/manifests/{looked['number']}{then}"

    def take(self, looked: dict, *, status: int = 200):
        return self.api("post", self.at(looked, "/take"), {}, status=status)

    def test_looking_keeps_nothing_taking_in_keeps_all(self):
        looked = self.look(GOOD)
        self.assertEqual((looked["state"], looked["counts"]["ok"]), ("ready", 2))
        self.assertEqual(Unit.objects.count(), 0)
        taken = self.take(looked)
        self.assertEqual((taken["first_tag"], taken["last_tag"]), ("TW-0412", "TW-0001"))
        self.assertEqual({unit.stage for unit in Unit.objects.all()}, {"arrive"})
        self.assertIn("being taken in already", self.take(looked, status=409)["detail"])
        self.assertEqual(Unit.objects.count(), 2)

    def test_a_tag_that_a_list_brought_is_found_as_it_is_written_and_as_it_is_typed(self):
        head = b"tag,serial,maker,model\n"
        rows = b"H-301,A1,Ombrel,Folio 15\nTW-001,A2,Tolva,Lern 11\n,A3,Tolva,Lern 11\n"
        self.take(self.look(head + rows))
        own = Unit.objects.get(serial="A3")
        self.assertEqual(own.tag, "TW-0002", "TW-0001 would be read as TW-001")
        for typed, tag in (
            ("H-301", "H-301"),
            ("h301", "H-301"),
            ("H-0301", "H-301"),
            ("1", "TW-001"),
            ("2", "TW-0002"),
        ):
            self.assertEqual(self.api("get", f"units/{typed}/story")["tag"], tag, typed)
            self.assertEqual(self.api("get", f"codes?codes={typed}")["code"], tag, typed)
            scanned = self.api(
                "post", f"batches/{self.batch.slug}/scan", {"code": typed, "before": ""}
            )
            self.assertEqual(scanned["tag"], tag, typed)
        self.api("get", f"units/{'9' * 5000}/story", status=404)
        Unit.objects.filter(serial="A2").update(serial="H301")
        self.assertEqual(self.api("get", "codes?codes=h301")["code"], "TW-001", "a maker's label")
        self.assertEqual(self.api("get", "codes?codes=h-301")["code"], "H-301")
        for code, tag in (("h301", "TW-001"), ("h-301", "H-301")):
            scanned = self.api(
                "post", f"batches/{self.batch.slug}/scan", {"code": code, "before": ""}
            )
            self.assertEqual(scanned["tag"], tag, code)

    def test_every_row_has_its_verdict_and_one_fault_takes_none_in(self):
        looked = self.look(GOOD + b",A3,Ombrel,Folio 51,\n,A3,Tolva,Lern-11 8GB,\n")
        self.assertEqual(looked["counts"], COUNTS | {"ok": 2, "fault": 2})
        self.assertEqual(looked["unclear"][0]["name"], "Ombrel Folio 51")
        page = self.api("get", self.at(looked, "/rows?state=fault"))
        self.assertEqual([row["line"] for row in page["rows"]], [4, 5])
        said = self.take(looked, status=422)
        self.assertEqual([line for line, _ in said["facts"]["lines"]], [4, 5])
        self.assertEqual(Unit.objects.count(), 0)

    def test_columns_and_names_are_corrected_by_hand_and_remembered(self):
        looked = self.look(b"Ref;Machine\nQ1234;OMB F15\nQ1235;OMB F15\n")
        self.assertEqual(looked["counts"]["ok"], 0)
        body = {"columns": {"serial": 0, "model": 1}, "chosen": {"OMB F15": "ombrel-folio-15"}}
        right = self.api("put", self.at(looked), body)
        self.assertEqual(right["counts"], COUNTS | {"ok": 2})
        self.take(right)
        kept = SourceMemory.objects.get(source=self.batch.source)
        self.assertEqual(kept.headers["machine"], "model")
        again = self.look(b"Ref;Machine\nQ1236;omb-f15\n")
        self.assertEqual(again["counts"], COUNTS | {"ok": 1})

    def test_wrong_corrections_are_refused(self):
        looked = self.look(GOOD)
        said = self.api("put", self.at(looked), {"columns": {"colour": 0}}, status=422)
        self.assertIn("no field or column colour", said["detail"])
        said = self.api("put", self.at(looked), {"chosen": {"x": "no-sheet"}}, status=404)
        self.assertIn("no sheet no-sheet", said["detail"])
        missing = self.api("put", self.at(looked), {"columns": {"model": 3}})
        self.assertIn("No column is marked as the serial", missing["refusal"])
        self.api("get", f"batches/{self.batch.slug}/manifests/999999", status=404)

    def test_what_was_there_before_is_still_there(self):
        self.take(self.look(GOOD))
        for bad, words in (
            (b"", "empty"),
            (b"just one\n1\n", "no header line"),
            ("serial,maker,model\nÄ,B,C\n".encode("latin-1"), "UTF-8"),
            (b"PK\x03\x04nonsense", "no workbook"),
        ):
            self.assertIn(words, self.look(bad, status=422)["detail"])
        for bad, words in (
            (GOOD, "on another unit already"),
            (b"serial,maker,model\nA2,Quarrin,Stilt Q2\n", "in this batch already"),
            (b"serial,maker,model\n=1+1,Quarrin,Stilt Q2\n", "formula"),
        ):
            looked = self.look(bad)
            rows = self.api("get", self.at(looked, "/rows?state=fault"))["rows"]
            self.assertIn(words, rows[0]["sentence"])
        self.assertEqual(Unit.objects.count(), 2)
        self.assertEqual(ManifestImport.objects.exclude(state="taken").count(), 1)

    def test_fifty_megabytes_are_refused_without_being_read_whole(self):
        self.assertIn("up to 5 MB", self.look(b"x" * 50_000_000, status=422)["detail"])

    def test_what_comes_along_is_announced(self):
        self.take(
            self.look(
                b"serial,model,accessories\nA1,Folio 15,charger\nA2,Folio 15,no charger\n"
                b"A3,Folio 15,adapter + dock\n"
            )
        )
        self.assertEqual(
            dict(ExtraCount.objects.values_list("kind", "expected")), {"adapter": 2, "dock": 1}
        )

    def test_blank_tags_pass_over_numbers_that_are_taken(self):
        take_in(
            self.batch, b"tag,serial,maker,model\nTW-0001,B1,Tolva,Lern 11\n,B2,Tolva,Lern 11\n"
        )
        self.assertEqual(
            list(Unit.objects.order_by("position").values_list("tag", flat=True)),
            ["TW-0001", "TW-0002"],
        )

    def test_a_tag_is_found_however_it_is_typed(self):
        take_in(self.batch, GOOD)
        for typed in ("TW-0412", "tw0412", "tw 412", "412"):
            self.assertEqual(self.api("get", f"units/{typed}")["tag"], "TW-0412")
        said = self.api("get", "units/TW-9999", status=404)
        self.assertIn("No unit carries the tag TW-9999", said["detail"])

    def test_the_batch_as_csv_runs_nothing_in_a_spreadsheet(self):
        take_in(self.batch, GOOD)
        Unit.objects.filter(tag="TW-0412").update(notes="=1+1")
        text = self.api("get", f"batches/{self.batch.slug}/units.csv").content.decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual(len(rows), 2)
        self.assertEqual(rows[0]["notes"], "'=1+1")

    def queries(self, path: str) -> int:
        with CaptureQueriesContext(connection) as seen:
            self.api("get", path)
        return len(seen)

    def test_queries_for_a_list_and_a_unit_do_not_grow_with_the_batch(self):
        first, *more = self.announce("folio", "folio", "folio", "stilt")
        for unit in (first, *more):
            self.inspect(unit)
        asked = (
            f"batches/{self.batch.slug}/units",
            f"batches/{self.batch.slug}",
            f"units/{first.tag}",
            f"units/{first.tag}/inspection",
        )
        few = {path: self.queries(path) for path in asked}
        for unit in self.announce(*["folio"] * 12):
            self.inspect(unit)
        self.assertEqual({path: self.queries(path) for path in asked}, few)

    def test_batches_are_refused_in_words(self):
        body = {
            "name": "Harbour office",
            "source": "x",
            "arrived_on": "2026-11-01",
            "due_on": "2026-12-01",
            "money_cents": 0,
            "bench_minutes": 0,
        }
        self.assertIn("already", self.api("post", "batches", body, status=422)["detail"])
        early = body | {"name": "Other", "due_on": "2026-10-01"}
        self.assertIn(
            "due day lies before", self.api("post", "batches", early, status=422)["detail"]
        )
        self.assertEqual(self.api("post", "batches", body | {"name": "Other"})["slug"], "other")

    def test_a_database_that_does_not_answer_is_said(self):
        gone = mock.patch(
            "sortis_server.arrive.api.batch_called", side_effect=OperationalError(2013)
        )
        with gone, self.assertLogs("sortis_server.problems", "ERROR"), self.assertLogs("django"):
            said = self.api("get", "batches/x", status=503)
        self.assertIn("The database does not answer. Nothing was changed", said["detail"])


class LargeManifests(Workshop, TransactionTestCase):
    """Ten thousand rows, by a worker, with progress and stop."""

    def setUp(self):
        self.furnish()
        rows = "".join(f"L{number},Tolva,Lern 11\n" for number in range(10_000))
        self.data = ("serial,maker,model\n" + rows).encode()

    def begun(self):
        with mock.patch.object(manifests, "judge_in_background") as queued:
            row = manifests.open_import(self.batch, "large.csv", self.data, self.marit)
        queued.enqueue.assert_called_once_with(row.pk)
        self.assertEqual((row.state, row.total), ("checking", 10_000))
        return row

    def test_all_are_taken_in_and_progress_is_seen_while_they_are(self):
        row = self.begun()
        judge_in_background.func(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, row.done, len(row.verdicts)), ("ready", 10_000, 10_000))
        with mock.patch.object(manifests, "take_in_background"):
            manifests.begin_taking(row)
        told = []
        real = manifests._tell_outside

        def listen(number, done):
            real(number, done)
            told.append((done, ManifestImport.objects.get(pk=number).done))

        with mock.patch.object(manifests, "_tell_outside", listen):
            take_in_background.func(row.pk)
        self.assertEqual(Unit.objects.count(), 10_000)
        self.assertGreater(len(told), 10)
        self.assertTrue(all(done == seen for done, seen in told))
        row.refresh_from_db()
        self.assertEqual((row.state, row.last_tag), ("taken", "TW-10000"))

    def test_a_stop_keeps_nothing_and_the_list_can_be_looked_at_again(self):
        row = self.begun()
        manifests.stop_import(row)
        judge_in_background.func(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, row.verdicts), ("stopped", []))
        with mock.patch.object(manifests, "judge_in_background"):
            manifests.correct(row, None, None)
        judge_in_background.func(row.pk)
        row.refresh_from_db()
        with mock.patch.object(manifests, "take_in_background"):
            manifests.begin_taking(row)
        manifests.stop_import(row)
        take_in_background.func(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, Unit.objects.count()), ("stopped", 0))
        self.assertIn("Nothing was taken in", row.refusal)

    def test_a_list_that_made_room_for_another_does_not_come_back(self):
        row = self.begun()
        manifests.open_import(self.batch, "small.csv", b"serial,model\nS1,Lern 11\n", self.marit)
        manifests._judge(row)
        judge_in_background.func(row.pk)
        self.assertEqual(ManifestImport.objects.get().name, "small.csv")

    def test_a_list_taken_in_meanwhile_refuses_the_whole_and_names_lines(self):
        row = self.begun()
        judge_in_background.func(row.pk)
        other = make_batch(
            "Other", "x", self.batch.arrived_on, self.batch.due_on, money_cents=0, bench_minutes=0
        )
        take_in(other, b"tag,serial,model\nTW-0001,Z,Lern 11\n")
        take_in(self.batch, b"serial,model\nL77,Lern 11\n")
        row.refresh_from_db()
        with mock.patch.object(manifests, "take_in_background"):
            manifests.begin_taking(row)
        take_in_background.func(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, Unit.objects.count()), ("ready", 2))
        self.assertIn("One line cannot be read", row.refusal)


class Mended(Workshop, TestCase):
    """Rows that cannot be taken in stop nobody else's."""

    LIST = (
        b"serial,maker,model\nM1,Ombrel,Folio 15\nM1,Ombrel,Folio 15\n"
        b"M3,Wharf,Unheard 9\nM4,Tolva,Lern 11\n"
    )

    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        self.looked = self.upload(f"batches/{self.batch.slug}/manifests", self.LIST)
        self.path = f"batches/{self.batch.slug}/manifests/{self.looked['number']}"

    def mend(self, line: int, status: int = 200, **given):
        return self.api("put", f"{self.path}/rows/{line}", given, status=status)

    def test_a_double_is_left_out_and_a_strange_row_waits(self):
        self.assertEqual(self.looked["counts"]["fault"], 2)
        self.mend(3, left_out="..", status=422)
        self.mend(3, left_out="stands twice")
        view = self.mend(4, aside=True)
        self.assertEqual(view["counts"] | {}, view["counts"])
        self.assertEqual(
            [view["counts"][k] for k in ("ok", "fault", "left_out", "aside")], [2, 0, 1, 1]
        )
        self.api("post", f"{self.path}/take")
        self.assertEqual(set(self.batch.units.values_list("serial", flat=True)), {"M1", "M4"})
        (waiting,) = self.api("get", f"batches/{self.batch.slug}/manifests")
        self.assertEqual((waiting["total"], waiting["counts"]["fault"]), (1, 1))
        path = f"batches/{self.batch.slug}/manifests/{waiting['number']}"
        self.api("put", f"{path}/rows/4", {"sheet": "tolva-lern-11"})
        self.api("post", f"{path}/take")
        self.assertEqual(self.batch.units.count(), 3)
        self.assertEqual(self.api("get", f"batches/{self.batch.slug}/manifests"), [])

    def test_all_that_cannot_be_taken_in_is_set_aside_at_once(self):
        self.mend(2, left_out="not ours")
        view = self.api("post", f"{self.path}/aside")
        counted = [view["counts"][k] for k in ("ok", "fault", "left_out", "aside")]
        self.assertEqual(counted, [2, 0, 1, 1])
        self.api("post", f"{self.path}/take")
        self.assertEqual(set(self.batch.units.values_list("serial", flat=True)), {"M1", "M4"})
        (waiting,) = self.api("get", f"batches/{self.batch.slug}/manifests")
        self.assertEqual((waiting["total"], waiting["counts"]["fault"]), (1, 1))
        self.api("post", f"{self.path}/aside", status=409)

    def test_what_waits_to_be_mended_is_no_surplus_at_the_door(self):
        self.mend(2, left_out="not ours")
        self.api("post", f"{self.path}/aside")
        self.api("post", f"{self.path}/take")

        def scanned(code: str) -> dict:
            return self.api("post", f"batches/{self.batch.slug}/scan", {"code": code, "before": ""})

        said = scanned("m3")
        self.assertEqual(said["verdict"], "to_mend")
        self.assertIn("line 4 of", said["sentence"])
        self.assertEqual(self.api("get", f"batches/{self.batch.slug}/count")["notes"], [])
        self.assertEqual(scanned("M9")["verdict"], "surplus")
        (waiting,) = self.api("get", f"batches/{self.batch.slug}/manifests")
        path = f"batches/{self.batch.slug}/manifests/{waiting['number']}"
        self.api("put", f"{path}/rows/4", {"sheet": "tolva-lern-11"})
        self.api("post", f"{path}/take")
        self.assertEqual(scanned("m3")["verdict"], "seen")

    def test_what_was_scanned_before_its_list_came_was_seen(self):
        for code in ("m1", "M4", "Q1"):
            path = f"batches/{self.batch.slug}/scan"
            self.assertEqual(
                self.api("post", path, {"code": code, "before": ""})["verdict"], "surplus"
            )
        aside = self.batch.scan_notes.get(code="M4")
        self.api("post", f"batches/{self.batch.slug}/notes/{aside.pk}", {"how": "aside"})
        self.mend(3, left_out="stands twice")
        self.mend(4, left_out="not ours")
        self.api("post", f"{self.path}/take")
        stages = dict(self.batch.units.values_list("serial", "stage"))
        self.assertEqual(stages, {"M1": "inspect", "M4": "arrive"})
        notes = {note.code: note.settled for note in self.batch.scan_notes.all()}
        tag = self.batch.units.get(serial="M1").tag
        settled = {"m1": f"announced since as {tag}, counted in", "M4": "set aside", "Q1": ""}
        self.assertEqual(notes, settled)

    def test_another_list_leaves_what_waits_alone(self):
        self.mend(3, aside=True)
        self.mend(4, aside=True)
        self.api("post", f"{self.path}/take")
        self.upload(f"batches/{self.batch.slug}/manifests", b"serial,model\nZ1,Lern 11\n")
        waiting = self.api("get", f"batches/{self.batch.slug}/manifests")
        self.assertEqual([one["total"] for one in waiting], [2])

    def test_nothing_is_taken_in_where_every_row_is_left_out(self):
        for line in (2, 3, 4, 5):
            self.mend(line, left_out="not ours")
        said = self.api("post", f"{self.path}/take", status=422)
        self.assertIn("nothing to take in", said["detail"])

    def test_an_unknown_model_is_noted_and_inspected_once_its_sheet_is_written(self):
        self.mend(3, left_out="stands twice")
        note = {"name": "Wharf Unheard 9", "maker": "Wharf", "model": "Unheard 9"}
        view = self.api("post", f"{self.path}/model", note)
        self.assertEqual(view["counts"]["fault"], 0)
        self.api("post", f"{self.path}/take")
        unit = self.batch.units.get(serial="M3")
        self.api("post", f"batches/{self.batch.slug}/count-in", {"tags": None})
        keep = {"started_from": 0, "trim": "std", "entries": {"grade": "b"}}
        said = self.api("post", f"units/{unit.tag}/inspection", keep, status=422)
        self.assertIn("Write its sheet first", said["detail"])
        self.assertEqual(self.stage(unit), "inspect")
        begun = self.api(
            "post",
            "sheets/begin",
            {"maker": "Wharf", "model": "Unheard 9", "near": "tolva-lern-11", "tag": ""},
        )
        saved = self.api(
            "post",
            "sheets",
            {"document": begun, "started_from": 1, "words": "seen", "move_waiting": True},
        )
        self.assertTrue(saved["sheet"]["written"])
        unit.refresh_from_db()
        self.assertEqual(unit.sheet_version, 2)
        self.api("post", f"units/{unit.tag}/inspection", keep)

    def test_only_a_receiver_mends(self):
        self.api("put", f"{self.path}/rows/3", {"aside": True}, status=403, person=self.ines)
