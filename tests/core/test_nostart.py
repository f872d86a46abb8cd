import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.intake.entry import read_entries
from sortis_core.nostart import SearchRefused, search, search_steps
from tests.core.sample import FOLIO, SHEETS, STILT, stilt

TARN = SHEETS["kestrin-tarn-14"]


def blank(sheet):
    return read_entries(sheet, sheet.trims[0].key, {})[0]


class Searching(unittest.TestCase):
    def test_only_what_the_model_has_is_tried_and_outside_comes_first(self):
        keys = [step.key for step in search_steps(TARN, blank(TARN))]
        self.assertEqual(
            keys, ["adapter", "external", "drain", "screen", "internal", "memory", "coin"]
        )
        self.assertEqual(
            [step.key for step in search_steps(STILT, blank(STILT))],
            ["adapter", "drain", "memory", "coin"],
        )
        opened = [step.opens for step in search_steps(TARN, blank(TARN))]
        self.assertEqual(opened, sorted(opened))

    def test_opening_steps_carry_their_cautions(self):
        for step in search_steps(TARN, blank(TARN)):
            if step.opens:
                self.assertIn("Powered off, not asleep", step.cautions[0])

    def test_an_adapter_or_a_pack_is_found_before_the_board(self):
        found = search(FOLIO, blank(FOLIO), (("adapter", "y"),))
        self.assertEqual(found.result.entries, {"starts": "+"})
        found = search(TARN, blank(TARN), (("adapter", "n"), ("external", "y")))
        self.assertEqual(found.result.entries, {"starts": "+", "p2": "x"})

    def test_life_without_a_picture_asks_for_the_screen_next(self):
        at = search(TARN, blank(TARN), (("adapter", "s"),))
        self.assertEqual(at.step.key, "screen")
        found = search(TARN, blank(TARN), (("adapter", "s"), ("screen", "y")))
        self.assertEqual(found.result.entries, {"starts": "+", "screen": "x"})
        self.assertIn("panel or its cable", found.result.words)

    def test_a_faulty_module_or_slot_is_named(self):
        answers = (("adapter", "n"), ("drain", "n"), ("memory", "2"))
        found = search(STILT, stilt(), answers)
        self.assertIn("Slot 2: the module there is faulty", found.result.words)
        self.assertEqual(found.result.entries, {"starts": "+", "m2": "x"})

    def test_nothing_helps_then_it_is_the_board_not_the_pack(self):
        answers = tuple((step.key, "n") for step in search_steps(TARN, blank(TARN)))
        found = search(TARN, blank(TARN), answers)
        self.assertEqual(found.result.entries, {"starts": "x"})
        self.assertIn("The pack is not the reason", found.result.words)

    def test_an_answer_that_does_not_belong_is_refused(self):
        with self.assertRaises(SearchRefused):
            search(STILT, blank(STILT), (("external", "y"),))
        with self.assertRaises(SearchRefused):
            search(STILT, blank(STILT), (("adapter", "q"),))

    @given(st.sampled_from(sorted(SHEETS)), st.data())
    def test_every_search_ends_in_entries_the_strip_takes(self, key, data):
        sheet = SHEETS[key]
        findings = blank(sheet)
        answers: list[tuple[str, str]] = []
        at = search(sheet, findings, ())
        while at.step:
            answer = data.draw(st.sampled_from([one.key for one in at.step.answers]))
            answers.append((at.step.key, answer))
            at = search(sheet, findings, tuple(answers))
        self.assertEqual(len(at.done), len(answers))
        _, refusals = read_entries(sheet, findings.trim, at.result.entries)
        self.assertEqual(refusals, {})
