"""Customers' orders filled from the shelf, by the scan of each unit (docs/rules.md, Sale).

Who ordered a standard gets units of it. A better one goes only where no exact one is on the shelf
any more, and a lesser one never.
"""

from collections.abc import Sequence

from sortis_core.base import Record, SortisError
from sortis_core.selling import OnShelf


class DoesNotFit(SortisError):
    """The unit is not what was ordered."""

    title = "This unit is not for this order"


class Wanted(Record):
    """What a customer ordered, and how many are set aside or gone to them."""

    customer: str
    standard: str
    """Key of the standard."""
    standard_name: str
    rank: int
    count: int
    filled: int
    sheets: tuple[str, ...]
    """Keys of the models that will do; any where empty."""

    @property
    def lacks(self) -> int:
        """So many are still to be found."""
        return max(0, self.count - self.filled)


def fitting(wanted: Wanted, shelf: Sequence[OnShelf]) -> tuple[OnShelf, ...]:
    """Free units that may go to this order: exact ones, else the least of the better ones."""
    free = [unit for unit in shelf if unit.state is None or not unit.state.open]
    will_do = [unit for unit in free if not wanted.sheets or unit.sheet in wanted.sheets]
    exact = [unit for unit in will_do if unit.standard_key == wanted.standard]
    better = [unit for unit in will_do if unit.rank > wanted.rank]
    least = min((unit.rank for unit in better), default=0)
    chosen = exact or [unit for unit in better if unit.rank == least]
    return tuple(sorted(chosen, key=lambda unit: (-unit.days, unit.tag)))


def require_fitting(wanted: Wanted, tag: str, shelf: Sequence[OnShelf]) -> None:
    """Refuse a unit that is not for this order.

    :raises DoesNotFit: naming what is so, and which unit to take instead.
    """
    if not wanted.lacks:
        raise DoesNotFit(f"The order of {wanted.customer} is full: {wanted.count} are set aside.")
    unit = next((one for one in shelf if one.tag == tag), None)
    if unit is None:
        raise DoesNotFit(f"{tag} is not on the shelf. Only what is released is sold.")
    right = fitting(wanted, shelf)
    if unit in right:
        return
    instead = f" Take {right[0].tag}." if right else " None on the shelf is."
    if unit.state is not None and unit.state.open:
        raise DoesNotFit(f"{tag} is {unit.state} already.{instead}")
    if wanted.sheets and unit.sheet not in wanted.sheets:
        raise DoesNotFit(f"{tag} is a {unit.model}, which {wanted.customer} did not ask.{instead}")
    if unit.rank > wanted.rank:
        raise DoesNotFit(
            f"{tag} is {unit.standard}, better than the {wanted.standard_name} that was ordered, "
            f"and one of just that is there.{instead}"
        )
    raise DoesNotFit(
        f"{tag} is {unit.standard}; {wanted.customer} ordered {wanted.standard_name}.{instead}"
    )
