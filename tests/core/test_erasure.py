"""Reports of erasers: what proves something, and what proves nothing."""

import contextlib
import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.intake.erasure import ReportRefused, read_report, require_drives, sealed_json
from standins.eraser import report_of
from tests.examples import few

GOOD = {
    "tool": "bench eraser 3.1",
    "drive_serial": "7KX-9921",
    "method": "overwritten once",
    "result": "passed",
    "verified": True,
    "ended": "2026-11-20T10:00:00+00:00",
}


class Reading(unittest.TestCase):
    def refused(self, words: str, text: str) -> None:
        with self.assertRaisesRegex(ReportRefused, words):
            read_report(text)

    def test_a_sealed_report_is_the_tools_word(self):
        report = read_report(sealed_json(GOOD))
        self.assertTrue(report.sealed and report.verified)
        self.assertEqual(
            report.words,
            "drive 7KX-9921: overwritten once, read back, bench eraser 3.1, "
            "2026-11-20T10:00:00+00:00",
        )

    def test_one_that_was_edited_is_a_persons_word(self):
        edited = json.loads(sealed_json(GOOD | {"drive_serial": "OTHER-1"}))
        report = read_report(json.dumps(edited | {"drive_serial": "7KX-9921"}))
        self.assertFalse(report.sealed)
        self.assertIn("the word of a person", report.words)
        self.assertFalse(read_report(json.dumps(GOOD)).sealed)
        # Blanks and the order of fields are no edit: the seal is over what is said.
        again = json.dumps(dict(reversed(json.loads(sealed_json(GOOD)).items())))
        self.assertTrue(read_report(again).sealed)

    def test_lines_are_read_as_well(self):
        text = "Tool: bench eraser\r\nSerial Number: AB 12 CD\nMethod: crypto erase\nStatus: OK\n"
        report = read_report(text)
        self.assertEqual((report.serial, report.method), ("AB 12 CD", "crypto erase"))
        self.assertFalse(report.verified or report.sealed)
        self.assertIn("not read back", report.words)

    def test_what_failed_says_so_and_proves_nothing(self):
        self.refused("7KX-9921: failed. It is not", json.dumps(GOOD | {"result": "FAILED"}))
        self.refused("aborted", json.dumps(GOOD | {"result": "aborted"}))
        self.refused("does not say that", json.dumps(GOOD | {"result": "maybe"}))
        self.refused("does not say that", json.dumps({k: GOOD[k] for k in GOOD if k != "result"}))
        self.refused("by which method", json.dumps(GOOD | {"method": ""}))
        self.refused("names no serial", json.dumps(GOOD | {"drive_serial": "-"}))

    def test_what_is_no_report_is_refused_by_name(self):
        for text, words in (
            ("", "neither JSON nor lines"),
            ("smartctl: command not found", "names no serial"),
            ('{"serial": "AB1', "cut off"),
            ("[1]", "neither JSON"),
            ('{"a": NaN}', "cut off"),
            ("{" * 50_000, "cut off"),
            ("x: y\n" * 30_000, "more than 64 KB"),
            ("x: y\n" * 300, "neither JSON nor lines"),
            (json.dumps({"serial": {"a": 1}}), "names no serial"),
            (json.dumps({"serial": None, "result": 1e308}), "names no serial"),
        ):
            self.refused(words, text)

    @few(60)
    @given(st.text(max_size=200) | st.recursive(st.none() | st.text(), st.lists).map(json.dumps))
    def test_nothing_but_a_named_refusal_comes_out(self, text):
        with contextlib.suppress(ReportRefused):
            read_report(text)

    def test_the_simulated_eraser_fails_now_and_then_and_always_alike(self):
        passed = 0
        for number in range(60):
            try:
                passed += read_report(report_of(f"DRIVE-{number:04d}")).sealed
            except ReportRefused as refusal:
                self.assertIn("failed", refusal.sentence)
                self.refused("failed", report_of(f"DRIVE-{number:04d}"))
        self.assertTrue(45 < passed < 60, passed)

    def test_what_is_no_text_is_refused_wherever_it_stands(self):
        """JSON may spell halves of characters, which no database keeps and no paper shows."""
        good = {"serial": "QX-4471", "result": "passed", "method": "overwrite"}
        for field in good:
            for mark in ("\ud800", "\x07"):
                text = json.dumps(good | {field: f"passed {mark}"})
                with self.assertRaises(ReportRefused):
                    read_report(text)
        sealed = json.loads(sealed_json(good | {"note": "\ud800"}))
        self.assertEqual(read_report(json.dumps(sealed)).serial, "QX-4471")


class Drives(unittest.TestCase):
    def reports(self, *serials):
        return [read_report(sealed_json(GOOD | {"drive_serial": one})) for one in serials]

    def refused(self, words, *given):
        with self.assertRaisesRegex(ReportRefused, words):
            require_drives(*given)

    def test_each_drive_has_its_own(self):
        one, two = self.reports("AAA-1", "BBB-2")
        words = require_drives([one, two], 2, (), ())
        self.assertIn("AAA-1", words)
        self.assertIn("BBB-2", words)
        self.refused("One drive wants one", [one, two], 1, (), ())
        self.refused("2 drives want", [one], 2, (), ())
        self.refused("same drive", self.reports("AAA-1", "aaa 1"), 2, (), ())

    def test_one_of_another_drive_or_given_before_is_refused(self):
        (one,) = self.reports("AAA-1")
        self.assertTrue(require_drives([one], 1, ("aaa1", "CCC3"), ()))
        self.refused("read-out saw CCC3", [one], 1, ("CCC3",), ())
        self.refused("given for another drive", [one], 1, (), (one.digest,))
