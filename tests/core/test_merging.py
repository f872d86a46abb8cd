"""Two workshops' sheets of one model: every difference is asked, and every answer is kept."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.merging import NotAnswered, Whose, merged, questions
from sortis_core.sheets import FactSource, MemoryCeiling, ModelSheet
from sortis_core.sheetwork import sheet_faults, with_proof
from tests.core.sample import FOLIO, SHEETS
from tests.examples import few

OURS, THEIRS = Whose.OURS, Whose.THEIRS


def theirs(change) -> ModelSheet:
    document = FOLIO.model_dump(mode="json")
    change(document)
    return ModelSheet.model_validate(document | {"version": 7})


def answered(other: ModelSheet, *from_them: str) -> ModelSheet:
    answers = {q.key: THEIRS if q.key in from_them else OURS for q in questions(FOLIO, other)}
    return ModelSheet.model_validate(merged(FOLIO, other, answers))


class Questions(unittest.TestCase):
    def test_the_figure_of_a_memory_slot_has_no_source_of_its_own(self):
        def change(document):
            document["memory"]["slots"][0]["limit_gb"] += 16

        other = theirs(change)
        taken = answered(other, "memory/slots/m1/limit_gb")
        self.assertEqual(taken.memory, other.memory)

    def test_one_a_fact_in_words_with_its_sources(self):
        def change(document):
            document["drives"][0] |= {"limit_gb": 4000, "source": "bench"}
            document["memory"]["slots"][0]["label"] = "The slot"

        asked = questions(FOLIO, theirs(change))
        self.assertEqual(
            [(q.key, q.where) for q in asked],
            [
                ("memory/slots/m1/label", "memory, slots, Slot 1, label"),
                ("drives/d1/limit_gb", f"drives, {FOLIO.drives[0].label}, limit (GB)"),
            ],
        )
        limit = asked[1]
        self.assertEqual((limit.ours, limit.theirs), (str(FOLIO.drives[0].limit_gb), "4000"))
        self.assertEqual(limit.ours_source, FOLIO.drives[0].source.label)
        self.assertEqual(limit.theirs_source, FactSource.BENCH.label)
        socket = answered(theirs(change), limit.key).drives[0]
        self.assertEqual((socket.limit_gb, socket.source), (4000, FactSource.BENCH))

    def test_a_source_alone_is_a_question_of_its_own(self):
        other = theirs(lambda d: d["drives"][0].update(source="guess"))
        (asked,) = questions(FOLIO, other)
        self.assertEqual((asked.key, asked.theirs), ("drives/d1/source", FactSource.GUESS.label))

    def test_what_every_workshop_has_for_itself_is_not_asked(self):
        self.assertEqual(questions(FOLIO, theirs(lambda d: None)), ())
        named = FOLIO.model_copy(update={"written": False, "version": 99})
        self.assertEqual(questions(FOLIO, named), ())

    def test_a_proof_is_one_question_with_who_saw_it_and_on_how_many(self):
        proven = MemoryCeiling(
            gb=40, source=FactSource.BENCH, units_on_record=12, seen_by="Harbour Works"
        )
        other = FOLIO.model_copy(
            update={"memory": FOLIO.memory.model_copy(update={"proven": proven})}
        )
        (asked,) = questions(FOLIO, other)
        self.assertEqual(
            (asked.where, asked.ours, asked.theirs, asked.theirs_source),
            (
                "memory, proven",
                "24 GB on 4 units",
                "40 GB on 12 units, seen by Harbour Works",
                "bench-proven",
            ),
        )
        self.assertEqual(answered(other, asked.key).memory.proven, proven)
        self.assertEqual(answered(other), FOLIO)

    def test_what_is_new_there_goes_where_it_stands_there(self):
        def change(document):
            document["parts"].insert(2, {"key": "lid", "label": "Lid", "kind": "lid"})
            document["tests"].pop()

        other = theirs(change)
        asked = {q.key: q for q in questions(FOLIO, other)}
        self.assertEqual(set(asked), {"parts/lid", f"tests/{FOLIO.tests[-1].key}"})
        self.assertEqual(asked[f"tests/{FOLIO.tests[-1].key}"].theirs, "")
        both = answered(other, *asked)
        self.assertEqual([p.key for p in both.parts], [p.key for p in other.parts])
        self.assertEqual(len(both.tests), len(FOLIO.tests) - 1)
        self.assertEqual(answered(other), FOLIO)

    def test_another_order_is_a_question(self):
        other = theirs(lambda d: d["route"]["steps"].reverse())
        (asked,) = questions(FOLIO, other)
        self.assertEqual(asked.where, "route, steps: their order")
        turned = answered(other, asked.key)
        self.assertEqual(turned.route.steps, tuple(reversed(FOLIO.route.steps)))


class Answers(unittest.TestCase):
    def test_a_question_without_an_answer_merges_nothing(self):
        other = theirs(lambda d: d.update(year=2015, summary="Other."))
        with self.assertRaisesRegex(NotAnswered, "1 of 2 questions is still open"):
            merged(FOLIO, other, {"year": THEIRS})
        with self.assertRaisesRegex(NotAnswered, "changed after"):
            merged(FOLIO, other, {"year": OURS, "summary": OURS, "gone": OURS})

    @few(6)
    @given(st.sampled_from(sorted(SHEETS)), st.sampled_from(sorted(SHEETS)), st.data())
    def test_all_of_theirs_is_their_sheet_and_all_of_ours_is_ours(self, one, other, data):
        ours = SHEETS[one]
        there = SHEETS[other].model_copy(update={"key": ours.key})
        asked = questions(ours, there)
        self.assertEqual(merged(ours, there, {q.key: OURS for q in asked}), ours.model_dump())
        everything = merged(ours, there, {q.key: THEIRS for q in asked})
        # In which order they stand is asked once both hold the same.
        left = questions(ModelSheet.model_validate(everything), there)
        self.assertEqual([q for q in left if not q.key.endswith("/")], [])
        # What is answered by halves leaves just the other half to ask.
        keys = [q.key for q in asked]
        half = {key for key in keys if data.draw(st.integers(0, 9)) == 0}
        document = merged(ours, there, {key: THEIRS if key in half else OURS for key in keys})
        if not sheet_faults(document):
            left = {q.key for q in questions(ModelSheet.model_validate(document), there)}
            self.assertLessEqual({key for key in left if not key.endswith("/")}, {*keys} - half)

    def test_the_proof_of_ones_own_names_the_workshop(self):
        class Offer:
            gb, units = 48, 5

        self.assertEqual(with_proof(FOLIO, Offer, "Tidewright").memory.proven.seen_by, "Tidewright")
