"""Nothing that does not work leaves inside a unit, whatever its standard asks for."""

import unittest

from sortis_core.actions import after_actions
from sortis_core.findings import Findings, PlaceState
from sortis_core.gates import FitToLeaveGate, MemoryGate
from sortis_core.gates.proof import Signature
from sortis_core.gates.verdict import GateState
from sortis_core.options import OptionBuilder
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.release import release_gates
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.supply import Supply
from tests.core.sample import DESK, FOLIO, KINDS, SHEETS, STANDARDS, STILT, folio, found, stilt
from tests.core.test_plan import case_of

PRIMER = SHEETS["tolva-primer-14"]
POLICY = Policy()
GATE = FitToLeaveGate()


def ways(sheet: ModelSheet, findings: Findings, standard: Standard = DESK) -> list[set[str]]:
    builder = OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), (standard,), POLICY)
    return [
        {a.key for a in option.actions} for option in builder.toward_standards(findings).options
    ]


class Modules(unittest.TestCase):
    def test_a_faulty_one_in_the_only_slot_is_replaced(self):
        unit = folio(m0="8", m1="x")
        asks_16 = DESK.model_copy(update={"gates": (MemoryGate(min_gb=16), *DESK.gates[1:])})
        self.assertIn({"m1+sodimm-ddr4-8"}, ways(FOLIO, unit, asks_16))

    def test_it_comes_out_where_what_is_left_is_enough(self):
        for unit in (stilt(m1="x", m2="16"), stilt(m1="16", m2="x")):
            way = ways(STILT, unit)
            self.assertTrue(way)
            for keys in way:
                self.assertTrue(keys & {"m1-", "m2-"} or any("sodimm" in key for key in keys))

    def test_no_standard_does_without_it_and_no_plan_leaves_one_inside(self):
        bare = Standard(
            key="bare", version=1, name="Bare", gates=(), prices=STANDARDS[0].prices, rank=0
        )
        unit = stilt(m1="x", m2="8")
        case = case_of(unit).model_copy(update={"standards": (bare,)})
        plan = make_plan(case)
        (outcome,) = plan.outcomes
        self.assertEqual([a.key for a in outcome.actions], ["m1-"])
        self.assertEqual(faults(case, plan), [])
        left = plan.model_copy(update={"outcomes": (outcome.model_copy(update={"actions": ()}),)})
        self.assertTrue(any("m1 does not work" in fault for fault in faults(case, left)))

    def test_release_is_refused_with_one_inside(self):
        seen = Signature(by="Edda", at="2026-03-02T10:00:00Z", words="seen")

        def met(findings: Findings) -> bool:
            gates = release_gates(STILT, DESK, findings, seen, {}, POLICY)
            return next(gate.met for gate in gates if gate.gate == GATE.name)

        unit = stilt(m1="x", m2="16")
        self.assertFalse(met(unit))
        (way, *_) = [
            option
            for option in OptionBuilder(STILT, Supply(KINDS, frozenset(KINDS)), (DESK,), POLICY)
            .toward_standards(unit)
            .options
        ]
        self.assertTrue(met(after_actions(STILT, unit, way.actions, KINDS)))

    def test_a_dead_slot_stays_empty_and_is_no_fault(self):
        unit = stilt(m2="16")
        dead = unit.module("m1").model_copy(update={"state": PlaceState.DEAD})
        unit = unit.model_copy(update={"modules": unit.modules | {"m1": dead}})
        self.assertIs(GATE.verdict(STILT, unit, POLICY).state, GateState.MET)
        self.assertFalse([way for way in ways(STILT, unit) if any("m1" in key for key in way)])

    def test_a_unit_nobody_looked_into_is_unknown(self):
        blank = stilt(m1="?", m2="?", d1="?", d2="?")
        self.assertIs(GATE.verdict(STILT, blank, POLICY).state, GateState.UNKNOWN)
        self.assertIn("nobody looked", GATE.audit(STILT, blank, POLICY).fault)
        self.assertIs(GATE.verdict(STILT, stilt(m2="?"), POLICY).state, GateState.MET)


class Drives(unittest.TestCase):
    def test_a_faulty_one_comes_out_beside_a_good_one(self):
        unit = folio("disk", d1="n512", d2="x")
        self.assertIs(GATE.verdict(FOLIO, unit, POLICY).state, GateState.SHORT)
        self.assertTrue(all("d2-" in way for way in ways(FOLIO, unit)))

    def test_a_faulty_soldered_one_stays_and_the_free_socket_has_a_way(self):
        unit = found(PRIMER, d0="x", d1="-", m1="8", p1="35/36 90c")
        self.assertIs(GATE.verdict(PRIMER, unit, POLICY).state, GateState.MET)
        found_ways = ways(PRIMER, unit)
        self.assertTrue(found_ways)
        for way in found_ways:
            self.assertNotIn("d0-", way)
            self.assertTrue(any(key.startswith("d1+") for key in way))


class LookFirst(unittest.TestCase):
    """Short beside unseen: nothing is planned as sold on what nobody saw."""

    def refused(self, sheet: ModelSheet, findings: Findings) -> str:
        builder = OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), (DESK,), POLICY)
        found = builder.toward_standards(findings)
        self.assertEqual(found.options, ())
        self.assertTrue(found.rejections[0].look_first)
        return found.rejections[0].fact

    def test_one_pack_worn_and_the_other_not_looked_at(self):
        tarn = SHEETS["kestrin-tarn-14"]
        packs = tarn.packs_of(tarn.trims[0].key)
        self.assertEqual(len(packs), 2)
        worn = f"{packs[0].variants[0].design_wh / 2:g}/{packs[0].variants[0].design_wh:g} 90c"
        entries = {slot.key: "8" for slot in tarn.memory.slots}
        entries |= {drive.key: "-" for drive in tarn.drives_of(tarn.trims[0].key)}
        unit = found(tarn, **entries, **{packs[0].key: worn, packs[1].key: "?"})
        self.assertIn("not looked at", self.refused(tarn, unit))

    def test_one_part_missing_and_another_unseen(self):
        unit = folio(sd_blank="-", feet="?")
        self.assertIn("look first", self.refused(FOLIO, unit))

    def test_one_test_failed_and_another_not_run(self):
        unit = folio(keyboard="x", speakers="?")
        self.assertIn("look first", self.refused(FOLIO, unit))

    def test_what_nothing_can_mend_is_a_fact_and_no_question(self):
        sheet = FOLIO
        lost = next(test for test in sheet.tests if test.repair is None)
        other = next(test for test in sheet.tests if test.repair is not None)
        unit = folio(**{lost.key: "x", other.key: "?"})
        builder = OptionBuilder(sheet, Supply(KINDS, frozenset(KINDS)), (DESK,), POLICY)
        (rejection,) = builder.toward_standards(unit).rejections
        self.assertFalse(rejection.look_first)
        self.assertIn("not worth a repair", rejection.fact)

    def test_the_kit_of_a_disk_that_comes_out_is_no_question(self):
        unit = folio("disk", d1="-", d2="h500", bay_cable="?", bay_frame="?", bay_screws="?")
        found_ways = ways(FOLIO, unit)
        self.assertTrue(any("d2-" in way for way in found_ways))
        # A drive that stays in the bay, or goes into it, wants its kit.
        stays = folio("disk", d1="-", d2="s256", bay_cable="?", bay_frame="+", bay_screws="+")
        self.assertIn("look first", self.refused(FOLIO, stays))
