"""Heavy files are read apart, under limits; light ones at once; both read the same."""

import io
import json
import zipfile
from unittest import mock

from django.test import SimpleTestCase

from sortis_core.intake import apart as limits
from sortis_core.intake.manifest import ManifestRefused, read_table
from sortis_core.intake.readout import BundleRefused, read_bundle
from sortis_server import apart
from sortis_server.apart import readout_of, table_of
from standins.probe import Probe
from tests.core.sample import FOLIO, folio
from tests.core.test_manifest import repacked, workbook

LIST = workbook(["serial", "model"], ["FX700114", "Lern 11"])


def with_rows(rows: bytes) -> bytes:
    return repacked(
        LIST,
        lambda n, d: d.replace(b"</sheetData>", rows + b"</sheetData>") if "sheet1" in n else d,
    )


class Apart(SimpleTestCase):
    def setUp(self):
        apart._tables.clear()

    def test_a_light_file_costs_no_process(self):
        with mock.patch.object(apart.subprocess, "run") as run:
            self.assertEqual(table_of(LIST), read_table(LIST))
            bundle = Probe(FOLIO, folio(), "S1").bundle()
            self.assertEqual(readout_of(bundle), read_bundle(bundle))
        run.assert_not_called()

    def test_a_heavy_list_reads_the_same_and_once(self):
        rows = b"".join(
            b'<row r="%d"><c r="A%d" t="inlineStr"><is><t>FX%06d</t></is></c>'
            b'<c r="B%d" t="inlineStr"><is><t>Lern 11</t></is></c></row>' % (n, n, n, n)
            for n in range(3, 9000)
        )
        data = with_rows(rows + b" " * 700_000)
        self.assertTrue(limits.is_heavy(data))
        with mock.patch.object(apart.subprocess, "run", wraps=apart.subprocess.run) as run:
            self.assertEqual(table_of(data), read_table(data))
            self.assertEqual(len(table_of(data).rows), 8998)
        self.assertEqual(run.call_count, 1)

    def test_what_takes_too_much_memory_or_time_is_told_and_ended(self):
        wide = b'<row r="3">' + b'<c r="A3"><v>1</v></c>' * 900_000 + b"</row>"
        data = with_rows(wide)
        self.assertLess(len(data), 300_000)
        for name, most, words in (
            ("MOST_MEMORY", 120_000_000, "more than 120 MB of memory"),
            ("MOST_SECONDS", 1, "more than 1 seconds"),
        ):
            told = self.assertRaisesRegex(ManifestRefused, words)
            with mock.patch.object(limits, name, most), told:
                table_of(data)

    def test_a_refusal_keeps_its_sentence_and_lines(self):
        far = b'<row r="900000"><c r="A900000"><v>1</v></c></row>' + b" " * 1_600_000
        with self.assertRaisesRegex(ManifestRefused, "empty lines") as refused:
            table_of(with_rows(far))
        self.assertEqual(refused.exception.facts["lines"], [[2, "empty lines follow"]])
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("nothing.txt", b" " * 2_000_000)
        with self.assertRaisesRegex(BundleRefused, "no output of dmidecode"):
            readout_of(out.getvalue())

    def test_a_process_that_says_nothing_or_nonsense_is_a_refusal(self):
        data = with_rows(b" " * 1_600_000)
        for said in (b"", b"Traceback", json.dumps({"over": "seconds"}).encode()):
            with mock.patch.object(apart.subprocess, "run") as run:
                run.return_value.stdout = said
                with self.assertRaisesRegex(ManifestRefused, "Nothing was kept"):
                    table_of(data)
