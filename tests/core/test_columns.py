"""Ways as columns tell the same as the model that is written with them."""

import unittest
from random import Random
from unittest.mock import patch

import numpy as np

from demo.generator import make_case
from sortis_core.plan.columns import Columns
from sortis_core.plan.grouping import group_units
from sortis_core.plan.model import BatchModel
from sortis_core.plan.onemore import without_whole_numbers
from sortis_core.plan.priced import worthwhile
from tests.core.sample import SHEETS


def relaxed(case, groups, ways):
    """The best plan without whole numbers over some ways, by the model that plans are made of."""
    batch = BatchModel(case, groups, ways=ways)
    batch.relax()
    batch.model.maximize(batch.preferred)
    return without_whole_numbers(batch.model)


class Choices(unittest.TestCase):
    def made(self, seed):
        """A batch with the columns that its pricing writes."""
        case = make_case(seed, 14, models=tuple(SHEETS))
        case = case.model_copy(
            update={"units": tuple(one for one in case.units if not one.findings.hazards)}
        )
        groups = group_units(case, case.units)
        made = []
        init = Columns.__init__

        def kept(columns, *args):
            made.append(columns)
            init(columns, *args)

        with patch.object(Columns, "__init__", kept):
            worthwhile(case, groups, 1e-3)
        return case, groups, made[0]

    def test_any_choice_is_worth_what_the_model_of_it_is(self):
        for seed in range(6):
            case, groups, columns = self.made(seed)
            every = [(g, o) for g, group in enumerate(groups) for o in group.ways]
            idle = [groups[g].options[o].stays_whole for g, o in every]
            dice = Random(seed)
            for share in (0.0, 0.3, 0.7, 1.0):
                chosen = np.array([still or dice.random() < share for still in idle])
                put_in = [way for way, yes in zip(every, chosen, strict=True) if yes]
                ways = [tuple(o for of, o in put_in if of == g) for g in range(len(groups))]
                right = relaxed(case, groups, ways)
                told = columns.best(chosen)
                assert told
                self.assertAlmostEqual(told.value, right.value, delta=0.5)

    def test_prices_bound_what_one_more_adds(self):
        for seed in range(4):
            case, groups, columns = self.made(seed)
            before = relaxed(case, groups, [group.ways for group in groups])
            told = columns.best(np.ones(sum(len(group.ways) for group in groups), dtype=bool))
            assert told
            longer = case.model_copy(update={"bench_minutes": case.bench_minutes + 30})
            after = relaxed(longer, groups, [group.ways for group in groups])
            row = next(row for row in told.prices if getattr(row, "skill", "") is None)
            gain = after.value - before.value
            self.assertLessEqual(gain, 300 * told.prices[row] + 0.5)
            self.assertGreaterEqual(told.prices[row], -1e-6)
