import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.route.pace import (
    FASTEST,
    PRIOR_TIMES,
    SLOWEST,
    Pace,
    RecordedTime,
    StepPace,
    learn_pace,
    range_of,
    speed_of,
)


def time(ratio: float, person: str = "ana", key: str = "base_off") -> RecordedTime:
    return RecordedTime(key=key, person=person, minutes=2.0 * ratio, sheet_minutes=2.0)


ratios = st.lists(st.floats(0.3, 3.5), min_size=1, max_size=40)


class Learning(unittest.TestCase):
    def test_nothing_recorded_is_the_sheet(self):
        pace = learn_pace([])
        self.assertEqual(pace.minutes("base_off", 2.0), 2.0)
        self.assertEqual(pace.of("base_off").times, 0)

    def test_one_slow_time_moves_it_a_little_and_many_move_it_far(self):
        one = learn_pace([time(2.0)]).of("base_off").factor
        many = learn_pace([time(2.0)] * 50).of("base_off").factor
        self.assertAlmostEqual(one, (PRIOR_TIMES + 2) / (PRIOR_TIMES + 1))
        self.assertGreater(many, 1.85)
        self.assertLess(one, 1.2)

    def test_a_forgotten_clock_counts_only_as_the_slowest_ratio(self):
        self.assertEqual(time(90).ratio, SLOWEST)
        self.assertEqual(time(0.001).ratio, FASTEST)

    def test_a_person_is_shrunk_toward_everybody(self):
        times = [time(1.0, "ben")] * 20 + [time(2.0, "ana")] * 3
        everybody = learn_pace(times).of("base_off").factor
        ana = learn_pace(times, "ana").of("base_off").factor
        self.assertGreater(ana, everybody)
        self.assertLess(ana, 2.0)
        self.assertEqual(learn_pace(times, "nobody").of("base_off").factor, everybody)

    def test_speed_is_one_for_whom_nobody_timed(self):
        times = [time(1.0, "ben")] * 20 + [time(1.6, "ana")] * 20
        pace = learn_pace(times)
        self.assertEqual(speed_of(times, pace, "nobody"), 1.0)
        self.assertGreater(speed_of(times, pace, "ana"), 1.0)
        self.assertLess(speed_of(times, pace, "ben"), 1.0)

    @given(ratios)
    def test_the_estimate_lies_between_the_sheet_and_what_was_seen(self, found):
        factor = learn_pace([time(r) for r in found]).of("base_off").factor
        mean = sum(found) / len(found)
        self.assertGreaterEqual(factor, min(1.0, mean) - 1e-9)
        self.assertLessEqual(factor, max(1.0, mean) + 1e-9)

    @given(ratios)
    def test_the_order_of_the_times_does_not_matter(self, found):
        one = learn_pace([time(r) for r in found]).of("base_off")
        other = learn_pace([time(r) for r in reversed(found)]).of("base_off")
        self.assertAlmostEqual(one.factor, other.factor)
        self.assertAlmostEqual(one.spread, other.spread)


class Ranges(unittest.TestCase):
    def test_alike_times_narrow_the_range(self):
        steps = [("base_off", 2.0), ("pack_unplug", 1.0)]
        guess = range_of(steps, Pace())
        known = range_of(steps, Pace(steps={"base_off": StepPace(spread=0.05, times=30)}))
        self.assertEqual(guess.minutes, known.minutes)
        self.assertLess(known.high - known.low, guess.high - guess.low)
        self.assertEqual((guess.times, known.times), (0, 30))
        self.assertTrue(0 <= guess.low < guess.minutes < guess.high)
