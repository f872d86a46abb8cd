"""The bench line: read, pointed at where unclear, completed, written and read back."""

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries
from sortis_core.findings import HazardKind
from sortis_core.intake.benchline import code_words, complete, read_line, write_line
from sortis_core.intake.entry import read_entries
from tests.core.sample import FOLIO, LERN, SHEETS, STILT

TARN = SHEETS["kestrin-tarn-14"]


class ALine(unittest.TestCase):
    def test_logs_a_whole_unit(self):
        line = read_line(
            FOLIO,
            "disk",
            "t flash / m 8 - / s n256 2280 93% - / b 37.5/46.62 620c / miss base / fail cam / g b"
            " / ok",
        )
        self.assertEqual(line.unclear, ())
        self.assertEqual(line.trim, "flash")
        self.assertEqual(
            line.entries,
            {
                "m0": "8",
                "m1": "-",
                "d1": "n256 2280 93%",
                "d2": "-",
                "p1": "37.5/46.62 620c",
                "base_screws": "-",
                "camera": "x",
                "grade": "b",
                "*": "+",
            },
        )

    def test_each_word_says_what_it_was_taken_for(self):
        line = read_line(FOLIO, "flash", "m 8 - / b 37.5/46.62 620c / cam x")
        said = {word.words for word in line.words}
        self.assertIn("Soldered: 8 GB DDR4", said)
        self.assertIn("Slot 1: empty", said)
        self.assertIn("Pack: 37.5 of 46.6 Wh, 80.4 %, 620 cycles", said)
        self.assertIn("Camera: failed", said)

    def test_attributes_belong_to_what_stands_before_them(self):
        line = read_line(
            TARN, "std", "m 8 2133 16 2400 / s h500 - n256 2242 88% / b 20/23.5 30/48.8 11.1v"
        )
        self.assertEqual(line.unclear, ())
        self.assertEqual(line.entries["m1"], "8 2133")
        self.assertEqual(line.entries["d3"], "n256 2242 88%")
        self.assertEqual(line.entries["p2"], "30/48.8 11.1v")

    def test_scanned_words_mean_the_same(self):
        typed = read_line(STILT, "std", "m 8 - / s s256 - / g b / ok / keep")
        scanned = read_line(STILT, "std", "~m ~8 ~- ~/ ~s ~s256 ~- ~/ ~g ~b ~/ ~ok ~/ ~keep")
        self.assertEqual((typed.entries, typed.command), (scanned.entries, scanned.command))
        self.assertEqual(scanned.command, "keep")

    def test_same_and_undo_are_said_not_done(self):
        self.assertTrue(read_line(STILT, "std", "same / m 8 8").same)
        self.assertEqual(read_line(STILT, "std", "undo").command, "undo")

    def test_a_danger_is_a_word_too(self):
        line = read_line(LERN, "std", "! o")
        findings, _ = read_entries(LERN, "std", line.entries)
        self.assertIs(findings.hazard_kind("unit"), HazardKind.LIT)
        findings, _ = read_entries(LERN, "std", read_line(LERN, "std", "b !s").entries)
        self.assertIs(findings.hazard_kind("p1"), HazardKind.SWOLLEN)


