"""A solid-state drive of at least a size: limits, several drives, units of size, wear."""

import unittest

from sortis_core.assess import assess
from sortis_core.facts.storage import storage_questions
from sortis_core.findings import DriveFinding, PlaceState
from sortis_core.gates import SolidDriveGate
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries
from sortis_core.intake.readout.drives import bytes_of, market_gb
from sortis_core.policy import Policy
from sortis_core.sheets import Interface
from tests.core.sample import FOLIO, folio


def state(min_gb: int, **entries: str) -> GateState:
    return SolidDriveGate(min_gb=min_gb).verdict(FOLIO, folio("disk", **entries), Policy()).state


class Sizes(unittest.TestCase):
    def test_met_exactly_passes_and_one_less_is_short(self):
        self.assertIs(state(256, d1="n256", d2="-"), GateState.MET)
        self.assertIs(state(257, d1="n256", d2="-"), GateState.SHORT)

    def test_the_largest_counts_and_never_the_sum(self):
        self.assertIs(state(512, d1="n256", d2="s512"), GateState.MET)
        self.assertIs(state(512, d1="n256", d2="s256"), GateState.SHORT)

    def test_a_faulty_drive_counts_for_nothing(self):
        self.assertIs(state(256, d1="n512", d2="x"), GateState.MET)
        self.assertIs(state(256, d1="x", d2="-"), GateState.SHORT)

    def test_a_drive_above_the_ceiling_of_its_socket_is_asked_about_with_its_source(self):
        limit = FOLIO.drives[0].limit_gb
        self.assertEqual(storage_questions(FOLIO, folio(d1=f"n{limit}")), [])
        (asked,) = storage_questions(FOLIO, folio(d1=f"n{2 * limit}"))
        self.assertEqual(asked.place, "d1")
        self.assertIn(f"{2 * limit} GB is more than the {limit} GB", asked.sentence)
        self.assertIn(str(FOLIO.drives[0].source), asked.sentence)
        self.assertIn(asked, assess(FOLIO, folio(d1=f"n{2 * limit}"), (), Policy()).questions)

    def test_a_spinning_disk_or_emmc_never_carries_the_system(self):
        self.assertIs(state(256, d1="-", d2="h1000"), GateState.SHORT)
        emmc = DriveFinding(state=PlaceState.PRESENT, interface=Interface.EMMC, gb=512)
        unit = folio("disk", d2="-")
        unit = unit.model_copy(update={"drives": unit.drives | {"d1": emmc}})
        gate = SolidDriveGate(min_gb=256)
        self.assertIs(gate.verdict(FOLIO, unit, Policy()).state, GateState.SHORT)
        self.assertTrue(gate.audit(FOLIO, unit, Policy()).fault)

    def test_a_place_nobody_looked_at_is_unknown_until_another_meets_the_gate(self):
        self.assertIs(state(512, d1="n256", d2="?"), GateState.UNKNOWN)
        self.assertIs(state(256, d1="n256", d2="?"), GateState.MET)


class Figures(unittest.TestCase):
    def test_makers_count_in_tens_and_tools_in_twos(self):
        """A drive of 256 GB has 256,060,514,304 bytes, which a tool writes as 238.5 G."""
        self.assertEqual(market_gb(256_060_514_304), 256)
        self.assertEqual(market_gb(bytes_of("238.5G")), 256)
        self.assertEqual(market_gb(bytes_of("953.9G")), 1024)
        self.assertNotEqual(market_gb(bytes_of("256G")), 256)

    def test_more_life_than_there_is_cannot_be(self):
        read, refused = read_entries(FOLIO, "flash", {"d1": "n256 100%"})
        self.assertEqual((read.drive("d1").life_percent, refused), (100, {}))
        _, refused = read_entries(FOLIO, "flash", {"d1": "n256 101%"})
        self.assertIn("the most is 100 %", refused["d1"])
