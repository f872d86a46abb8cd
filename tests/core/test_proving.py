"""What read-outs prove of a running unit."""

import unittest
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.gates import ProvenGate
from sortis_core.intake.entry import write_entries
from sortis_core.intake.readout import DriveSeen, ReadOut, read_bundle
from sortis_core.intake.readout.drives import read_smartctl
from sortis_core.intake.readout.seen import MachineSeen, PackSeen
from sortis_core.proving import NotProven, Reading, proven_words
from standins.bench import bundle_for
from tests.core.sample import FOLIO, folio

NOON = datetime(2026, 11, 27, 12, tzinfo=UTC)


def packs(*held: float | None, full: float = 40.0, clock: datetime | None = None) -> ReadOut:
    seen = [
        PackSeen(name=f"BAT{n}", full_wh=full, design_wh=44.0, now_wh=wh)
        for n, wh in enumerate(held)
    ]
    return ReadOut(packs=tuple(seen), packs_read=True, clock=clock)


def at(minutes: float, readout: ReadOut) -> Reading:
    return Reading(NOON + timedelta(minutes=minutes), readout)


def runtime(*readings: Reading, hours: float = 3.0) -> str:
    return proven_words(ProvenGate(what="runtime", min_hours=hours), readings)


class Runtime(unittest.TestCase):
    def refused(self, words: str, *readings: Reading, hours: float = 3.0) -> None:
        with self.assertRaisesRegex(NotProven, words):
            runtime(*readings, hours=hours)

    def test_charge_lost_between_two_readings_gives_watts_and_hours(self):
        said = runtime(at(0, packs(38.0)), at(30, packs(34.0)))
        self.assertEqual(said, "38.0 to 34.0 Wh in 30 min, 8.0 W, so 5.0 h")
        self.refused("5.1 h are asked for", at(0, packs(38.0)), at(30, packs(34.0)), hours=5.1)

    def test_two_packs_are_summed_and_both_must_tell(self):
        said = runtime(at(0, packs(38.0, 38.0)), at(30, packs(38.0, 34.0)))
        self.assertIn("76.0 to 72.0 Wh in 30 min, 8.0 W, so 10.0 h", said)
        self.refused("how much charge", at(0, packs(38.0, None)), at(30, packs(30.0, None)))

    def test_two_readings_lie_apart_and_the_unit_s_clock_tells_how_far(self):
        self.refused("one reading", at(0, packs(38.0)))
        self.refused("one reading", at(0, packs(38.0)), at(9.9, packs(30.0)))
        quick = [
            at(0, packs(38.0, clock=NOON)),
            at(1, packs(34.0, clock=NOON + timedelta(minutes=30))),
        ]
        self.assertIn("in 30 min", runtime(*quick))

    def test_a_clock_that_was_set_meanwhile_proves_nothing(self):
        years = timedelta(days=11 * 365)
        self.refused(
            "one reading",
            at(0, packs(38.0, clock=NOON - years)),
            at(30, packs(34.0, clock=NOON + timedelta(minutes=30))),
        )
        self.refused(
            "drew 1.3 W",
            at(0, packs(38.0, clock=NOON)),
            at(30, packs(34.0, clock=NOON + timedelta(hours=3))),
        )

    def test_a_reading_of_another_unit_is_no_half_of_it(self):
        other = packs(38.0).model_copy(update={"machine": MachineSeen(serial="other")})
        self.refused("one reading", at(0, other), at(30, packs(34.0)))

    def test_what_hangs_on_its_adapter_proves_nothing(self):
        self.refused("adapter", at(0, packs(38.0)), at(30, packs(38.0)))
        self.refused("adapter", at(0, packs(30.0)), at(30, packs(38.0)))

    @given(st.floats(3, 20), st.integers(10, 90))
    def test_the_hours_are_full_charge_over_what_it_draws(self, watts, minutes):
        lost = watts * minutes / 60
        said = runtime(at(0, packs(40.0)), at(minutes, packs(40.0 - min(lost, 40.0))), hours=0.5)
        hours = float(said.rsplit(" so ", 1)[1].removesuffix(" h"))
        self.assertAlmostEqual(hours, 40.0 / (min(lost, 40.0) / (minutes / 60)), delta=0.051)


