"""What a plan of the days says."""

from typing import Literal

from sortis_core.base import Record


class Slot(Record):
    """One order at one bench; minutes from midnight of the first day."""

    tag: str
    technician: str
    bench: int
    start: int
    end: int


class Waits(Record):
    """An order that is not in these days, and why."""

    tag: str
    reason: str


class DayProof(Record):
    """What was made best, in order, with the proven bound."""

    goal: str
    value: int
    bound: int


class DayPlan(Record):
    """Who does what when."""

    format: Literal["sortis-day-plan-4"] = "sortis-day-plan-4"
    slots: tuple[Slot, ...]
    late: tuple[str, ...]
    """Tags that end after their due minute."""
    waits: tuple[Waits, ...]
    proofs: tuple[DayProof, ...]
    gap_percent: float
    """How far the last goal may be from its bound; 0 is proven best."""


class Moved(Record):
    """How one order stands otherwise than before."""

    tag: str
    before: Slot | None
    after: Slot | None


NOTICED_MINUTES = 10
"""An order that begins this much earlier or later has not moved for anybody."""


def what_moved(before: tuple[Slot, ...], after: tuple[Slot, ...]) -> tuple[Moved, ...]:
    """Orders that go to somebody else, come in, fall out, or begin at another time."""
    old = {slot.tag: slot for slot in before}
    new = {slot.tag: slot for slot in after}
    moved: list[Moved] = []
    for tag in sorted(old.keys() | new.keys()):
        one, other = old.get(tag), new.get(tag)
        if one and other and one.technician == other.technician:
            if abs(one.start - other.start) <= NOTICED_MINUTES:
                continue
        moved.append(Moved(tag=tag, before=one, after=other))
    return tuple(moved)
