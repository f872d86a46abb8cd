"""A batch while its dials turn: the model is built once, and only what it may spend is moved.

Money and hours bound single rows. To turn them leaves every other row as it was, and the relaxed
plan is found from where it last stood, in a small part of the time that it takes from nothing.
What is found so is near enough to see where the hand goes; which of several equal plans it is may
hang on where the dials were before. A plan that is kept is solved from nothing.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

from cachetools import LRUCache

from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group
from sortis_core.plan.model import BatchModel
from sortis_core.plan.solve import Figures, Solution, figures_of, read_off, run_goals
from sortis_core.plan.written import Again

KEPT_BATCHES = 4
KEPT_MODELS = 2
"""Of one batch: a dial is turned again while its curve is still drawn."""


class Dialled:
    """The model of a batch, for one caller at a time; of no use after a refusal.

    :param in_turn: as of :class:`BatchModel`.
    """

    def __init__(self, case: Case, groups: tuple[Group, ...], *, in_turn: bool = False) -> None:
        self.groups = groups
        self.batch = BatchModel(case, groups, in_turn=in_turn)
        self.batch.relax()
        self._relaxed = Again(self.batch.model)

    def quick(self, case: Case) -> Solution:
        """A plan near the best under other money and hours, in all else the same case.

        :raises NotSolved: where the solver found nothing in its time.
        :raises WishesClash: where orders and pins cannot all hold.
        """
        self.batch.turn(case)
        solver = run_goals(self.batch, quick=True, relaxed=self._relaxed)
        found = read_off(self.batch, solver)
        solver.give_back()
        return found

    def proven(self, case: Case) -> tuple[Solution, Figures]:
        """The best plan under other money and hours, and its figures.

        :raises NotSolved: where the solver found nothing in its time.
        :raises WishesClash: where orders and pins cannot all hold.
        """
        self.batch.turn(case)
        solver = run_goals(self.batch, relaxed=self._relaxed)
        found = read_off(self.batch, solver), figures_of(self.batch, solver)
        solver.give_back()
        return found


_kept: LRUCache[tuple[object, ...], list[Dialled]] = LRUCache(KEPT_BATCHES)
_kept_lock = Lock()


@contextmanager
def lent(
    case: Case, groups: tuple[Group, ...], *, in_turn: bool = False, spare: bool = False
) -> Iterator[Dialled]:
    """A kept model of a batch, or a new one; those of the last few batches are kept.

    While one is lent, who else asks gets another; one that refused is not used again.

    :param groups: the very same where only money and hours differ.
    :param in_turn: as of :class:`BatchModel`.
    :param spare: another one stays for a hand on a dial, which so does not wait for it.
    """
    skills = tuple(one.skill for one in case.skills)
    key = (id(groups), case.goal, case.days, case.sales_orders, skills, in_turn)

    def give_back(*several: Dialled) -> None:
        with _kept_lock:
            _kept[key] = [*_kept.get(key, []), *several][-KEPT_MODELS:]

    with _kept_lock:
        # An id is given anew where its groups are gone, so that they are looked at themselves.
        free = [one for one in _kept.get(key, []) if one.groups is groups]
        dialled = free.pop() if free else None
        _kept[key] = free
    dialled = dialled or Dialled(case, groups, in_turn=in_turn)
    if spare and not free:
        other = Dialled(case, groups, in_turn=in_turn)
        # The first time takes twice as long as those that begin where it last stood.
        other.quick(case)
        give_back(other)
    yield dialled
    give_back(dialled)


def quick_plan(case: Case, groups: tuple[Group, ...], *, in_turn: bool = False) -> Solution:
    """A plan near the best, while a dial turns.

    :param groups: the very same where only the dials differ.
    :param in_turn: as of :class:`BatchModel`.
    :raises NotSolved: where the solver found nothing in its time.
    :raises WishesClash: where orders and pins cannot all hold.
    """
    with lent(case, groups, in_turn=in_turn) as dialled:
        return dialled.quick(case)