class OwnTest(unittest.TestCase):
    GATE = ProvenGate(what="self_test")

    def said(self, *drives: DriveSeen) -> str:
        return proven_words(self.GATE, [at(0, ReadOut(drives=drives, drives_read=True))])

    def test_every_drive_passed_lately(self):
        good = DriveSeen(
            name="a", model="S1", hours=900, self_test_passed=True, self_test_hours=876
        )
        self.assertEqual(self.said(good), "S1 passed at 876 h")
        for wrong, words in (
            ({"self_test_hours": 875}, "25 running hours ago"),
            ({"self_test_hours": 901}, "has not run yet"),
            ({"self_test_hours": None}, "does not say when"),
            ({"hours": None}, "does not say when"),
            ({"self_test_passed": None}, "tells of no test"),
            ({"self_test_passed": False}, "failed its own test"),
        ):
            with self.assertRaisesRegex(NotProven, words):
                self.said(good, good.model_copy(update={"name": "b"} | wrong))

    def test_the_newest_test_that_ended_counts(self):
        aborted = '{"self_test_result": {"value": 1}, "power_on_hours": 90}'
        failed = '{"self_test_result": {"value": 7}, "power_on_hours": 80}'
        text = (
            '{"smartctl": {"exit_status": 0}, "device": {"protocol": "NVMe"}, "model_name": "S",'
            f'"nvme_self_test_log": {{"table": [{aborted}, {failed}]}}}}'
        )
        drive, _ = read_smartctl(text)
        assert drive
        self.assertEqual((drive.self_test_passed, drive.self_test_hours), (False, 80))
        for odd in ("[]", "5", '{"table": [5, {"self_test_result": {"value": 1e400}}]}'):
            drive, _ = read_smartctl(text.replace(f'{{"table": [{aborted}, {failed}]}}', odd))
            assert drive
            self.assertIsNone(drive.self_test_passed)


class Load(unittest.TestCase):
    def said(self, **told: object) -> str:
        readout = ReadOut.model_validate({"hottest_celsius": 71.0, "load": 1.0} | told)
        return proven_words(ProvenGate(what="load", max_celsius=80), [at(0, readout)])

    def test_hot_enough_work_with_a_fan_that_turns(self):
        self.assertEqual(
            self.said(fans_rpm=(0, 2900)), "71 °C at load 1.0, fan 2900 turns a minute"
        )
        self.assertEqual(self.said(), "71 °C at load 1.0")
        self.assertIn("80 °C", self.said(hottest_celsius=80.0))
        for wrong, words in (
            ({"load": 0.9}, "hardly worked"),
            ({"load": None}, "does not say"),
            ({"hottest_celsius": 80.5}, "at most 80"),
            ({"fans_rpm": (0,)}, "no fan turns"),
        ):
            with self.assertRaisesRegex(NotProven, words):
                self.said(**wrong)


class Bench(unittest.TestCase):
    """The simulated bench: asked twice, a good unit proves all three."""

    def test_two_readings_of_a_good_unit_prove_it(self):
        entries = write_entries(folio())
        told = [
            at(20 * before, read_bundle(bundle_for("T", "S", FOLIO, "flash", entries, before)))
            for before in (0, 1)
        ]
        self.assertIn(" so ", runtime(*told, hours=0.5))
        self.assertIn("passed at", proven_words(OwnTest.GATE, told))
        self.assertIn("at load", proven_words(ProvenGate(what="load", max_celsius=90), told))
        with self.assertRaises(NotProven):
            proven_words(ProvenGate(what="own_test"), told)
        with self.assertRaisesRegex(NotProven, "not read out"):
            proven_words(OwnTest.GATE, [])
