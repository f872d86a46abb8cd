"""Remarks: what works, but poorly."""

import unittest

from sortis_core.gates import NoRemarksGate
from sortis_core.gates.verdict import GateState
from sortis_core.intake.benchline import read_line, write_line
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.release import label_lines
from sortis_core.standards import PriceStep
from sortis_core.strip import draw_strip
from tests.core.sample import DESK, FOLIO, folio
from tests.core.test_plan import case_of

PRICED = DESK.model_copy(update={"steps": (PriceStep(gate=NoRemarksGate(), adds_cents=500),)})


class Remarks(unittest.TestCase):
    def test_it_passes_and_is_noted_as_it_was_typed(self):
        dim = folio(screen="p Dim below")
        self.assertEqual(dim.test("screen"), "passed")
        self.assertEqual(dim.remarks, {"screen": "Dim below"})
        self.assertEqual(write_entries(dim)["screen"], "p Dim below")
        again, refusals = read_entries(FOLIO, "flash", write_entries(dim))
        self.assertEqual((again, refusals), (dim, {}))
        cells = {cell.key: cell for cell in draw_strip(FOLIO, dim, ()).cells}
        self.assertEqual(cells["screen"].words, "passed, Dim below")

    def test_how_must_be_said_and_stay_short(self):
        for text in ("p", "p ", "p a/b", "p " + "x" * 41):
            _, refusals = read_entries(FOLIO, "flash", {"screen": text})
            self.assertIn("how it works poorly", refusals["screen"])

    def test_the_bench_line_says_it_too(self):
        line = read_line(FOLIO, "flash", "poor speak tinny at once / ok")
        self.assertEqual(line.entries["speakers"], "p tinny at once")
        self.assertEqual(line.unclear, ())
        dim = folio(screen="p dim")
        back = read_line(FOLIO, "flash", write_line(FOLIO, dim))
        self.assertEqual(read_entries(FOLIO, "flash", back.entries)[0].remarks, dim.remarks)
        self.assertTrue(read_line(FOLIO, "flash", "poor screen").unclear)

    def test_the_gate_asks_for_none_or_for_none_on_a_list(self):
        dim = folio(screen="p dim")
        said = NoRemarksGate().verdict(FOLIO, dim, Policy())
        self.assertEqual((said.state, said.sentence), (GateState.SHORT, "Screen is dim"))
        other = NoRemarksGate(about=("keyboard",)).verdict(FOLIO, dim, Policy())
        self.assertIs(other.state, GateState.MET)

    def test_the_buyer_pays_less_and_is_told(self):
        case = case_of(folio(), folio(screen="p dim")).model_copy(update={"standards": (PRICED,)})
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        one, other = (outcome.price_cents for outcome in plan.outcomes)
        self.assertEqual(one - other, 500)
        label = label_lines(FOLIO, folio(screen="p dim"), DESK, Policy())
        self.assertIn("screen dim", " ".join(label))
