"""What a linear model would gain by one more of something.

The same model is solved again and again with one bound moved. The modelling layer that builds it
reads back every variable after each solve; here only the objective is asked for, which is what
makes dozens of questions cheap.
"""

from ortools.linear_solver import pywraplp
from ortools.math_opt.python import mathopt


class OneMore:
    """A maximised linear model without whole numbers, solved once, then asked.

    :param model: variables and rows are named by their ids in it.
    """

    def __init__(self, model: mathopt.Model) -> None:
        proto = model.export_model()
        solver = self._solver = pywraplp.Solver.CreateSolver("GLOP")
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
        # adds nothing, and need not be asked.
        self._free = {key for key, row in self._rows.items() if not row.dual_value()}
        self._idle = {key for key, v in self._variables.items() if not v.reduced_cost()}

    def of_row(self, row: int, more: float) -> float:
        """Gain by raising the upper bound of a row."""
        if row in self._free:
            return 0.0
        constraint = self._rows[row]
        high = constraint.ub()
        constraint.SetUb(high + more)
        gain = self._solve() - self._base
        constraint.SetUb(high)
        return max(0.0, gain)

    def of_variable(self, variable: int, more: float) -> float:
        """Gain by raising the upper bound of a variable."""
        if variable in self._idle:
            return 0.0
        asked = self._variables[variable]
        high = asked.ub()
        asked.SetUb(high + more)
        gain = self._solve() - self._base
        asked.SetUb(high)
        return max(0.0, gain)

    def _solve(self) -> float:
        self._solver.Solve()
        return float(self._solver.Objective().Value())
