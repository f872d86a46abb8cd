import unittest

from sortis_core.actions import Action
from sortis_core.findings import Findings
from sortis_core.intake.entry import EntryRefused, read_entries, write_entries
from sortis_core.options import OptionBuilder
from sortis_core.policy import Policy
from sortis_core.strip import draw_strip
from sortis_core.supply import Supply
from sortis_core.surprise import (
    Surprise,
    SurpriseKind,
    SurpriseRefused,
    choices,
    known_after,
    still_reaches,
)
from tests.core.sample import DESK, FOLIO, KINDS, LERN, STANDARDS, STILT, folio, lern, stilt

POLICY = Policy()
SLOT_2 = Action(verb="fit", place="m2", kind="sodimm-ddr4-8")


def tell(findings: Findings, kind: SurpriseKind, place: str = "", **more) -> Findings:
    sheet = {LERN.key: LERN, FOLIO.key: FOLIO, STILT.key: STILT}[findings.sheet]
    return known_after(sheet, findings, Surprise(kind=kind, place=place, **more))


class Told(unittest.TestCase):
    def test_each_kind_changes_what_is_known_of_its_place_and_nothing_else(self):
        cases = (
            (SurpriseKind.DEAD, "m2", ("modules", "dead")),
            (SurpriseKind.DEAD, "d2", ("drives", "dead")),
            (SurpriseKind.BROKE, "m1", ("modules", "faulty")),
            (SurpriseKind.BROKE, "d1", ("drives", "faulty")),
            (SurpriseKind.BROKE, "speaker", ("parts", "broken")),
            (SurpriseKind.BROKE, "starts", ("tests", "failed")),
            (SurpriseKind.SCREW, "cage_screws", ("parts", "missing")),
        )
        for kind, place, (side, state) in cases:
            before = stilt()
            after = tell(before, kind, place)
            found = getattr(after, side)[place]
            self.assertEqual(getattr(found, "state", found), state, (kind, place))
            undone = {**getattr(after, side), place: getattr(before, side)[place]}
            self.assertEqual(after.model_copy(update={side: undone}), before)

    def test_dangers_are_dangers(self):
        self.assertEqual(tell(lern(), SurpriseKind.SWOLLEN, "p1").hazards, ("p1",))
        self.assertEqual(tell(lern(), SurpriseKind.LIT).hazards, ("unit",))

    def test_what_differs_is_typed_as_at_inspection(self):
        after = tell(stilt(), SurpriseKind.DIFFERS, "m2", entry="16")
        self.assertEqual(after.module("m2").gb, 16)
        with self.assertRaisesRegex(SurpriseRefused, "DDR4 only"):
            tell(stilt(), SurpriseKind.DIFFERS, "m2", entry="ddr3")
        with self.assertRaisesRegex(SurpriseRefused, "Type what really sits"):
            tell(stilt(), SurpriseKind.DIFFERS, "m2")

    def test_a_place_that_does_not_go_with_the_kind_is_refused(self):
        for kind in (SurpriseKind.DEAD, SurpriseKind.SWOLLEN, SurpriseKind.DIFFERS):
            with self.assertRaisesRegex(SurpriseRefused, "Say which"):
                tell(stilt(), kind, "speaker")

    def test_every_choice_that_is_offered_can_be_told(self):
        for findings, sheet in ((stilt(), STILT), (folio(), FOLIO), (lern(), LERN)):
            for choice in choices(sheet, findings, (SLOT_2,)):
                for place in choice.places:
                    entry = "-" if choice.kind is SurpriseKind.DIFFERS else ""
                    said = Surprise(kind=choice.kind, place=place.key, entry=entry)
                    try:
                        known_after(sheet, findings, said)
                    except EntryRefused as refusal:
                        self.fail(f"{choice.kind} {place.key}: {refusal}")


class Dead(unittest.TestCase):
    def test_a_dead_place_is_typed_written_drawn_and_never_filled(self):
        findings, refusals = read_entries(STILT, "std", {"m2": "dead", "d2": "dead"})
        self.assertEqual(refusals, {})
        self.assertEqual(write_entries(findings)["m2"], "dead")
        findings = stilt(m1="4", m2="dead", d1="-", d2="dead")
        strip = draw_strip(STILT, findings, STANDARDS)
        self.assertIn("dead, takes nothing", strip.words)
        supply = Supply(KINDS, frozenset(KINDS))
        builder = OptionBuilder(STILT, supply, STANDARDS, POLICY)
        found = builder.toward_standards(findings)
        places = {action.place for option in found.options for action in option.actions}
        self.assertTrue(places)
        self.assertFalse(places & {"m2", "d2"})


class StillGood(unittest.TestCase):
    def reaches(self, before: Findings, now: Findings, *waiting: Action) -> bool:
        return still_reaches(STILT, before, now, waiting, DESK, POLICY, KINDS)

    def test_nothing_new_goes_on(self):
        before = stilt(m1="8", m2="-")
        self.assertTrue(self.reaches(before, before, SLOT_2))

    def test_something_else_that_broke_does_not_go_on(self):
        before = stilt(m1="8", m2="-")
        self.assertFalse(self.reaches(before, tell(before, SurpriseKind.BROKE, "speaker"), SLOT_2))

    def test_a_place_that_is_still_to_be_filled_and_differs_does_not_go_on(self):
        before = stilt(m1="8", m2="-")
        now = tell(before, SurpriseKind.DIFFERS, "m2", entry="4")
        self.assertFalse(self.reaches(before, now, SLOT_2))

    def test_a_better_find_elsewhere_goes_on(self):
        before = stilt(m1="8", m2="-")
        now = tell(before, SurpriseKind.DIFFERS, "m1", entry="16")
        self.assertTrue(self.reaches(before, now, SLOT_2))
