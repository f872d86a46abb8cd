"""What a linear model would gain by one more of something.

The same model is solved again and again with one bound moved. The modelling layer that builds it
reads back every variable after each solve; here only the objective is asked for, which is what
makes dozens of questions cheap. A model too large even for that is solved once, and crumbs are told
by their price.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from ortools.linear_solver import pywraplp
from ortools.math_opt.python import mathopt

from sortis_core.plan.aside import stand_aside
from sortis_core.plan.written import RELAXED, Told, solve_written


class Asked(NamedTuple):
    """The upper bound of a row or a variable, raised by so much."""

    row: bool
    id: int
    more: float


class OneMore:
    """A maximised linear model without whole numbers, solved once, then asked.

    :param model: variables and rows are named by their ids in it.
    """

    def __init__(self, model: mathopt.Model) -> None:
        proto = model.export_model()
        solver = self._solver = pywraplp.Solver.CreateSolver("GLOP")
        # One moved bound leaves the last basis good in the dual sense: a few steps from there.
        solver.SetSolverSpecificParametersAsString("use_preprocessing:false use_dual_simplex:true")
        variables = proto.variables
        self._variables = {
            key: solver.NumVar(low, high, "")
            for key, low, high in zip(
                variables.ids, variables.lower_bounds, variables.upper_bounds, strict=True
            )
        }
        rows = proto.linear_constraints
        self._rows = {
            key: solver.Constraint(low, high, "")
            for key, low, high in zip(rows.ids, rows.lower_bounds, rows.upper_bounds, strict=True)
        }
        matrix = proto.linear_constraint_matrix
        for row, column, coefficient in zip(
            matrix.row_ids, matrix.column_ids, matrix.coefficients, strict=True
        ):
            self._rows[row].SetCoefficient(self._variables[column], coefficient)
        objective = solver.Objective()
        linear = proto.objective.linear_coefficients
        for column, coefficient in zip(linear.ids, linear.values, strict=True):
            objective.SetCoefficient(self._variables[column], coefficient)
        objective.SetOffset(proto.objective.offset)
        objective.SetMaximization()
        self._base = self._solve()
        # The value is concave in every bound: where the price of a crumb is nothing, more of it
        # adds nothing, and need not be asked; and one more adds at most what it costs by crumbs.
        self._row_prices = {key: abs(row.dual_value()) for key, row in self._rows.items()}
        self._prices = {key: abs(v.reduced_cost()) for key, v in self._variables.items()}

    def gains(self, asked: Sequence[Asked], first: int | None = None) -> list[float]:
        """What each would add.

        :param first: so many of the dearest must be right; the others may stand with the price of
            a crumb, which is never too low and no higher than any of those. All where None.
        """
        known = [self._most(one) for one in asked]
        dearest = sorted(range(len(asked)), key=lambda n: (-known[n], n))
        told: list[float] = []
        for number in dearest:
            enough = first is not None and sum(gain >= known[number] for gain in told) >= first
            if enough or not known[number]:
                break
            known[number] = self._gain(asked[number])
            told.append(known[number])
        return known

    def _most(self, asked: Asked) -> float:
        prices = self._row_prices if asked.row else self._prices
        return float(prices[asked.id]) * asked.more

    def _gain(self, asked: Asked) -> float:
        stand_aside()
        if asked.row:
            row = self._rows[asked.id]
            high = row.ub()
            row.SetUb(high + asked.more)
            gain = self._solve() - self._base
            row.SetUb(high)
        else:
            variable = self._variables[asked.id]
            high = variable.ub()
            variable.SetUb(high + asked.more)
            gain = self._solve() - self._base
            variable.SetUb(high)
        return max(0.0, float(gain))

    def _solve(self) -> float:
        self._solver.Solve()
        return float(self._solver.Objective().Value())


def without_whole_numbers(model: mathopt.Model) -> Told:
    """The best of a model without whole numbers, as :func:`crumb_prices` reads it."""
    written = model.export_model(remove_names=True)
    return solve_written(written, mathopt.SolverType.HIGHS, RELAXED)


def crumb_prices(found: Told, asked: Sequence[Asked]) -> list[float]:
    """What each would add at the price of a crumb of it: never too low; nothing is solved again.

    :param found: the best of a model as of :class:`OneMore`; one without a plan says nothing.
    """
    if not found.optimal:
        return [0.0 for _ in asked]
    rows = dict(zip(found.row_ids.tolist(), np.abs(found.prices).tolist(), strict=True))
    variables = dict(zip(found.ids.tolist(), np.abs(found.costs).tolist(), strict=True))
    return [(rows if one.row else variables).get(one.id, 0.0) * one.more for one in asked]
