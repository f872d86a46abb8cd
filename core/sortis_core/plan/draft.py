"""The bulk of a model, written in columns: many times quicker than row by row in algebra."""

from collections.abc import Sequence

from ortools.math_opt import model_pb2
from ortools.math_opt.python import mathopt


class Draft:
    """Variables from nothing up and rows over them, by number, until it becomes a model."""

    def __init__(self) -> None:
        self._most: list[float] = []
        self._whole: list[bool] = []
        self._least_of_row: list[float] = []
        self._most_of_row: list[float] = []
        self._row: list[int] = []
        self._column: list[int] = []
        self._by: list[float] = []

    @property
    def columns(self) -> int:
        """Variables so far."""
        return len(self._most)

    @property
    def rows(self) -> int:
        """Rows so far."""
        return len(self._most_of_row)

    def count(self, most: float, *, whole: bool = True) -> int:
        """The number of a new variable between nothing and so many."""
        self._most.append(most)
        self._whole.append(whole)
        return len(self._most) - 1

    def exactly(self, total: float, variables: Sequence[int]) -> None:
        """A row: these are so many together."""
        self._cells(variables, [1.0] * len(variables))
        self._least_of_row.append(total)
        self._most_of_row.append(total)

    def no_more(self, less: int, more: int) -> None:
        """A row: the one is never more than the other."""
        first, by = (less, 1.0) if less < more else (more, -1.0)
        row = len(self._most_of_row)
        self._row += (row, row)
        self._column += (first, less + more - first)
        self._by += (by, -by)
        self._least_of_row.append(float("-inf"))
        self._most_of_row.append(0.0)

    def _cells(self, variables: Sequence[int], by: Sequence[float]) -> None:
        self._row += [len(self._most_of_row)] * len(variables)
        # The order of a model's cells: by row, then by variable.
        for number, figure in sorted(zip(variables, by, strict=True)):
            self._column.append(number)
            self._by.append(figure)

    @property
    def most(self) -> Sequence[float]:
        """By variable."""
        return self._most

    @property
    def cells(self) -> tuple[Sequence[int], Sequence[int], Sequence[float]]:
        """Row, variable and figure of each cell."""
        return self._row, self._column, self._by

    def model(self) -> mathopt.Model:
        """The model so far, without names; variables stand in it in the order of their numbers."""
        written = model_pb2.ModelProto()
        variables, rows = written.variables, written.linear_constraints
        matrix = written.linear_constraint_matrix
        variables.ids.extend(range(len(self._most)))
        variables.lower_bounds.extend([0.0] * len(self._most))
        variables.upper_bounds.extend(self._most)
        variables.integers.extend(self._whole)
        rows.ids.extend(range(len(self._most_of_row)))
        rows.lower_bounds.extend(self._least_of_row)
        rows.upper_bounds.extend(self._most_of_row)
        matrix.row_ids.extend(self._row)
        matrix.column_ids.extend(self._column)
        matrix.coefficients.extend(self._by)
        return mathopt.Model.from_model_proto(written)
