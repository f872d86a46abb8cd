import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.assess import assess
from sortis_core.facts.battery import pack_questions
from sortis_core.facts.memory import channel_words, memory_facts
from sortis_core.facts.storage import storage_facts
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries
from sortis_core.policy import MemorySchool, Policy
from tests.core.sample import (
    CLASS,
    DESK,
    FIELD,
    FOLIO,
    LERN,
    STANDARDS,
    STILT,
    folio,
    lern,
    stilt,
)

POLICY = Policy()


def gates(sheet, findings, standard):
    verdict = assess(sheet, findings, (standard,), POLICY).verdicts[0]
    return {gate.gate: gate for gate in verdict.gates}


class Memory(unittest.TestCase):
    def test_total_speed_and_channels(self):
        facts = memory_facts(STILT, stilt(m1="8 2400", m2="8 3200"), POLICY)
        self.assertEqual((facts.total_gb, facts.runs_mts), (16, 2400))
        self.assertEqual(facts.channels, "two channels in full")

    def test_what_nobody_looked_at_is_no_empty_slot(self):
        for entries, said in (
            ({"m1": "?", "m2": "?"}, "Memory not looked at. Ceiling"),
            ({"m1": "8", "m2": "?"}, "8 GB, one channel. Slot 2 not looked at. Ceiling"),
            ({"m1": "-", "m2": "-"}, "0 GB. Slot 1 and Slot 2 are free. Ceiling"),
        ):
            self.assertIn(said, memory_facts(STILT, stilt(**entries), POLICY).sentence)
        for entries, said in (
            ({"d1": "?", "d2": "?"}, "Drives not looked at."),
            ({"d1": "-", "d2": "?"}, "No drive seen."),
            ({"d1": "-", "d2": "-"}, "No drive seen."),
        ):
            self.assertEqual(storage_facts(STILT, stilt(**entries)).sentence, said)

    def test_a_fast_module_runs_at_the_boards_speed(self):
        self.assertEqual(memory_facts(STILT, stilt(m1="8 3200", m2="-"), POLICY).runs_mts, 2666)

    def test_unequal_and_single_modules(self):
        self.assertEqual(
            channel_words(STILT, {"m1": 16, "m2": 8}), "two channels for 16 GB, the rest in one"
        )
        self.assertEqual(channel_words(STILT, {"m1": 16}), "one channel")
        self.assertEqual(channel_words(FOLIO, {"m0": 8, "m1": 8}), "two channels in full")
        self.assertEqual(channel_words(LERN, {"m0": 8}), "soldered, all channels")

    def test_ceiling_by_school_needs_enough_units_on_record(self):
        proven = Policy(memory_ceiling=MemorySchool.BENCH_PROVEN)
        strict = Policy(memory_ceiling=MemorySchool.BENCH_PROVEN, bench_proven_from_units=5)
        self.assertEqual(memory_facts(FOLIO, folio(), POLICY).ceiling_gb, 16)
        self.assertEqual(memory_facts(FOLIO, folio(), proven).ceiling_gb, 24)
        self.assertEqual(memory_facts(FOLIO, folio(), strict).ceiling_gb, 16)
        record = FOLIO.memory.proven.units_on_record
        just = proven.model_copy(update={"bench_proven_from_units": record})
        self.assertEqual(memory_facts(FOLIO, folio(), just).ceiling_gb, 24)

    def test_gate_is_unknown_only_while_it_could_still_be_met(self):
        self.assertIs(gates(STILT, stilt(m2="?"), DESK)["memory"].state, GateState.MET)
        self.assertIs(gates(STILT, stilt(m2="?"), FIELD)["memory"].state, GateState.UNKNOWN)
        self.assertIs(gates(STILT, stilt(m2="-"), FIELD)["memory"].state, GateState.SHORT)


