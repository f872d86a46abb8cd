import json
import unittest
from pathlib import Path

from demo.generator import make_case
from sortis_core.day import DayCase
from sortis_core.documents import (
    NEWEST,
    RENAMED,
    DocumentRefused,
    NewerDocument,
    read_document,
    upgraded,
)
from sortis_core.findings import Findings
from sortis_core.plan import Case, OpenOrder, Plan, SalesOrder, make_plan
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.vocabulary.words import LISTS, vocabulary
from tests.core.sample import DESK, FOLIO, SHEETS, folio

FORMER = {
    field: {code: old for old, code in words.items() if code is not None}
    for field, words in RENAMED.items()
}


def as_format_1(document):
    """The document as it was stored before: labels for codes, no format."""
    if isinstance(document, dict):
        return {
            field: former(field, value) for field, value in document.items() if field != "format"
        }
    return document


def former(field, value):
    if isinstance(value, list):
        return [former(field, one) for one in value]
    if isinstance(value, str):
        if field == "key" and value.startswith("release "):
            return value.replace("release", "release as is", 1)
        return FORMER.get(field, {}).get(value, value)
    return as_format_1(value)


class Older(unittest.TestCase):
    def test_every_sheet_of_format_1_reads_as_it_does_now(self):
        for sheet in SHEETS.values():
            now = json.loads(sheet.model_dump_json())
            before = as_format_1(now)
            self.assertNotEqual(before, now)
            self.assertEqual(read_document(ModelSheet, before), sheet)

    def test_a_case_with_all_that_is_in_it(self):
        case = make_case(3, 6)
        policy = case.policy.model_copy(update={"filling": "capacity", "harvest": "new_only"})
        case = Case.model_validate_json(
            case.model_copy(update={"policy": policy, "goal": "orders"}).model_dump_json()
        )
        self.assertEqual(read_document(Case, as_format_1(json.loads(case.model_dump_json()))), case)
        plan = make_plan(case)
        self.assertEqual(read_document(Plan, as_format_1(json.loads(plan.model_dump_json()))), plan)

    def test_words_in_lists_and_dangers(self):
        hazard = {"state": "hazard", "hazard": "smelling or hissing"}
        found = read_document(
            Findings,
            {"sheet": "x", "trim": "y", "packs": {"p1": hazard}, "unit_hazard": "dangerous"},
        )
        self.assertEqual((found.packs["p1"].hazard, found.unit_hazard), ("smelling", "unnamed"))
        self.assertEqual(
            upgraded({"skills": ["bench", "setting up"]})["skills"], ["bench", "setup"]
        )

    def test_a_drive_without_a_record_counts_as_found(self):
        old = as_format_1(json.loads(folio().model_dump_json()))
        del old["origins"]
        self.assertTrue(read_document(Findings, old).came_with_data("d1"))

    def test_what_is_in_codes_already_stays(self):
        now = json.loads(FOLIO.model_dump_json())
        again = upgraded(now)
        self.assertEqual(again | {"format": now["format"]}, now)

    def test_format_2_calls_orders_by_other_names(self):
        """Customers' orders and work orders had one name before."""
        case = make_case(3, 4)
        order = SalesOrder(key="o1", customer="Pilots", standard="class-set", count=1)
        open_order = OpenOrder(tag=case.units[1].tag, outcome="hold")
        case = case.model_copy(update={"sales_orders": (order,), "open_orders": (open_order,)})
        now = json.loads(case.model_dump_json())
        before = {"sales_orders": "orders", "open_orders": "released"}
        old = {before.get(field, field): value for field, value in now.items()}
        self.assertEqual(read_document(Case, old | {"format": "sortis-case-2"}), case)
        plan = make_plan(case.model_copy(update={"open_orders": ()}))
        old_plan = json.loads(plan.model_dump_json())
        old_plan["orders"] = old_plan.pop("sales_orders")
        for outcome in old_plan["outcomes"]:
            outcome["order"] = outcome.pop("sales_order")
        self.assertTrue(any(outcome["order"] == "o1" for outcome in old_plan["outcomes"]))
        self.assertEqual(read_document(Plan, old_plan | {"format": "sortis-plan-2"}), plan)


class Newer(unittest.TestCase):
    def test_a_newer_format_is_refused_with_a_sentence(self):
        for kind, document in ((ModelSheet, FOLIO), (Standard, DESK), (Policy, Policy())):
            later = json.loads(document.model_dump_json())
            name = later["format"].removesuffix(f"-{NEWEST}")
            later["format"] = f"{name}-{NEWEST + 1}"
            with self.assertRaisesRegex(NewerDocument, "Update Sortis"):
                read_document(kind, later)

    def test_also_where_it_is_inside_an_older_one(self):
        case = as_format_1(json.loads(make_case(3, 4).model_dump_json()))
        case["standards"][0]["format"] = f"sortis-standard-{NEWEST + 5}"
        with self.assertRaises(NewerDocument):
            read_document(Case, case)


class NoDocument(unittest.TestCase):
    def test_halves_of_characters_are_no_text(self):
        """JSON may spell them; no database keeps them and no paper shows them."""
        good = {"sheet": "quarrin-stilt-q2", "trim": "std"}
        read_document(Findings, good)
        for bad in (
            {"trim": "s\ud800"},
            {"remarks": {"screen": "dim\udfff"}},
            {"remarks": {"scr\ud800een": "dim"}},
        ):
            with self.assertRaises(DocumentRefused):
                read_document(Findings, good | bad)

    def test_anything_else_is_refused_and_says_where(self):
        for document in (None, 5, "x", [], [1], {"format": "a-sheet"}, {"format": "sortis-sheet"}):
            with self.assertRaises(DocumentRefused):
                read_document(ModelSheet, document)
        broken = json.loads(FOLIO.model_dump_json())
        broken["drives"][0]["connector"] = "hook"
        with self.assertRaisesRegex(DocumentRefused, r"drives\.0\.connector"):
            read_document(ModelSheet, broken)

    def test_a_gate_nobody_knows_is_refused_and_named(self):
        broken = json.loads(DESK.model_dump_json())
        broken["gates"].append({"type": "smell"})
        with self.assertRaisesRegex(DocumentRefused, "smell"):
            read_document(Standard, broken)


class Words(unittest.TestCase):
    def test_codes_are_short_and_labels_apart(self):
        for terms in LISTS:
            labels = [term.label for term in terms]
            self.assertEqual(len(set(labels)), len(labels), terms)
            for term in terms:
                self.assertEqual(f"{term}", term.label)
                self.assertEqual(str(term), term.value)
                self.assertEqual(json.loads(json.dumps(term)), term.value)

    def test_every_list_of_the_core_leaves_it(self):
        """A list that a document or an answer holds, and that is served to nobody, has no words."""
        from sortis_core.vocabulary.term import Term

        unserved = {"SourceKind"}
        known = {terms.__name__ for terms in LISTS} | unserved
        self.assertEqual({kind.__name__ for kind in Term.__subclasses__()} - known, set())
        self.assertEqual({one.name for one in vocabulary().lists} | unserved, known)

    def test_the_demo_is_written_in_the_newest_format(self):
        for file in Path("demo/sheets").glob("*.json"):
            self.assertEqual(json.loads(file.read_text())["format"], f"sortis-sheet-{NEWEST}")

    def test_days_read_too(self):
        self.assertEqual(DayCase.model_fields["format"].default, f"sortis-day-case-{NEWEST}")
