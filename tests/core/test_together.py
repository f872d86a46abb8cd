"""Shares of one piece of work hear of one another, in one process or in several."""

import os
import unittest
from functools import partial
from unittest.mock import patch

from demo.generator import demo_sheets, make_case
from sortis_core.plan import grouping, together
from sortis_core.plan.grouping import group_units
from sortis_core.plan.make import make_plan
from sortis_core.plan.together import together as apart
from sortis_core.plan.verify import faults
from tests.core.sample import SHEETS


class Sum(int):
    def joined(self, others):
        return Sum(self + sum(others))


def counts(*told, ends=None):
    """Tells figure after figure and returns what it heard, and in which process."""
    heard = []
    for figure in told:
        heard.append((yield Sum(figure)))
    if ends:
        raise ends
    return heard, os.getpid()


def worked(shares):
    """Each in a process of its own, as far as there are several."""
    return apart(lambda: shares, len(shares))


class Shares(unittest.TestCase):
    def test_each_hears_what_all_told_and_works_in_a_process_of_its_own(self):
        (heard, process), (other_heard, other) = worked(
            [partial(counts, 1, 10), partial(counts, 2, 20)]
        )
        self.assertEqual((heard, other_heard), ([3, 30], [3, 30]))
        self.assertEqual(process, os.getpid())
        self.assertNotEqual(other, process)

    def test_with_one_processor_they_are_worked_here(self):
        with patch("os.sched_getaffinity", return_value={0}):
            found = worked([partial(counts, 1), partial(counts, 2)])
        self.assertEqual(found, [([3], os.getpid())] * 2)

    def test_a_process_that_is_lost_loses_nothing(self):
        for code in ("0", "import os; os.kill(os.getpid(), 9)"):
            with self.subTest(code=code), patch.object(together, "SERVE", code):
                found = worked([partial(counts, 1), partial(counts, 2)])
                self.assertEqual(found, [([3], os.getpid())] * 2)

    def test_what_a_share_raises_is_raised(self):
        for shares in ((None, ValueError("odd")), (ValueError("odd"), None)):
            with self.subTest(shares=shares), self.assertRaisesRegex(ValueError, "odd"):
                worked([partial(counts, 1, ends=ends) for ends in shares])

    def test_a_process_that_gets_no_share_is_no_loss(self):
        self.assertEqual(apart(lambda: [partial(counts, 1, 10)], 3), [([1, 10], os.getpid())])

    def test_what_parts_the_work_may_fail_and_no_process_stays(self):
        def part():
            raise ValueError("odd")

        with self.assertRaisesRegex(ValueError, "odd"):
            apart(part, 2)

    def test_no_process_is_left_behind(self):
        started = []
        popen = together.subprocess.Popen

        def start(*command, **how):
            started.append(popen(*command, **how))
            return started[-1]

        with patch.object(together.subprocess, "Popen", start):
            worked([partial(counts, 1), partial(counts, 2)])
            with self.assertRaises(ValueError):
                worked([partial(counts, 1, ends=ValueError()), partial(counts, 2)])
        self.assertEqual(len(started), 2)
        self.assertTrue(all(process.returncode is not None for process in started))


class Groups(unittest.TestCase):
    def test_groups_are_the_same_in_one_process_and_in_two(self):
        models = tuple(sheet.key for sheet in demo_sheets())
        for seed in range(2):
            case = make_case(seed, 90, models=models)
            alone = group_units(case, case.units)
            with patch.object(grouping, "SHARED_UNITS", 1):
                shared = group_units(case, tuple(reversed(case.units)))
            self.assertEqual(alone, shared)

    def test_a_batch_of_one_model_is_one_share(self):
        case = make_case(3, 12, models=(next(iter(SHEETS)),))
        with patch.object(grouping, "SHARED_UNITS", 1):
            plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(plan, make_plan(case))
