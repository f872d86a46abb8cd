"""The ways of a batch as columns of a model without whole numbers, to be put in by choice.

They are written once; a choice of thousands of them is a model at once then.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from ortools.math_opt import model_pb2
from ortools.math_opt.python import mathopt

from sortis_core.plan.case import Case
from sortis_core.plan.draft import Draft
from sortis_core.plan.grouping import Group
from sortis_core.plan.model import BatchModel, Row, Worked, donor_in, tenths
from sortis_core.plan.narrow import Mask
from sortis_core.plan.written import RELAXED, Column, Numbers, Written, solve_written


class Takes(NamedTuple):
    """How much a unit of each way takes of the rows of a batch, in columns of equal length."""

    way: Numbers
    row: Numbers
    by: Column


class Inside(NamedTuple):
    """Numbers of the rows that what a donor has inside takes of."""

    gives: tuple[int, ...]
    """By action."""
    work: tuple[int, ...]
    """Those of its minutes."""


class Relaxed(NamedTuple):
    """The best plan without whole numbers over some ways."""

    value: float
    prices: dict[Row, float]
    """What a crumb more of what a row counts adds, reckoned for one."""
    money: float
    """The same of a cent to spend."""
    donors: Column
    """By way, what a donor that was put in leaves at these prices; of no use for other ways."""


class Columns:
    """The columns of all ways, one after another: of its units, and of what a donor has inside.

    :param ways: (index of a group, index of its option) of each.
    :param nets: what a unit of each leaves before what it takes, in cents.
    :param numbers: of the rows of the batch.
    :param donors: number of a way -> its rows; these ways take of no other.
    """

    def __init__(
        self,
        case: Case,
        groups: tuple[Group, ...],
        ways: Sequence[tuple[int, int]],
        nets: Column,
        takes: Takes,
        numbers: Mapping[Row, int],
        donors: Mapping[int, Inside],
    ) -> None:
        rows = frozenset(row for row in numbers if not isinstance(row, Worked))
        batch = BatchModel(case, groups, ways=[()] * len(groups), rows=rows)
        batch.aim(batch.preferred, most=True)
        self._base = batch.model.export_model(remove_names=True)
        self._row_of, self._money = {key: batch.rows[key].id for key in numbers}, batch.money.id
        ids = np.array(list(self._row_of.values()))
        draft = Draft()
        at: list[int] = []
        way: list[int] = []
        way_of_row: list[int] = []
        cells: list[tuple[int, int, float]] = []
        labour: Counter[int] = Counter()
        for n, (g, o) in enumerate(ways):
            units = len(groups[g].tags)
            at.append(draft.count(units))
            if inside := donors.get(n):
                option = groups[g].options[o]
                parts, layers = donor_in(draft, option, at[n], units)
                minutes: Counter[int] = Counter()
                # What is opened for one part alone stands in the column of that part.
                work = [(one.labour_cents, tenths(one.minutes)) for one in option.pieces]
                work += [(one.labour_cents, tenths(one.minutes)) for one in option.layers]
                for column, (cents, took) in zip((*parts, *layers), work, strict=True):
                    labour[column] += cents
                    minutes[column] += took
                gives = zip(inside.gives, parts, strict=True)
                cells += [(ids[row], part, -1.0) for row, part in gives]
                cells += [(ids[row], one, by) for one, by in minutes.items() for row in inside.work]
            way += [n] * (draft.columns - len(way))
            way_of_row += [n] * (draft.rows - len(way_of_row))
        self._way, self._way_of_row = np.array(way), np.array(way_of_row, dtype=np.int64)
        self._group_of_way = np.array([g for g, _ in ways])
        self._inside = np.ones(len(way), dtype=np.bool_)
        self._inside[at] = False
        self._donor = np.isin(self._way, list(donors))
        self._most = np.array(draft.most)
        self._net = np.zeros(len(way))
        self._net[at] = nets
        self._net[list(labour)] -= list(labour.values())
        # In the model the rows of groups come first, then what else there is without ways.
        self._first = len(self._base.variables.ids)
        rows_before = len(self._base.linear_constraints.ids)
        self._row_ids = rows_before + np.arange(draft.rows)
        first = self._first + np.array(at)
        base = self._base.linear_constraint_matrix
        outside = np.array(cells).reshape(-1, 3)
        row_inside, column_inside, by_inside = (np.array(one) for one in draft.cells)
        self._row = _joined(
            base.row_ids,
            self._group_of_way,
            ids[takes.row],
            outside[:, 0],
            rows_before + row_inside,
        ).astype(np.int64)
        self._column = _joined(
            base.column_ids,
            first,
            first[takes.way],
            self._first + outside[:, 1],
            self._first + column_inside,
        ).astype(np.int64)
        self._by = _joined(base.coefficients, np.ones(len(at)), takes.by, outside[:, 2], by_inside)
        # The order of a model's cells: by row, then by column.
        order = np.lexsort((self._column, self._row))
        order = order[self._by[order] != 0]
        self._row, self._column, self._by = self._row[order], self._column[order], self._by[order]

    def best(self, chosen: Mask) -> Relaxed | None:
        """The best plan without whole numbers over some ways; None where there is none.

        :param chosen: by way.
        """
        put_in = chosen[self._way]
        columns = np.flatnonzero(put_in)
        found = solve_written(
            self._with(put_in, columns, self._row_ids[chosen[self._way_of_row]]),
            mathopt.SolverType.HIGHS,
            RELAXED,
        )
        if not found.optimal or found.value is None:
            return None
        # In the model each row stands by its number, and those of the groups come first.
        told = found.prices.tolist()
        told_of_groups = found.prices[: self._group_of_way[-1] + 1]
        more = np.zeros(len(self._way))
        more[columns] = found.costs[self._first :]
        more[self._inside] = np.maximum(0.0, more[self._inside])
        return Relaxed(
            value=found.value,
            prices={key: told[row] for key, row in self._row_of.items()},
            money=told[self._money],
            donors=told_of_groups[self._group_of_way]
            + np.bincount(self._way[self._donor], more[self._donor], len(chosen)),
        )

    def _with(self, put_in: Mask, columns: Numbers, rows: Numbers) -> Written:
        """The model with some columns, and what rows are inside them."""
        model = model_pb2.ModelProto()
        model.CopyFrom(self._base)
        added = (self._first + columns).tolist()
        variables, limits = model.variables, model.linear_constraints
        variables.ids.extend(added)
        variables.lower_bounds.extend([0.0] * len(added))
        variables.upper_bounds.extend(self._most[columns].tolist())
        variables.integers[:] = [False] * len(variables.ids)
        limits.ids.extend(rows.tolist())
        limits.lower_bounds.extend([float("-inf")] * len(rows))
        limits.upper_bounds.extend([0.0] * len(rows))
        there = np.concatenate((np.ones(self._first, dtype=np.bool_), put_in))[self._column]
        matrix = model.linear_constraint_matrix
        matrix.ClearField("row_ids")
        matrix.ClearField("column_ids")
        matrix.ClearField("coefficients")
        matrix.row_ids.extend(self._row[there].tolist())
        matrix.column_ids.extend(self._column[there].tolist())
        matrix.coefficients.extend(self._by[there].tolist())
        linear = model.objective.linear_coefficients
        linear.ids.extend(added)
        linear.values.extend(self._net[columns].tolist())
        return model


def _joined(*columns: Sequence[float] | NDArray[Any]) -> Column:
    """One column of all, one after another."""
    return np.concatenate([np.asarray(one, dtype=np.float64) for one in columns])
