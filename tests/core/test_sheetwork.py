import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.assess import assess
from sortis_core.facts.configuration import configuration_words
from sortis_core.intake.entry import read_entries
from sortis_core.intake.readout import compare, read_bundle
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import (
    from_nearest,
    from_readout,
    proven_offer,
    sheet_faults,
    sheet_key,
    what_changed,
    with_proof,
)
from sortis_core.strip import draw_strip
from standins.probe import Probe
from tests.core.sample import FOLIO, SHEETS, STANDARDS, STILT, folio, stilt
from tests.examples import few


def edited(change) -> ModelSheet:
    document = FOLIO.model_dump(mode="json")
    change(document)
    return ModelSheet.model_validate(document | {"version": 2})


class Changes(unittest.TestCase):
    def said(self, change) -> list[tuple[str, str, str]]:
        return [(c.where, c.was, c.now) for c in what_changed(FOLIO, edited(change))]

    def test_a_new_version_alone_changes_nothing(self):
        self.assertEqual(self.said(lambda d: None), [])

    def test_facts_are_named_by_the_keys_of_their_places(self):
        self.assertEqual(
            self.said(lambda d: d["memory"]["slots"][0].update(limit_gb=32)),
            [("memory › slots › m1 › limit_gb", "16", "32")],
        )
        self.assertEqual(
            self.said(lambda d: d.update(seals=[])),
            [("seals", FOLIO.seals[0], "")],
        )

    def test_places_that_come_and_go_are_one_change_each(self):
        said = self.said(lambda d: d["tests"].pop())
        self.assertEqual([where for where, _, _ in said], ["tests › fan"])
        said = self.said(lambda d: d["parts"].append({"key": "lid", "label": "Lid", "kind": "lid"}))
        self.assertEqual((said[0][0], said[0][1]), ("parts › lid", ""))
        self.assertIn("label Lid", said[0][2])

    def test_another_order_is_said(self):
        said = self.said(lambda d: d["route"]["steps"].reverse())
        self.assertEqual([where for where, _, _ in said], ["route › steps (order)"])


class Faults(unittest.TestCase):
    def test_each_names_its_place(self):
        document = FOLIO.model_dump(mode="json")
        self.assertEqual(sheet_faults(document), ())
        document["memory"]["slots"][0]["limit_gb"] = "many"
        self.assertEqual(sheet_faults(document)[0].where, "memory › slots › 0 › limit_gb")

    def test_a_circle_in_the_route_is_found(self):
        document = FOLIO.model_dump(mode="json")
        document["route"]["steps"][0]["after"] = ["base_off"]
        said = sheet_faults(document)[0].sentence
        self.assertIn("base_off", said)
        self.assertIn("wait for each other in a circle", said)


def paths(document, path=()):
    yield path
    if isinstance(document, dict | list):
        inner = document.items() if isinstance(document, dict) else enumerate(document)
        for key, value in inner:
            yield from paths(value, (*path, key))


def replaced(document, path, value):
    if not path:
        return value
    copy = dict(document) if isinstance(document, dict) else list(document)
    copy[path[0]] = replaced(copy[path[0]], path[1:], value)
    return copy


class HalfWritten(unittest.TestCase):
    """A sheet while somebody writes it is told what is wrong, or it works in every part."""

    VALUES = st.one_of(
        st.none(),
        st.booleans(),
        st.integers(-5, 5000),
        st.text(max_size=6),
        st.just([]),
        st.just({}),
    )

    @few(25)
    @given(st.sampled_from(sorted(SHEETS)), st.data())
    def test_any_change_is_a_fault_in_words_or_a_sheet_that_works(self, key, data):
        document = SHEETS[key].model_dump(mode="json")
        path = data.draw(st.sampled_from(list(paths(document))))
        changed = replaced(document, path, data.draw(self.VALUES))
        if faults := sheet_faults(changed):
            for fault in faults:
                self.assertTrue(fault.where)
                self.assertGreater(len(fault.sentence), 8)
            return
        sheet = ModelSheet.model_validate(changed)
        what_changed(SHEETS[key], sheet)
        for trim in sheet.trims:
            findings, refusals = read_entries(sheet, trim.key, {"*": "+", "grade": "b"})
            self.assertEqual(refusals, {})
            assess(sheet, findings, STANDARDS, Policy())
            draw_strip(sheet, findings, STANDARDS)


