"""Every shape of machine: a filling that is accepted, one that is refused, and why."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.actions import Action
from sortis_core.assess import assess
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries
from sortis_core.options import OptionBuilder
from sortis_core.policy import MemorySchool, Policy
from sortis_core.route.work import plan_work
from sortis_core.strip import draw_strip
from sortis_core.supply import Supply
from tests.core.sample import KINDS, SHEETS, STANDARDS

POLICY = Policy()
PROVEN = Policy(memory_ceiling=MemorySchool.BENCH_PROVEN)

SHAPES = {
    # key: (trim, a filling that is accepted, its total in GB, place and text refused, the fact)
    "tolva-lern-11": ("std", "m0 8|d1 s128 2242|p1 30/38", 8, "d1", "n256", "speaks SATA only"),
    "ombrel-ledger-15": (
        "sim",
        "m1 8|m2 16|d1 n256|p1 40/52.2",
        24,
        "m1",
        "8 ddr3",
        "takes DDR4 only. This module says DDR3",
    ),
    "kestrin-sorrel-14": (
        "std",
        "m1 16|m2 16|d1 n256 2242|p1 50/56.2",
        32,
        "d1",
        "n256 2280",
        "has a standoff for 2242. This drive is 2280",
    ),
    "kestrin-umber-16": (
        "std",
        "m1 16 5600|m2 32 5600|d1 n512 2280|d2 n256 2242|p1 70/84",
        48,
        "m1",
        "48",
        "takes up to 32 GB",
    ),
    "ombrel-folio-15": (
        "disk",
        "m0 8|m1 8|d1 -|d2 h500|p1 3360/4200mah 11.1v",
        16,
        "d1",
        "s256",
        "speaks NVMe only. This drive is SATA",
    ),
    "quarrin-halyard-14": (
        "std",
        "m0 8|m1 16|d1 n256|p1 41/50.4",
        24,
        "m0",
        "12",
        "comes with 8 or 16 GB soldered",
    ),
    "kestrin-plinth-15": (
        "std",
        "m0 32|d1 n1000|p1 60/72",
        32,
        "m1",
        "8",
        "has no place “m1”",
    ),
    "ombrel-gantry-16": (
        "std",
        "m1 16|m2 16|d1 n512|d2 -|p1 60/68.4",
        32,
        "d2",
        "s256",
        "speaks NVMe only",
    ),
    "kestrin-tarn-14": (
        "std",
        "m1 8|m2 8|d1 h500|d2 -|d3 n256 2242|p1 18/23.5|p2 30/48.8",
        16,
        "d2",
        "n256 2280",
        "standoff for 2242",
    ),
    "tolva-mora-15": (
        "std",
        "m1 8|m2 8|d1 h500|p1 25/30.2|p2 40/62.2",
        16,
        "m1",
        "8 ddr4",
        "takes DDR3L only. This module says DDR4",
    ),
    "quarrin-wisp-13": ("std", "m0 2|m1 4|d1 s128|p1 30/44.4", 6, "m1", "8", "takes up to 4 GB"),
    "tolva-refit-14": (
        "std",
        "m1 32|m2 32|d1 n1000|p1 50/55.6",
        64,
        "p1",
        "70/55.6",
        "126 % of design",
    ),
    "ombrel-vane-13": (
        "std",
        "m0 16|d1 n512|p1 44/51",
        16,
        "d1",
        "h500",
        "speaks NVMe only. This drive is SATA",
    ),
    "tolva-primer-14": (
        "flash",
        "m1 8|d0 e64|d1 -|p1 30/37",
        8,
        "d0",
        "n256",
        "speaks eMMC only",
    ),
    "quarrin-merle-13": (
        "touch",
        "m0 16|d1 n256 2230|p1 40/54|touch_panel +|touch_cable +",
        16,
        "d1",
        "n256 2242",
        "standoff for 2230, 2280",
    ),
    "kestrin-arbor-13": ("std", "m0 32|d1 n512 2230|p1 55/60.4", 32, "m0", "64", "8 or 16 or 32"),
    "quarrin-stilt-q2": (
        "std",
        "m1 16|m2 16|d1 s256|d2 n256",
        32,
        "d2",
        "256",
        "NVMe and SATA. Say which",
    ),
    "ombrel-cairn-m1": (
        "option",
        "m1 16|m2 16|d1 n512|d2 s256",
        32,
        "d1",
        "s256",
        "speaks NVMe only",
    ),
    "tolva-shingle-s1": (
        "bare",
        "m1 8|m2 -|d2 n256",
        8,
        "d1",
        "s256",
        "units “without cage” have none. Choose the trim",
    ),
    "quarrin-hollow-14": (
        "whole",
        "m1 -|m2 -|d1 -|d2 -|p1 -",
        0,
        "d2",
        "n256",
        "speaks SATA only",
    ),
}


def entries(text: str) -> dict[str, str]:
    return dict(word.split(" ", 1) for word in text.split("|"))


class EveryShape(unittest.TestCase):
    def test_there_are_twenty(self):
        self.assertEqual(set(SHAPES), set(SHEETS))
        self.assertEqual(len(SHEETS), 20)

    def test_the_right_filling_is_accepted_and_summed(self):
        for key, (trim, filling, total, *_) in SHAPES.items():
            with self.subTest(key):
                findings, refusals = read_entries(SHEETS[key], trim, entries(filling))
                self.assertEqual(refusals, {})
                facts = assess(SHEETS[key], findings, STANDARDS, POLICY).memory
                self.assertEqual(facts.total_gb, total)

    def test_the_wrong_filling_is_refused_with_the_fact(self):
        for key, (trim, _, _, place, text, fact) in SHAPES.items():
            with self.subTest(key):
                findings, refusals = read_entries(SHEETS[key], trim, {place: text})
                self.assertIn(fact, refusals[place])
                self.assertNotIn(place, {**findings.modules, **findings.drives})

    def test_every_place_that_can_change_is_reached_and_left_again(self):
        for sheet in SHEETS.values():
            for trim in sheet.trims:
                fixed = {d.key for d in sheet.drives if d.connector == "eMMC"}
                places = [p.key for p in (*sheet.memory.slots, *sheet.drives_of(trim.key))]
                places += [p.key for p in sheet.packs_of(trim.key)]
                places += [p.key for p in sheet.parts_of(trim.key)]
                places += [t.key for t in sheet.tests_of(trim.key) if t.repair]
                actions = tuple(
                    Action(verb="fit", place=place, kind="feet-small")
                    for place in places
                    if place not in fixed
                )
                findings, _ = read_entries(sheet, trim.key, {})
                with self.subTest(sheet.key, trim=trim.key):
                    for action in actions:
                        work = plan_work(sheet, findings, (action,), KINDS, POLICY)
                        done = [a.place for step in work.steps for a in step.actions]
                        self.assertEqual(done, [action.place])
                        self.assertEqual(work.steps[-1].tray, (), action.place)

    def test_every_shape_is_drawn(self):
        for sheet in SHEETS.values():
            for trim in sheet.trims:
                findings, _ = read_entries(sheet, trim.key, {})
                cells = draw_strip(sheet, findings, STANDARDS).cells
                self.assertEqual(len({c.key for c in cells}), len(cells))
                self.assertIn("not looked at", draw_strip(sheet, findings, STANDARDS).words)


class WhatTheShapesTeach(unittest.TestCase):
    def read(self, key: str, text: str, trim: str = ""):
        sheet = SHEETS[key]
        findings, refusals = read_entries(sheet, trim or sheet.trims[0].key, entries(text))
        self.assertEqual(refusals, {})
        return sheet, findings

    def test_faster_modules_run_at_the_boards_speed(self):
        sheet, findings = self.read("kestrin-umber-16", "m1 16 5600|m2 16 5600")
        facts = assess(sheet, findings, STANDARDS, POLICY).memory
        self.assertEqual(facts.runs_mts, 4800)
        self.assertIn("runs at 4800 MT/s (board)", facts.sentence)

    def test_the_processor_can_be_slower_than_the_board(self):
        sheet, findings = self.read("ombrel-cairn-m1", "m1 16 3200|m2 16 3200")
        self.assertEqual(assess(sheet, findings, STANDARDS, POLICY).memory.runs_mts, 2933)

    def test_ceilings_by_school_stand_side_by_side_and_one_counts(self):
        sheet, findings = self.read("kestrin-tarn-14", "m1 8|m2 8")
        stated = assess(sheet, findings, STANDARDS, POLICY)
        proven = assess(sheet, findings, STANDARDS, PROVEN)
        self.assertEqual([c.gb for c in stated.ceilings], [16, 32, 32])
        self.assertEqual([c.counts for c in stated.ceilings], [True, False, False])
        self.assertEqual([c.counts for c in proven.ceilings], [False, True, False])
        self.assertNotIn("m1", [room.place for room in stated.headroom])
        self.assertIn("Slot 1 holds 8, takes up to 16 GB", [r.words for r in proven.headroom])

    def test_two_units_on_record_do_not_prove_a_ceiling(self):
        sheet, findings = self.read("kestrin-umber-16", "m1 32|m2 -")
        room = [r.words for r in assess(sheet, findings, STANDARDS, PROVEN).headroom]
        self.assertIn("Slot 2 takes up to 16 GB", room)

    def test_more_than_the_sheet_knows_is_asked_again_and_kept(self):
        sheet, findings = self.read("kestrin-sorrel-14", "m1 16|m2 16")
        self.assertEqual(assess(sheet, findings, STANDARDS, POLICY).questions, ())
        sheet, findings = self.read("tolva-primer-14", "m1 16")
        self.assertEqual(assess(sheet, findings, STANDARDS, POLICY).questions, ())
        beyond = sheet.model_copy(
            update={"memory": sheet.memory.model_copy(update={"proven": None})}
        )
        asked = assess(beyond, findings, STANDARDS, POLICY).questions
        self.assertIn("16 GB is more than the sheet knows of (8 GB)", asked[0].sentence)

    def test_free_sockets_and_larger_packs_are_headroom(self):
        sheet, findings = self.read("kestrin-tarn-14", "d1 -|d2 -|d3 -|p1 20/23.5|p2 20/24")
        words = [r.words for r in assess(sheet, findings, STANDARDS, POLICY).headroom]
        self.assertIn(
            "Radio socket is free: NVMe 2242 up to 512 GB, unless a radio card sits there", words
        )
        self.assertIn("Short M.2 socket is free: NVMe 2242, single-sided up to 512 GB", words)
        self.assertIn("External pack comes up to 72.2 Wh", words)
        self.assertFalse([w for w in words if w.startswith("Internal pack")])

    def test_volts_that_no_row_of_cells_gives_are_asked_again(self):
        sheet, findings = self.read("quarrin-halyard-14", "p1 40/50.4 11.1v")
        asked = assess(sheet, findings, STANDARDS, POLICY).questions
        self.assertIn("11.1 V fits no pack of 4 cells in a row", asked[0].sentence)
        sheet, findings = self.read("kestrin-tarn-14", "p2 40/48.8 11.1v")
        self.assertEqual(assess(sheet, findings, STANDARDS, POLICY).questions, ())

    def test_an_emmc_leaves_the_unit_short_of_a_solid_drive(self):
        sheet, findings = self.read("tolva-primer-14", "m1 8|d0 e128|d1 -|p1 36/37")
        gates = assess(sheet, findings, STANDARDS, POLICY).verdicts[0].gates
        drive = next(gate for gate in gates if gate.gate == "solid_drive")
        self.assertIs(drive.state, GateState.SHORT)

    @given(st.sampled_from(sorted(SHAPES)), st.sampled_from([POLICY, PROVEN]), st.data())
    def test_no_filling_that_is_proposed_exceeds_a_ceiling(self, key, policy, data):
        sheet = SHEETS[key]
        trim = sheet.trims[0].key
        typed = {"grade": "b", "*": "+"}
        if sheet.memory.soldered:
            amounts = [str(gb) for gb in sheet.memory.soldered.amounts_gb]
            typed["m0"] = data.draw(st.sampled_from(amounts))
        for slot in sheet.memory.slots:
            typed[slot.key] = data.draw(st.sampled_from(["-", "2", "4"]))
        for drive in sheet.drives_of(trim):
            typed[drive.key] = "e64" if drive.connector == "eMMC" else "-"
        for pack in sheet.packs_of(trim):
            typed[pack.key] = f"{pack.largest.design_wh}/{pack.largest.design_wh}"
        findings, refusals = read_entries(sheet, trim, typed)
        self.assertEqual(refusals, {})
        builder = OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), STANDARDS, policy)
        top = assess(sheet, findings, STANDARDS, policy).memory.ceiling_gb
        slots = {slot.key: slot for slot in sheet.memory.slots}
        for option in builder.toward_standards(findings).options:
            total = findings.soldered_gb or 0
            fitted = {a.place: KINDS[a.kind].facts.gb for a in option.actions if a.place in slots}
            for key_, slot in slots.items():
                gb = fitted.get(key_, findings.module(key_).gb or 0)
                self.assertLessEqual(gb, slot.limit_gb)
                total += gb
            if fitted:
                self.assertLessEqual(total, top)
