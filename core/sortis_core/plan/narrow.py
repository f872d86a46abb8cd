"""The part of a model that a plan near the best can use.

Without whole numbers a model is solved at once, and tells of every variable what it costs to move
it by one from where it then stands: its reduced cost. No plan that comes nearer to the relaxed one
than that cost moves it. So what costs more than a sliver of the whole is held still, and the rest
is a model of its own, which is searched; where the plan that is found falls short of the relaxed
one by less than the sliver, no plan of the whole model is better than the best of that part, and
nothing was lost. Else the sliver was too thin and is made as thick as the plan falls short.
"""

from collections.abc import Callable
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from ortools.math_opt import model_pb2
from ortools.math_opt.python import mathopt

from sortis_core.plan.written import RELAXED, Again, Column, Numbers, Told, Written, solve_written

Mask: TypeAlias = NDArray[np.bool_]
Run: TypeAlias = Callable[[Written], Told]

SLIVER = 3e-5
"""Of the value of the relaxed plan."""
CARE = 1e-7
"""Reduced costs are floats; so much of the value is kept as a margin."""
WHOLE = 1e-6


class TooNarrow(Exception):
    """The model leaves out what a plan that falls so short may use."""


class _Cells:
    """The figures of a model's rows: in which row and column each stands, by their places."""

    def __init__(self, written: Written) -> None:
        matrix = written.linear_constraint_matrix
        self.ids = np.array(written.variables.ids)
        self.row_ids = np.array(written.linear_constraints.ids)
        self.row = np.searchsorted(self.row_ids, np.array(matrix.row_ids))
        self.column = np.searchsorted(self.ids, np.array(matrix.column_ids))
        self.by = np.array(matrix.coefficients)

    def taken(self, gone: Mask, stands: Column) -> Column:
        """What the variables of some cells take of each row."""
        by = self.by[gone] * stands[self.column[gone]]
        return np.bincount(self.row[gone], by, len(self.row_ids)).astype(np.float64)


class Narrowed:
    """A model with a goal set, and what of it is worth searching; the model stays as it is.

    :param whole: ids of the variables that stand for whole numbers, whatever the model says now.
    :param relaxed: solves the model, which then says nothing of whole numbers, from where it last
        stood; else it is solved from nothing.
    """

    def __init__(
        self,
        model: mathopt.Model,
        whole: Numbers,
        relaxed: Again | None = None,
    ) -> None:
        self._whole = whole
        self._written: Written = model.export_model(remove_names=True)
        self._cells = _Cells(self._written)
        self._held: Mask | None = None
        self._under = float("inf")
        """What costs so much to move is held."""
        found = (
            relaxed.solve(self._written)
            if relaxed
            else solve_written(loose(self._written), mathopt.SolverType.HIGHS, RELAXED)
        )
        self.relaxed = found
        """The relaxed plan, as the solver tells of it."""
        self.bound: float | None = None
        """Value of the relaxed plan; empty where there is none."""
        if found.optimal:
            self.bound = found.value
            self._costs, self._stands = np.abs(found.costs), found.stands

    def search(
        self,
        run: Run,
        *,
        sliver: float = SLIVER,
        near: bool = False,
        enough: float = 0.0,
        most: float = float("inf"),
    ) -> tuple[Told, float]:
        """(The result of ``run`` on the narrowed model, what no plan of the whole one exceeds).

        A plan of that value or better moves nothing that is held, unless only a plan near the best
        was asked for.

        :param run: searches the model that it is given.
        :param sliver: at first, of the value of the relaxed plan.
        :param near: the first plan that is found will do.
        :param enough: a plan that falls short of the relaxed one by so little, of its value, is not
            searched on for: the relaxed one is the bound that proves it.
        :param most: the model has all that a plan may use which falls short of the relaxed one by
            less, of its value.
        :raises TooNarrow: where only a plan that falls short by more was found.
        """
        if self.bound is not None:
            care = self._care
            under = sliver * abs(self.bound) + care
            while self._hold(under) and (narrow := self.left(self._written)) is not None:
                result = run(narrow)
                if result.value is None:
                    break
                short = abs(self.bound - result.value)
                if short + care < under:
                    return result, result.bound
                if near or short <= enough * abs(self.bound):
                    return result, self.bound
                under = short + 2 * care
                if under > most * abs(self.bound):
                    raise TooNarrow
        if most < float("inf"):
            raise TooNarrow
        self._held = None
        result = run(whole_model(self._written, self._whole))
        return result, result.bound

    def tighten(self, reached: float) -> None:
        """Hold all that no plan moves which reaches as much, for the goals that follow.

        :param reached: the goal's value in the plan that was found.
        """
        if self.bound is not None and self._held is not None:
            under = abs(self.bound - reached) + 2 * self._care
            if under < self._under:
                self._hold(under)

    @property
    def _care(self) -> float:
        assert self.bound is not None
        return CARE * abs(self.bound) + CARE

    def left(self, written: Written) -> Written | None:
        """The model as it stands now, without what is held; None where that leaves no plan.

        :param written: also with rows, variables and a goal that came later.
        """
        if self._held is None:
            return whole_model(written, self._whole)
        held = self._held.nonzero()[0]
        ids = np.array(self._written.variables.ids)[held]
        cells = self._cells if written is self._written else _Cells(written)
        return _without(written, cells, ids, np.rint(self._stands[held]), self._whole)

    def values(self, result: Told) -> dict[int, float]:
        """What every variable stands at, by id, in a result of :meth:`search`."""
        stands: dict[int, float] = {}
        if self._held is not None:
            held = self._held.nonzero()[0]
            ids = np.array(self._written.variables.ids)[held]
            stands = dict(zip(ids.tolist(), np.rint(self._stands[held]).tolist(), strict=True))
        return stands | result.values()

    def _hold(self, under: float) -> bool:
        """Hold what costs so much to move, and what cannot move then; False where that is nothing.

        What a donor could give stands still with the donor itself.
        """
        variables = self._written.variables
        self._under = under
        self._held = (
            np.isin(np.array(variables.ids), self._whole)
            & (self._costs >= under)
            & (np.abs(self._stands - np.rint(self._stands)) < WHOLE)
            & (np.array(variables.lower_bounds) < np.array(variables.upper_bounds))
        )
        _hold_what_follows(self._written, self._cells, self._held, np.rint(self._stands))
        return bool(self._held.any())