class NewSheets(unittest.TestCase):
    def test_from_the_nearest_every_figure_is_a_guess(self):
        new = from_nearest(FOLIO, "Ombrel", "Folio 17")
        self.assertEqual((new.key, new.version), ("ombrel-folio-17", 1))
        self.assertEqual(new.memory.stated.source, "guess")
        self.assertIsNone(new.memory.proven)
        self.assertEqual({d.source for d in new.drives}, {"guess"})
        # No part of the other model is taken for one of this, and nothing it was built with.
        self.assertTrue(FOLIO.built_with)
        self.assertEqual((new.boards, new.built_with), ((), ()))
        self.assertEqual({test.repair for test in new.tests}, {None})
        families = {size.family for pack in new.packs for size in pack.variants}
        self.assertFalse(families & {s.family for p in FOLIO.packs for s in p.variants})
        self.assertEqual(configuration_words(new, folio()), ())
        self.assertEqual(sheet_faults(new.model_dump(mode="json")), ())

    def test_from_a_read_out_it_holds_what_was_seen(self):
        for sheet, findings in ((FOLIO, folio()), (STILT, stilt(d2="n256"))):
            got = read_bundle(Probe(sheet, findings, "S").bundle())
            new = from_readout(got, "Zeta", "One")
            self.assertEqual(len(new.memory.slots), len(sheet.memory.slots))
            self.assertEqual(len(new.packs), len(sheet.packs))
            blank, _ = read_entries(new, "std", {})
            told = compare(new, blank, got)
            _, refusals = read_entries(new, "std", told.entries)
            self.assertEqual(refusals, {})
            self.assertEqual(
                len(told.entries),
                len(new.memory.slots)
                + len(new.drives)
                + len(new.packs)
                + bool(new.memory.soldered),
            )

    @given(st.text(min_size=1, max_size=40), st.text(min_size=1, max_size=40))
    def test_keys_are_plain(self, maker, model):
        self.assertRegex(sheet_key(maker, model), r"^[a-z0-9-]*$")


class Proofs(unittest.TestCase):
    def test_released_units_beyond_the_stated_figure_are_counted(self):
        tarn = SHEETS["kestrin-tarn-14"]
        self.assertIsNone(proven_offer(tarn, [8, 16, 16]))
        self.assertIsNone(proven_offer(tarn, [32] * 7))
        offer = proven_offer(tarn, [16, 24, *[32] * 8])
        self.assertEqual((offer.gb, offer.units), (32, 8))
        self.assertIn(
            "8 units were released with 32 GB, more than the stated 16 GB", offer.sentence
        )
        self.assertEqual(with_proof(tarn, offer).memory.proven.units_on_record, 8)
        self.assertIsNone(proven_offer(with_proof(tarn, offer), [32] * 8))


class Ranges(unittest.TestCase):
    """A slip of the hand is refused; a long circle is told at once."""

    def document(self, **step) -> dict:
        sheet = SHEETS["tolva-refit-14"].model_dump(mode="json")
        first = sheet["route"]["steps"][0]
        sheet["route"]["steps"].append(first | {"key": "further"} | step)
        return sheet

    def test_figures_beyond_any_machine_and_keys_that_are_no_names(self):
        self.assertEqual(sheet_faults(self.document()), ())
        for step in (
            {"minutes_out": -1},
            {"minutes_out": 1e308},
            {"minutes_out": float("nan")},
            {"key": ""},
            {"key": "x" * 61},
            {"key": "Two Words"},
        ):
            self.assertTrue(sheet_faults(self.document(**step)), step)
        for where, figure in (("mts", 10**9), ("mts", 0), ("cpu_gb", -4)):
            sheet = self.document()
            sheet["memory"][where] = figure
            self.assertTrue(sheet_faults(sheet), where)

    def test_three_thousand_steps_in_a_row_and_in_a_circle(self):
        sheet = self.document()
        first = sheet["route"]["steps"][0]
        for circle in (False, True):
            steps = [
                first | {"key": f"s{n}", "after": [f"s{n - 1}"] if n else [], "either": []}
                for n in range(3000)
            ]
            if circle:
                steps[0]["after"] = ["s2999"]
            own = SHEETS["tolva-refit-14"].model_dump(mode="json")["route"]["steps"]
            sheet["route"]["steps"] = own + steps
            faults = sheet_faults(sheet)
            self.assertEqual(bool(faults), circle)
            if circle:
                self.assertIn("and 2992 more wait for each other", faults[0].sentence)
