import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.actions import after_actions
from sortis_core.facts.battery import nearest_variant, pack_questions
from sortis_core.facts.figures import at_least, short_of
from sortis_core.findings import PackFinding, PlaceState
from sortis_core.gates import PackGate
from sortis_core.gates.verdict import GateState
from sortis_core.gates.ways import Asked, NoWay
from sortis_core.intake.entry import read_entries
from sortis_core.plan import make_plan
from sortis_core.policy import BatterySchool, Policy
from sortis_core.strip import draw_strip
from sortis_core.supply import Supply
from tests.core.sample import DESK, FOLIO, KINDS, LERN, folio, lern
from tests.core.test_plan import case_of
from tests.examples import few

BY_RUNTIME = Policy(battery=BatterySchool.RUNTIME)


def state(gate, findings, policy=None, sheet=FOLIO):
    return gate.verdict(sheet, findings, policy or Policy()).state


class Health(unittest.TestCase):
    def test_just_below_the_gate_is_below_it(self):
        """36.7816 of 46 Wh is 79.96 %: it rounds to 80 and is short all the same."""
        gate = PackGate(min_health_percent=80)
        self.assertIs(state(gate, folio(p1="36.7816/46 90c")), GateState.SHORT)
        self.assertIs(state(gate, folio(p1="36.8/46 90c")), GateState.MET)

    def test_the_words_stay_on_its_side_of_the_gate(self):
        gate = PackGate(min_health_percent=80)
        verdict = gate.verdict(FOLIO, folio(p1="36.7816/46 90c"), Policy())
        self.assertIn("79.96 of 80 %", verdict.sentence)
        plain = gate.verdict(FOLIO, folio(p1="32.93/46 90c"), Policy())
        self.assertIn("72 of 80 %", plain.sentence)

    def test_the_strip_says_the_same(self):
        strip = draw_strip(FOLIO, folio(p1="36.7816/46 90c"), (DESK,))
        cell = next(cell for cell in strip.cells if cell.key == "p1")
        self.assertEqual((cell.figure, cell.unit), ("79.96", "%"))

    def test_it_is_not_planned_for_sale(self):
        """Health of 79.96 % toward a gate of 80: no release as is."""
        gate = PackGate(min_health_percent=80)
        strict = DESK.model_copy(update={"gates": (gate,)})
        case = case_of(folio(p1="36.7816/46 90c")).model_copy(update={"standards": (strict,)})
        self.assertNotEqual(make_plan(case).outcomes[0].outcome, "release")

    @few(40)
    @given(st.integers(200, 900), st.integers(50, 99))
    def test_a_share_met_exactly_passes_whatever_floats_make_of_it(self, tenths, percent):
        """81.809 of 89.9 Wh is 91 %, and 90.99999999999999 in binary."""
        design, full = tenths / 10, tenths * percent / 1000
        hair = Decimal(str(full)) - Decimal("0.001")
        gate = PackGate(min_health_percent=percent)
        for wh, passes in ((str(full), True), (str(hair), False)):
            pack = PackFinding(state=PlaceState.PRESENT, full=float(wh), design=design)
            unit = folio().model_copy(update={"packs": {"p1": pack}})
            self.assertIs(state(gate, unit) is GateState.MET, passes, (wh, design, percent))
            self.assertIs(gate.audit(FOLIO, unit, Policy()).fault == "", passes)

    def test_a_pack_may_hold_a_twentieth_more_than_its_design_and_nothing_beyond(self):
        most, refused = read_entries(FOLIO, "flash", {"p1": "48.3/46 90c"})
        self.assertEqual((most.pack("p1").health_percent, refused), (105, {}))
        _, refused = read_entries(FOLIO, "flash", {"p1": "48.31/46 90c"})
        self.assertIn("cannot hold that much", refused["p1"])

    def test_a_design_at_the_edge_of_the_tolerance_is_the_variant(self):
        """46.62 Wh and 5 %: 48.951 is that pack, a hair more is none of the sheet's."""
        place = FOLIO.packs[0]
        self.assertIn(46.62, [variant.design_wh for variant in place.variants])
        edge, beyond = (PackFinding(full=45, design=wh) for wh in (48.951, 48.9511))
        self.assertEqual(nearest_variant(place, edge).design_wh, 46.62)
        self.assertIsNone(nearest_variant(place, beyond))

    def test_volts_are_those_of_its_cells_to_the_edge(self):
        """Three cells of 3.6 to 3.95 V, and 0.05 V for how labels round."""
        told = {"10.75": 0, "10.74": 1, "11.9": 0, "11.91": 1}
        for volts, questions in told.items():
            asked = pack_questions(FOLIO, folio(p1=f"3400/4200mah {volts}v"))
            asked = [question for question in asked if "cells in a row" in question.sentence]
            self.assertEqual(len(asked), questions, volts)

    def test_cycles_met_exactly_pass(self):
        gate = PackGate(min_health_percent=65, max_cycles=500)
        self.assertIs(state(gate, folio(p1="45/46 500c")), GateState.MET)
        self.assertIs(state(gate, folio(p1="45/46 501c")), GateState.SHORT)

    def test_cycles_nobody_read_are_unknown_and_a_pack_that_counts_none_is_not(self):
        gate = PackGate(min_health_percent=65, max_cycles=500)
        unread, uncounted = folio(p1="45/46"), folio(p1="45/46 -c")
        self.assertIs(state(gate, unread), GateState.UNKNOWN)
        self.assertIn("nobody read", gate.audit(FOLIO, unread, Policy()).fault)
        self.assertIs(state(gate, uncounted), GateState.MET)
        self.assertEqual(gate.audit(FOLIO, uncounted, Policy()).fault, "")
        self.assertIs(state(gate, folio(p1="20/46")), GateState.SHORT)
        self.assertIs(state(PackGate(min_health_percent=65), unread), GateState.MET)

    def test_a_new_pack_has_no_cycles(self):
        worn = folio(p1="20/46 700c")
        supply = Supply(KINDS, frozenset(KINDS))
        asked = Asked(sheet=FOLIO, findings=worn, supply=supply, policy=Policy(), lowest=False)
        way = PackGate(min_health_percent=80).ways(asked)[0]
        after = after_actions(FOLIO, worn, way, KINDS)
        self.assertEqual(after.pack("p1").cycles, 0)


