"""What waits on the shelf becomes cheaper by steps (docs/rules.md, Sale)."""

from collections.abc import Sequence
from itertools import pairwise

from pydantic import Field

from sortis_core.base import Record

WHOLE = 100


class AgeStep(Record):
    """From so many days on the shelf a unit costs so much less."""

    days: int = Field(ge=1, le=3650)
    percent: int = Field(ge=1, le=90)


class AgedPrice(Record):
    """The price now, and what it becomes next."""

    cents: int
    full_cents: int
    next_cents: int | None = None
    next_in_days: int | None = None


def require_rising(steps: Sequence[AgeStep]) -> None:
    """Later steps take more off.

    :raises ValueError: naming the step that does not.
    """
    for one, other in pairwise(steps):
        if other.days <= one.days or other.percent <= one.percent:
            raise ValueError(
                f"After {one.days} days ({one.percent} % off) the next step comes later and takes "
                f"more off; {other.days} days and {other.percent} % do not."
            )


def aged(full_cents: int, days: int, steps: Sequence[AgeStep]) -> AgedPrice:
    """The price of a unit that has been on the shelf for so many days.

    :param steps: rising in days and percent.
    """
    off = max((step.percent for step in steps if step.days <= days), default=0)
    coming = next((step for step in steps if step.days > days), None)
    return AgedPrice(
        cents=_less(full_cents, off),
        full_cents=full_cents,
        next_cents=_less(full_cents, coming.percent) if coming else None,
        next_in_days=coming.days - days if coming else None,
    )


def _less(cents: int, percent: int) -> int:
    """To the nearest cent, in favour of the buyer where it is half a cent."""
    return (cents * (WHOLE - percent) * 2 + WHOLE - 1) // (2 * WHOLE)
