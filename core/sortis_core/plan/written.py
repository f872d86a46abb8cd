"""A model as the solver's library writes it down, solved as it is.

The modelling layer makes an object of every variable and row that a result tells of, and of a basis
that nobody asks for. Of a plan that somebody's hand waits for that is a fifth of the time; here
models go in as they are written, and what is told of them comes out in columns.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray
from ortools.math_opt import (
    callback_pb2,
    model_parameters_pb2,
    parameters_pb2,
    result_pb2,
    solution_pb2,
)
from ortools.math_opt.core.python import solver as library
from ortools.math_opt.python import mathopt

Column: TypeAlias = NDArray[np.float64]
Numbers: TypeAlias = NDArray[np.int64]
Written: TypeAlias = Any
"""A model in columns of equal length: ``ModelProto``."""

RELAXED = mathopt.SolveParameters(
    presolve=mathopt.Emphasis.OFF, lp_algorithm=mathopt.LPAlgorithm.DUAL_SIMPLEX
)
"""Bounds that were moved leave the last basis good in the dual sense."""
NOTHING: Column = np.zeros(0)


class Told(NamedTuple):
    """What a solver tells of a model, in the order of the ids of its variables and rows."""

    optimal: bool
    impossible: bool
    """No plan satisfies the rows."""
    value: float | None
    """Of the best plan that was found; None where none was."""
    bound: float
    """What no plan exceeds; of a goal that is made least, what none goes below."""
    ids: Numbers
    stands: Column
    """By variable."""
    costs: Column
    """What a variable costs to move by one from where it stands; nothing of a search."""
    row_ids: Numbers
    prices: Column
    """What a crumb more of what a row bounds adds; nothing of a search."""

    def values(self) -> dict[int, float]:
        """What the variables stand at, by id."""
        return dict(zip(self.ids.tolist(), self.stands.tolist(), strict=True))


def solve_written(
    written: Written,
    kind: mathopt.SolverType,
    parameters: mathopt.SolveParameters,
    *,
    hint: Mapping[int, float] | None = None,
    read: Callable[[Sequence[str]], None] | None = None,
) -> Told:
    """Solve a model.

    :param hint: a plan to begin with, by ids of variables.
    :param read: is given the lines of the solver's log.
    """
    model_parameters = model_parameters_pb2.ModelSolveParametersProto()
    if hint:
        begins = model_parameters.solution_hints.add().variable_values
        begins.ids.extend(sorted(hint))
        begins.values.extend(hint[one] for one in begins.ids)
    result = library.solve(
        written,
        kind.value,
        parameters_pb2.SolverInitializerProto(),
        parameters.to_proto(),
        model_parameters,
        read,
        callback_pb2.CallbackRegistrationProto(),
        None,
        None,
    )
    return _told(written, result)


class Again:
    """Solves a model that says nothing of whole numbers again and again, from where it last stood.

    :param model: what is changed in it between two solves is looked at by the next.
    """

    def __init__(self, model: mathopt.Model) -> None:
        self._model = model
        self._tracker = model.add_update_tracker()
        self._begin()

    def _begin(self) -> None:
        written = self._model.export_model(remove_names=True)
        self._solver = library.new(
            mathopt.SolverType.GLOP.value, written, parameters_pb2.SolverInitializerProto()
        )

    def solve(self, written: Written) -> Told:
        """:param written: the model as it stands."""
        update = self._tracker.export_update(remove_names=True)
        if update is not None:
            if not self._solver.update(update):
                self._begin()
            self._tracker.advance_checkpoint()
        result = self._solver.solve(
            RELAXED.to_proto(),
            model_parameters_pb2.ModelSolveParametersProto(),
            None,
            callback_pb2.CallbackRegistrationProto(),
            None,
            None,
        )
        return _told(written, result)


def _told(written: Written, result: result_pb2.SolveResultProto) -> Told:
    reason = result.termination.reason
    best = result.solutions[0] if result.solutions else solution_pb2.SolutionProto()
    plan, prices = best.primal_solution, best.dual_solution
    found = (
        best.HasField("primal_solution")
        and plan.feasibility_status == solution_pb2.SOLUTION_STATUS_FEASIBLE
    )
    ids = np.array(written.variables.ids, dtype=np.int64)
    row_ids = np.array(written.linear_constraints.ids, dtype=np.int64)
    priced = best.HasField("dual_solution")
    return Told(
        optimal=reason == result_pb2.TERMINATION_REASON_OPTIMAL,
        impossible=reason == result_pb2.TERMINATION_REASON_INFEASIBLE,
        value=plan.objective_value if found else None,
        bound=result.termination.objective_bounds.dual_bound,
        ids=ids,
        stands=_column(plan.variable_values, ids) if found else NOTHING,
        costs=_column(prices.reduced_costs, ids) if priced else NOTHING,
        row_ids=row_ids,
        prices=_column(prices.dual_values, row_ids) if priced else NOTHING,
    )


def _column(told: Any, ids: Numbers) -> Column:
    """Figures in the order of ``ids``; what is not told of is nothing."""
    column = np.zeros(len(ids))
    column[np.searchsorted(ids, np.array(told.ids, dtype=np.int64))] = told.values
    return column
