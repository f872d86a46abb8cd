import csv
import io
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from sortis_server.arrive.models import Unit
from tests.server.workshop import Workshop

GOOD = b"tag,serial,maker,model,notes\nTW-0412,A1,Ombrel,Folio 15,dent\n,A2,Quarrin,Stilt Q2,\n"


class Manifests(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def send(self, data: bytes, *, keep: bool = True, status: int = 200):
        answer = self.client_of(self.marit).post(
            f"/api/batches/{self.batch.slug}/manifest?keep={str(keep).lower()}",
            {"file": SimpleUploadedFile("list.csv", data, "text/csv")},
        )
        self.assertEqual(answer.status_code, status, answer.content[:500])
        return answer.json()

    def test_looking_keeps_nothing_taking_in_keeps_all(self):
        self.assertEqual(len(self.send(GOOD, keep=False)), 2)
        self.assertEqual(Unit.objects.count(), 0)
        lines = self.send(GOOD)
        self.assertEqual([line["tag"] for line in lines], ["TW-0412", "TW-0001"])
        self.assertEqual({unit.stage for unit in Unit.objects.all()}, {"arrive"})

    def test_one_unknown_model_refuses_the_whole_file_and_names_the_nearest(self):
        said = self.send(GOOD + b",A3,Ombrel,Folio 51,\n", status=422)
        self.assertEqual(
            said["facts"]["lines"],
            [[4, "no model sheet for Ombrel Folio 51; did you mean Ombrel Folio 15?"]],
        )
        self.assertEqual(Unit.objects.count(), 0)

    def test_what_was_there_before_is_still_there(self):
        self.send(GOOD)
        for bad, words in (
            (b"", "empty"),
            (b"a,b\n1,2\n", "header line lacks"),
            (GOOD, "on another unit already"),
            (b"serial,maker,model\nA2,Quarrin,Stilt Q2\n", "in this batch already"),
            (b"serial,maker,model\n=1+1,Quarrin,Stilt Q2\n", "formula"),
            ("serial,maker,model\nÄ,B,C\n".encode("latin-1"), "UTF-8"),
        ):
            said = self.send(bad, status=422)
            text = said["detail"] + str(said["facts"])
            self.assertIn(words, text)
        self.assertEqual(Unit.objects.count(), 2)

    def test_fifty_megabytes_are_refused_without_being_read_whole(self):
        self.assertIn("up to 5 MB", self.send(b"x" * 50_000_000, status=422)["detail"])

    def test_blank_tags_pass_over_numbers_that_are_taken(self):
        self.send(b"tag,serial,maker,model\nTW-0001,B1,Tolva,Lern 11\n,B2,Tolva,Lern 11\n")
        self.assertEqual(
            list(Unit.objects.order_by("position").values_list("tag", flat=True)),
            ["TW-0001", "TW-0002"],
        )

    def test_a_tag_is_found_however_it_is_typed(self):
        self.send(GOOD)
        for typed in ("TW-0412", "tw0412", "tw 412", "412"):
            self.assertEqual(self.api("get", f"units/{typed}")["tag"], "TW-0412")
        said = self.api("get", "units/TW-9999", status=404)
        self.assertIn("No unit carries the tag TW-9999", said["detail"])

    def test_counting_in_one_and_all(self):
        self.send(GOOD)
        slug = self.batch.slug
        one = self.api("post", f"batches/{slug}/count-in", {"tags": ["TW-0412"]})
        self.assertEqual(one["count"], 1)
        rest = self.api("post", f"batches/{slug}/count-in", {"tags": None})
        self.assertEqual(rest["count"], 1)
        self.assertEqual(self.api("get", f"batches/{slug}")["counts"]["inspect"], 2)

    def test_the_batch_as_csv_runs_nothing_in_a_spreadsheet(self):
        self.send(GOOD)
        Unit.objects.filter(tag="TW-0412").update(notes="=1+1")
        text = self.api("get", f"batches/{self.batch.slug}/units.csv").content.decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual(len(rows), 2)
        self.assertEqual(rows[0]["notes"], "'=1+1")

    def test_queries_for_a_list_do_not_grow_with_the_batch(self):
        def queries() -> int:
            with CaptureQueriesContext(
                connection,
            ) as seen:
                self.api("get", f"batches/{self.batch.slug}/units")
            return len(seen)

        for unit in self.announce("folio", "stilt"):
            self.inspect(unit)
        few = queries()
        for unit in self.announce(*["folio"] * 12):
            self.inspect(unit)
        self.assertEqual(queries(), few)

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