class Runtime(unittest.TestCase):
    def test_the_same_charge_at_other_volts_is_another_unit(self):
        """3400 mAh at 11.1 V are 37.7 Wh, at 10.8 V 36.7 Wh; the Folio draws 8 W."""
        high, low = folio(p1="3400/4200mah 11.1v"), folio(p1="3400/4200mah 10.8v")
        gate = PackGate(min_health_percent=10, min_runtime_hours=4.6)
        watts = FOLIO.draw[0].watts
        self.assertEqual(watts, 8.0)
        self.assertIs(state(gate, high, BY_RUNTIME), GateState.MET)
        self.assertIs(state(gate, low, BY_RUNTIME), GateState.SHORT)
        eye = PackGate.sees((gate,), FOLIO, BY_RUNTIME)
        self.assertNotEqual(eye(high), eye(low))
        lasting = DESK.model_copy(update={"gates": (gate,)})
        case = case_of(high, low).model_copy(update={"standards": (lasting,), "policy": BY_RUNTIME})
        ends = {o.tag: o.outcome for o in make_plan(case).outcomes}
        self.assertEqual(len(set(ends.values())), 2, ends)

    def test_hours_met_exactly_pass(self):
        gate = PackGate(min_health_percent=10, min_runtime_hours=4.0)
        self.assertIs(state(gate, folio(p1="32/46 90c"), BY_RUNTIME), GateState.MET)
        self.assertIs(state(gate, folio(p1="31.999/46 90c"), BY_RUNTIME), GateState.SHORT)

    def test_another_pack_that_lasts_exactly_so_long_is_a_way(self):
        """46.62 Wh at 8 W are 5.8275 h."""
        for hours, ways in ((5.8275, 1), (5.83, 0)):
            gate = PackGate(min_health_percent=10, min_runtime_hours=hours)
            asked = Asked(
                sheet=FOLIO,
                findings=folio(p1="20/46 90c"),
                supply=Supply(KINDS, frozenset(KINDS)),
                policy=BY_RUNTIME,
                lowest=False,
            )
            if ways:
                self.assertEqual(len(gate.ways(asked)), ways)
            else:
                with self.assertRaisesRegex(NoWay, "lasts 5.8 h; the gate wants 5.83 h"):
                    gate.ways(asked)

    def test_watt_hours_and_the_same_in_milliampere_hours_are_alike(self):
        gate = PackGate(min_health_percent=10, min_runtime_hours=4.0)
        eye = PackGate.sees((gate,), LERN, BY_RUNTIME)
        self.assertEqual(eye(lern(p1="30.4/38 90c")), eye(lern(p1="4000/5000mah 7.6v")))


class Figures(unittest.TestCase):
    def test_as_few_decimals_as_tell_it_from_the_limit(self):
        told = [(79.96, "79.96"), (79.6, "79.6"), (79.4, "79"), (79.9999999, "79.999"), (80, "80")]
        self.assertEqual([(f, short_of(f, 80)) for f, _ in told], told)

    def test_a_label_never_claims_more_than_there_is(self):
        self.assertEqual([at_least(f) for f in (79.96, 80.0, 79.0)], [79, 80, 79])
        self.assertEqual(at_least(83.39, 1), 83.3)
