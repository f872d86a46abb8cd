"""A solve that nobody's hand waits for lets others go first, and comes out the same."""

import unittest
from threading import Thread

from sortis_core.plan import make_plan
from sortis_core.plan.aside import stand_aside, standing_aside
from sortis_core.plan.because import because
from sortis_core.plan.make import grouped
from sortis_core.plan.whatif import curve_of, one_more, other_rules, spending, unit_ways
from tests.core.test_narrow import scarce


class Enough(Exception):
    pass


class StandingAside(unittest.TestCase):
    def test_it_is_asked_between_steps_and_changes_nothing(self):
        case = scarce(5, 12)
        alone = make_plan(case)
        asked: list[int] = []
        with standing_aside(lambda: asked.append(1)):
            self.assertEqual(make_plan(case), alone)
        # More often than there are groups: each has its ladder, besides what all have together.
        self.assertGreater(len(asked), len(grouped(case)))

    def test_everything_that_is_solved_beside_a_dial_can_be_held(self):
        case = scarce(5, 12)
        plan = make_plan(case)
        tag = plan.outcomes[0].tag
        _, otherwise = next(other_rules(case))
        solves = {
            "proof": lambda: make_plan(case),
            "curve": lambda: curve_of(case),
            "point of it": lambda: spending(case, 5_000),
            "one more": lambda: one_more(case, "minutes"),
            "ways": lambda: unit_ways(case, tag),
            "reason": lambda: [because(case, plan, one.tag) for one in plan.outcomes],
            "other rule": lambda: make_plan(otherwise),
        }

        def held() -> None:
            raise Enough

        for name, solve in solves.items():
            with self.subTest(name), self.assertRaises(Enough), standing_aside(held):
                solve()

    def test_only_the_thread_that_said_so_stands_aside(self):
        asked: list[str] = []
        with standing_aside(lambda: asked.append("here")):
            other = Thread(target=stand_aside)
            other.start()
            other.join()
            self.assertEqual(asked, [])
            stand_aside()
        stand_aside()
        self.assertEqual(asked, ["here"])