class Storage(unittest.TestCase):
    def test_a_spinning_disk_never_meets_the_gate(self):
        gate = gates(STILT, stilt(d1="h500"), CLASS)["solid_drive"]
        self.assertIs(gate.state, GateState.SHORT)

    def test_a_faulty_drive_is_short_beside_a_good_one(self):
        self.assertIs(gates(STILT, stilt(d2="x"), DESK)["fit_to_leave"].state, GateState.SHORT)

    def test_size_counts(self):
        self.assertIs(gates(STILT, stilt(d1="s128"), DESK)["solid_drive"].state, GateState.SHORT)
        self.assertIs(gates(STILT, stilt(d1="s128"), CLASS)["solid_drive"].state, GateState.MET)


class Packs(unittest.TestCase):
    def test_runtime_is_full_charge_against_draw(self):
        facts = assess(FOLIO, folio(p1="36/46 90c"), STANDARDS, POLICY).battery
        self.assertEqual(facts.runtime_hours, 4.5)
        self.assertEqual(facts.packs[0].variant, "OF-47")

    def test_gate_by_health_cycles_and_absence(self):
        self.assertIs(gates(FOLIO, folio(p1="37/46 90c"), DESK)["pack"].state, GateState.MET)
        self.assertIs(gates(FOLIO, folio(p1="36/46 90c"), DESK)["pack"].state, GateState.SHORT)
        self.assertIs(gates(FOLIO, folio(p1="45/46 501c"), FIELD)["pack"].state, GateState.SHORT)
        self.assertIs(gates(FOLIO, folio(p1="-"), CLASS)["pack"].state, GateState.SHORT)

    def test_a_model_without_pack_meets_the_gate(self):
        self.assertIs(gates(STILT, stilt(), FIELD)["pack"].state, GateState.MET)

    def test_another_design_or_odd_volts_are_asked_again(self):
        self.assertIn(
            "none of the sheet's", pack_questions(FOLIO, folio(p1="40/57 9c"))[0].sentence
        )
        self.assertIn(
            "no pack of 2 cells in a row", pack_questions(LERN, lern(p1="30/38 9.4v"))[0].sentence
        )
        self.assertEqual(pack_questions(LERN, lern(p1="30/38 7.6v")), [])

    @given(st.floats(5, 46), st.floats(5, 46))
    def test_a_healthier_pack_never_makes_a_unit_worse(self, one, other):
        low, high = sorted((one, other))
        states = [GateState.SHORT, GateState.MET]
        for standard in STANDARDS:
            worse = gates(FOLIO, folio(p1=f"{low:.2f}/46 90c"), standard)["pack"].state
            better = gates(FOLIO, folio(p1=f"{high:.2f}/46 90c"), standard)["pack"].state
            self.assertLessEqual(states.index(worse), states.index(better))


class Completeness(unittest.TestCase):
    def test_bay_kit_is_required_only_with_a_drive_in_the_bay(self):
        empty = folio(d2="-", bay_cable="-", bay_frame="-", bay_screws="-")
        filled = folio(d2="s256", bay_cable="-", bay_frame="+", bay_screws="+")
        self.assertIs(gates(FOLIO, empty, DESK)["parts"].state, GateState.MET)
        gate = gates(FOLIO, filled, DESK)["parts"]
        self.assertEqual((gate.state, gate.places), (GateState.SHORT, ("bay_cable",)))

    def test_a_trim_without_heat_sink_does_not_miss_it(self):
        self.assertIs(gates(FOLIO, folio("lite"), DESK)["parts"].state, GateState.MET)
        self.assertIs(
            gates(FOLIO, folio("flash", heat_sink="-"), DESK)["parts"].state, GateState.SHORT
        )

    def test_what_nobody_looked_at_is_not_missing_but_unknown(self):
        findings, _ = read_entries(STILT, "std", {})
        self.assertIs(gates(STILT, findings, DESK)["parts"].state, GateState.UNKNOWN)

    def test_a_failed_test_is_short_and_named(self):
        gate = gates(STILT, stilt(fan="x"), DESK)["tests"]
        self.assertEqual((gate.state, gate.sentence), (GateState.SHORT, "Fan failed"))

    def test_a_hazard_carries_the_caution(self):
        assessed = assess(FOLIO, folio(p1="!"), STANDARDS, POLICY)
        self.assertEqual(assessed.hazards, ("p1",))
        self.assertIn("do not charge", assessed.hazard_words.lower())