def whole_model(written: Written, whole: Numbers) -> Written:
    """The model with whole numbers where they belong."""
    copy = model_pb2.ModelProto()
    copy.CopyFrom(written)
    copy.variables.integers[:] = np.isin(np.array(copy.variables.ids), whole).tolist()
    return copy


def _hold_what_follows(written: Written, cells: _Cells, held: Mask, stands: Column) -> None:
    """Hold at nothing, too, what the rows leave no room for once the others are held.

    A row that what is held has filled up, and in which all that is free takes room, leaves none.

    :param held: by variable; added to.
    :param stands: what each variable is held at.
    """
    low = np.array(written.variables.lower_bounds)
    high = np.array(written.linear_constraints.upper_bounds)
    while True:
        gone = held[cells.column]
        room = high - cells.taken(gone, stands)
        gives = np.bincount(cells.row[~gone & (cells.by < 0)], minlength=len(high)) > 0
        full = (room < WHOLE) & ~gives
        shut = np.unique(cells.column[~gone & full[cells.row]])
        shut = shut[(low[shut] == 0) & (stands[shut] == 0)]
        if not len(shut):
            return
        held[shut] = True


def loose(written: Written) -> Written:
    """The model without whole numbers."""
    copy = model_pb2.ModelProto()
    copy.CopyFrom(written)
    copy.variables.integers[:] = [False] * len(copy.variables.ids)
    return copy


def _without(
    written: Written,
    cells: _Cells,
    held: Numbers,
    stands: Column,
    whole: Numbers,
) -> Written | None:
    """A model in which some variables are figures; None where these alone break a row."""
    variables, rows = written.variables, written.linear_constraints
    ids, row_ids, row, column, by = cells.ids, cells.row_ids, cells.row, cells.column, cells.by
    is_held = np.isin(ids, held)
    at = np.zeros(len(ids))
    at[is_held] = stands
    gone = is_held[column]
    taken = cells.taken(gone, at)
    stays = np.bincount(row[~gone], minlength=len(row_ids)) > 0
    low = np.array(rows.lower_bounds) - taken
    high = np.array(rows.upper_bounds) - taken
    care = WHOLE * np.maximum(1.0, np.abs(taken))
    if ((low > care) | (high < -care))[~stays].any():
        return None
    linear = written.objective.linear_coefficients
    goal = np.searchsorted(ids, np.array(linear.ids, dtype=np.int64))
    price = np.array(linear.values, dtype=np.float64)
    paid = is_held[goal]

    small = model_pb2.ModelProto()
    free = ~is_held
    small.variables.ids.extend(ids[free].tolist())
    small.variables.lower_bounds.extend(np.array(variables.lower_bounds)[free].tolist())
    small.variables.upper_bounds.extend(np.array(variables.upper_bounds)[free].tolist())
    small.variables.integers.extend(np.isin(ids[free], whole).tolist())
    small.linear_constraints.ids.extend(row_ids[stays].tolist())
    small.linear_constraints.lower_bounds.extend(low[stays].tolist())
    small.linear_constraints.upper_bounds.extend(high[stays].tolist())
    small.linear_constraint_matrix.row_ids.extend(row_ids[row[~gone]].tolist())
    small.linear_constraint_matrix.column_ids.extend(ids[column[~gone]].tolist())
    small.linear_constraint_matrix.coefficients.extend(by[~gone].tolist())
    small.objective.maximize = written.objective.maximize
    small.objective.offset = written.objective.offset + float(price[paid] @ at[goal[paid]])
    small.objective.linear_coefficients.ids.extend(ids[goal[~paid]].tolist())
    small.objective.linear_coefficients.values.extend(price[~paid].tolist())
    return small