class Unclear(unittest.TestCase):
    def pointed(self, sheet, text: str, trim: str = "") -> list[tuple[str, str]]:
        line = read_line(sheet, trim or sheet.trims[0].key, text)
        return [(text[w.start : w.end], w.words) for w in line.unclear]

    def test_the_word_is_pointed_at_with_what_to_type(self):
        for sheet, text, word, sentence in (
            (STILT, "m 8 8 8", "8", "Slot 2 is the last memory place. There is no place for “8”"),
            (LERN, "m 8 / s s256 n512", "n512", "M.2 socket is the last drive place"),
            (STILT, "b 38", "38", "It has no pack"),
            (FOLIO, "miss bay", "bay", "Bay cable or Bay frame or Bay screws. Type more"),
            (FOLIO, "miss hinge", "hinge", "is no required part of this model"),
            (FOLIO, "fail wings", "wings", "is no function test"),
            (FOLIO, "t gold", "gold", "Say the trim after t: disk or flash or lite"),
            (FOLIO, "grumble", "grumble", "Segments begin with t, m, s"),
            (FOLIO, "ok camera", "camera", "Put a / before “camera”"),
            (FOLIO, "m 8 32", "32", "takes up to 16 GB"),
            (FOLIO, "s s256", "s256", "speaks NVMe only. This drive is SATA"),
            (FOLIO, "g", "g", "Say a, b or c"),
            (FOLIO, "! q", "q", "s swollen"),
            (FOLIO, "cam", "cam", "Say after it what is at Camera"),
        ):
            with self.subTest(text):
                pointed = self.pointed(sheet, text)
                self.assertEqual([w for w, _ in pointed][-1], word)
                self.assertIn(sentence, pointed[-1][1])

    def test_what_is_unclear_leaves_the_rest_read(self):
        line = read_line(STILT, "std", "m 99 8 / s s256")
        self.assertEqual(line.entries, {"m2": "8", "d1": "s256"})

    @given(st.text(max_size=60), st.sampled_from(sorted(SHEETS)))
    def test_any_text_is_read_or_pointed_at(self, text, key):
        sheet = SHEETS[key]
        line = read_line(sheet, sheet.trims[0].key, text)
        for word in line.words:
            self.assertLessEqual(0, word.start)
            self.assertLess(word.start, word.end)
            self.assertLessEqual(word.end, len(text))
        _, refusals = read_entries(sheet, line.trim, line.entries)
        self.assertEqual(refusals, {})


class Completing(unittest.TestCase):
    def texts(self, sheet, text: str) -> list[str]:
        return [c.text for c in complete(sheet, sheet.trims[0].key, text, len(text))]

    def test_heads_then_what_fits_the_next_place(self):
        self.assertEqual(self.texts(FOLIO, "")[:3], ["t", "m", "s"])
        self.assertNotIn("t", self.texts(STILT, ""))
        self.assertEqual(self.texts(FOLIO, "m "), ["4", "8"])
        self.assertEqual(self.texts(FOLIO, "m 8 "), ["4", "8", "16", "-", "x"])
        self.assertEqual(self.texts(STILT, "s s256 ")[:2], ["n256", "s256"])
        self.assertEqual(self.texts(FOLIO, "b "), ["37/46.62", "-"])
        self.assertEqual(self.texts(FOLIO, "miss hea"), ["heat_sink"])
        self.assertEqual(self.texts(FOLIO, "fail cam"), ["camera"])
        self.assertEqual(self.texts(FOLIO, "m 8 16 "), [])

    @given(st.sampled_from(sorted(SHEETS)), st.sampled_from(["m ", "s ", "b ", "g ", "t "]))
    def test_what_is_offered_is_understood(self, key, text):
        sheet = SHEETS[key]
        for offered in complete(sheet, sheet.trims[0].key, text, len(text)):
            line = read_line(sheet, sheet.trims[0].key, text + offered.text)
            self.assertEqual(line.unclear, (), offered)


class Written(unittest.TestCase):
    @given(st.integers(0, 10_000), st.sampled_from(sorted(SHEETS)))
    def test_a_written_line_reads_back_to_the_same_findings(self, seed, key):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        entries = make_entries(sheet, trim, dice)
        for place in dice.sample(sorted(entries), k=dice.randint(0, 4)):
            entries.pop(place)
        if dice.random() < 0.2:
            entries["unit"] = dice.choice(["!", "!o", "!m"])
        findings, refusals = read_entries(sheet, trim, entries)
        self.assertEqual(refusals, {})
        line = read_line(sheet, sheet.trims[0].key, write_line(sheet, findings))
        self.assertEqual(line.unclear, ())
        again, _ = read_entries(sheet, line.trim, line.entries)
        self.assertEqual(_seen(again), _seen(findings))

    def test_every_printed_code_is_a_word_of_the_line(self):
        for sheet in SHEETS.values():
            words = code_words(sheet)
            self.assertEqual(len(words["Parts"]), len(sheet.parts))
            for word in words["Parts"]:
                trim = next(
                    t.key for t in sheet.trims if word in {p.key for p in sheet.parts_of(t.key)}
                )
                self.assertEqual(read_line(sheet, trim, f"~miss ~{word}").unclear, ())


def _seen(findings):
    """Findings without the places that say only that nobody looked."""
    plain = findings.model_dump(mode="json")
    for kind in ("modules", "drives", "packs"):
        plain[kind] = {k: v for k, v in plain[kind].items() if v["state"] != "unseen"}
    return plain
