"""Papers in plain words: what was seen, what was not, nothing internal for the buyer."""

import unittest

from sortis_core.findings import Origin, OriginKind
from sortis_core.gates.proof import ReleaseGate
from sortis_core.papers import (
    Evidence,
    PaperLine,
    PartIn,
    ReleasedUnit,
    batch_certificate,
    in_structured_data,
    internal_record,
    spec_sheet,
)
from sortis_core.policy import Policy
from sortis_core.sheets import Stream
from sortis_core.workshop import WorkshopSettings
from tests.core.sample import DESK, FOLIO, folio

GATE = ReleaseGate(
    gate="sanitised",
    sentence="Drive in M.2 socket sanitised",
    met=True,
    evidence="overwritten once, read back, Wirt, Lena",
    record="overwritten once, read back",
    asks="",
)


def released(void=False, origins=None, taken=False, **entries):
    findings = folio(**entries).model_copy(update={"origins": origins or {}})
    return ReleasedUnit(
        tag="TW-0001",
        serial="SECRET-SERIAL-7",
        sheet=FOLIO,
        findings=findings,
        standard=DESK,
        policy=Policy(),
        gates=(GATE,),
        released_on="2026-11-27",
        released_by="Lena Wirt",
        void=void,
        taken=taken,
    )


class SpecSheets(unittest.TestCase):
    def words(self, **more):
        return spec_sheet(released(**more), "Tidewright").words

    def test_it_says_what_the_machine_is_and_holds(self):
        words = self.words()
        for said in ("Ombrel Folio 15", "16 GB DDR4", "256 GB NVMe", "Desk ready", "grade B"):
            self.assertIn(said, words)
        self.assertIn("holds 43 of 46 Wh, 93 % healthy, 90 charges", words)

    def test_hours_are_an_estimate_with_its_least(self):
        self.assertRegex(self.words(), r"Estimated: \d+\.\d to \d+\.\d hours .* an estimate")

    def test_nothing_internal_stands_on_it(self):
        unit = released()
        paper = spec_sheet(unit, "Tidewright")
        told = str(in_structured_data(unit, paper, "https://x/p/k", "Tidewright"))
        for said in (paper.words, told):
            for secret in ("SECRET", "Lena", "Wirt", "cents", "€"):
                self.assertNotIn(secret, said)

    def test_remarks_and_what_was_not_tested_are_told(self):
        words = self.words(camera="p dim", speakers="?")
        self.assertIn("dim", words)
        self.assertRegex(words, "Not tested: .*peaker")

    def test_what_was_fitted_here_is_told_by_where_it_came_from(self):
        origins = {
            "d1": Origin(kind=OriginKind.FITTED, lot=4),
            "m1": Origin(kind=OriginKind.MOVED, lot=5, unit="TW-0009"),
        }
        words = self.words(origins=origins)
        self.assertIn("M.2 socket (from stock)", words)
        self.assertIn("(used, out of a machine)", words)
        self.assertNotIn("TW-0009", words)

    def test_what_nobody_saw_is_never_told_as_none(self):
        words = self.words(d1="?", m1="?")
        self.assertIn("M.2 socket not looked at", words)
        self.assertIn("Slot 1 not looked at", words)

    def test_a_free_slot_is_told_by_its_label(self):
        self.assertIn("8 GB DDR4; Slot 1 free", self.words(m1="-"))

    def test_what_does_not_work_is_told(self):
        self.assertRegex(self.words(camera="x"), "Seen not working: .*amera")

    def test_a_drive_at_its_end_says_so(self):
        unit = released()
        worn = unit.findings.drive("d1").model_copy(update={"life_percent": 0})
        drives = {**unit.findings.drives, "d1": worn}
        findings = unit.findings.model_copy(update={"drives": drives})
        told = spec_sheet(unit.model_copy(update={"findings": findings}), "Tidewright").words
        self.assertIn("0 % of its life left", told)

    def test_what_is_sold_is_not_offered(self):
        for more, said in (
            ({}, "InStock"),
            ({"taken": True}, "SoldOut"),
            ({"taken": True, "void": True}, "Discontinued"),
        ):
            unit = released(**more)
            data = in_structured_data(unit, spec_sheet(unit, "T"), "https://x/p/k", "T")
            self.assertEqual(data["offers"]["availability"], f"https://schema.org/{said}")

    def test_how_data_was_removed_without_a_name(self):
        self.assertIn("sanitised: overwritten once, read back\n", self.words() + "\n")

    def test_void_says_so(self):
        self.assertIn("VOID", self.words(void=True))
        self.assertNotIn("VOID", self.words())


class Records(unittest.TestCase):
    def test_all_evidence_stands_on_it(self):
        paper = internal_record(
            released(),
            "Tidewright",
            [PartIn(label="256 GB NVMe", place="M.2 socket", source="new, LOT-4")],
            [PaperLine(label="sanitised, Lena Wirt", text="overwritten once")],
            [Evidence(what="picture", by="Ines", at="2026-11-20", sha256="ab" * 32)],
        )
        for said in ("SECRET-SERIAL-7", "Lena Wirt", "LOT-4", "abab", "Internal"):
            self.assertIn(said, paper.words)


class Certificates(unittest.TestCase):
    def test_it_counts_how_a_batch_ended(self):
        paper = batch_certificate(
            "Ferry line",
            "harbour",
            {"Released": 3, "Parted out": 1, "Arrive": 0},
            {"8 GB DDR4 SODIMM": 2},
            {Stream.PLASTIC: 1250, Stream.METAL: 0},
            {"destroyed": 1},
            WorkshopSettings(name="Tidewright", recycling_rules="Glass apart, by the yard."),
        )
        self.assertEqual(paper.subtitle, "4 units from harbour")
        for said in ("Released: 3", "8 GB DDR4 SODIMM: 2", "1.2 kg", "destroyed: 1", "Glass apart"):
            self.assertIn(said, paper.words)
        self.assertNotIn("Arrive", paper.words)
        self.assertNotIn("Metal", paper.words)
