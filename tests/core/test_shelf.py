"""Groups that one process found serve the others of the same program."""

import pickle
import unittest
from unittest.mock import patch

from sortis_core.plan import make, make_plan
from sortis_core.plan.make import grouped
from sortis_core.plan.shelf import shared_by, shelf
from tests.core.test_narrow import scarce


class Laid(dict):
    """A shelf as files are: what is taken is never the very same object."""

    def take(self, digest):
        found = self.get(digest)
        return found and pickle.loads(found)

    def lay(self, digest, groups):
        self[digest] = pickle.dumps(groups)


class Shelves(unittest.TestCase):
    def setUp(self):
        self.addCleanup(shared_by, shelf())
        self.laid = Laid()
        shared_by(self.laid)
        make._lately.clear()

    def test_another_process_finds_them_there_and_plans_the_same(self):
        case = scarce(5, 12)
        groups, plan = grouped(case), make_plan(case)
        make._lately.clear()
        with patch.object(make, "group_units", side_effect=AssertionError("found again")):
            self.assertEqual(grouped(case), groups)
            self.assertEqual(make_plan(case), plan)
            self.assertIs(grouped(case), grouped(case))

    def test_what_changes_the_groups_is_never_answered_from_there(self):
        case = scarce(5, 12)
        grouped(case)
        fewer = case.model_copy(update={"units": case.units[1:]})
        dearer = case.model_copy(
            update={"policy": case.policy.model_copy(update={"cooling_minutes": 9})}
        )
        for other in (fewer, dearer):
            make._lately.clear()
            self.assertEqual(grouped(other), make.group_units(other, other.units))
        self.assertEqual(len(self.laid), 3)

    def test_turned_dials_find_the_same(self):
        case = scarce(5, 12)
        before = grouped(case)
        turned = case.model_copy(update={"money_cents": 1, "bench_minutes": 60.0})
        self.assertIs(grouped(turned), before)
        self.assertEqual(len(self.laid), 1)
