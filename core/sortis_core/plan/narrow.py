"""The part of a model that a plan near the best can use.

Without whole numbers a model is solved at once, and tells of every variable what it costs to move
it by one from where it then stands: its reduced cost. No plan that comes nearer to the relaxed one
than that cost moves it. So what costs more than a sliver of the whole is held still, and the rest
is searched; where the plan that is found falls short of the relaxed one by less than the sliver, no
plan of the whole model is better than the best of that part, and nothing was lost. Else the sliver
was too thin and is made as thick as the plan falls short.
"""

from collections.abc import Callable

from ortools.math_opt.python import mathopt

SLIVER = 2e-5
"""Of the value of the relaxed plan."""
CARE = 1e-6
"""Reduced costs are floats; so much of the value is kept as a margin."""
WHOLE = 1e-6
RELAXED = mathopt.SolveParameters(
    presolve=mathopt.Emphasis.OFF, lp_algorithm=mathopt.LPAlgorithm.DUAL_SIMPLEX
)
"""Bounds that were moved leave the last basis good in the dual sense."""


class Narrowed:
    """A model with a goal set, its whole-number variables held where they cost too much to move.

    :param model: is changed in place; :meth:`let_go` gives it back as it was.
    :param relaxed: solves it without whole numbers from where it last stood; else from nothing.
    """

    def __init__(
        self, model: mathopt.Model, relaxed: mathopt.IncrementalSolver | None = None
    ) -> None:
        self._whole = [variable for variable in model.variables() if variable.integer]
        self._held: list[tuple[mathopt.Variable, float, float]] = []
        for variable in self._whole:
            variable.integer = False
        try:
            found = (
                relaxed.solve(params=RELAXED)
                if relaxed
                else mathopt.solve(model, mathopt.SolverType.HIGHS, params=RELAXED)
            )
        finally:
            for variable in self._whole:
                variable.integer = True
        self.bound: float | None = None
        """Value of the relaxed plan; empty where there is none."""
        if found.termination.reason is mathopt.TerminationReason.OPTIMAL:
            self.bound = found.objective_value()
            self._costs, self._stands = found.reduced_costs(), found.variable_values()

    def search(
        self,
        run: Callable[[], mathopt.SolveResult],
        *,
        sliver: float = SLIVER,
        near: bool = False,
        enough: float = 0.0,
    ) -> tuple[mathopt.SolveResult, float]:
        """(The result of ``run`` on the narrowed model, what no plan of the whole one exceeds).

        The model stays narrowed: a plan of that value or better moves nothing that is held, unless
        only a plan near the best was asked for.

        :param run: solves the model as it stands.
        :param sliver: at first, of the value of the relaxed plan.
        :param near: the first plan that is found will do.
        :param enough: a plan that falls short of the relaxed one by so little, of its value, is not
            searched on for: the relaxed one is the bound that proves it.
        """
        if self.bound is None:
            result = run()
            return result, result.dual_bound()
        care = CARE * abs(self.bound) + CARE
        under = sliver * abs(self.bound) + care
        while self._hold(under):
            result = run()
            if not result.has_primal_feasible_solution():
                break
            short = abs(self.bound - result.objective_value())
            if short + care < under:
                return result, result.dual_bound()
            if near or short <= enough * abs(self.bound):
                return result, self.bound
            self.let_go()
            under = short + 2 * care
        self.let_go()
        result = run()
        return result, result.dual_bound()

    def let_go(self) -> None:
        """Give the model back as it was."""
        for variable, low, high in self._held:
            variable.lower_bound, variable.upper_bound = low, high
        self._held = []

    def _hold(self, under: float) -> bool:
        """Hold what costs so much to move; False where that is nothing."""
        for variable in self._whole:
            stands = round(self._stands[variable])
            if (
                abs(self._costs[variable]) >= under
                and abs(self._stands[variable] - stands) < WHOLE
                and variable.lower_bound < variable.upper_bound
            ):
                self._held.append((variable, variable.lower_bound, variable.upper_bound))
                variable.lower_bound = variable.upper_bound = stands
        return bool(self._held)
