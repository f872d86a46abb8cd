"""A unit's story: what changed from one look at it to the next (docs/rules.md, Story)."""

from sortis_core.base import Record
from sortis_core.strip import Strip
from sortis_core.vocabulary.term import Term


class StoryKind(Term):
    """What happened to a unit."""

    ANNOUNCED = "announced"
    COUNTED = "counted", "counted in"
    LOOKED = "looked", "inspected"
    READ = "read", "read out"
    PICTURE = "picture", "picture taken"
    DANGER = "danger"
    SAFE = "safe", "danger dealt with"
    PINNED = "pinned"
    DECIDED = "decided"
    BENCH = "bench", "at the bench"
    SURPRISE = "surprise", "not as written"
    PART = "part", "part moved"
    SIGNED = "signed"
    RELEASED = "released"
    SALE = "sale"
    TAKEN_BACK = "taken_back", "taken back"


HANDS_ON = (StoryKind.COUNTED, StoryKind.LOOKED, StoryKind.BENCH, StoryKind.PART)
"""Hands were on the unit; the rest is what was written about it."""


class PlaceChange(Record):
    """One place that is not as it was."""

    place: str
    label: str
    was: str
    now: str


def what_changed(before: Strip | None, after: Strip) -> tuple[PlaceChange, ...]:
    """Places whose words differ, in the strip's order; none at the first look.

    What stands on only one of the two, because the other has no such place, counts as changed.
    """
    if before is None:
        return ()
    then = {cell.key: cell for cell in before.cells}
    changes = [
        PlaceChange(
            place=cell.key,
            label=cell.label,
            was=then[cell.key].words if cell.key in then else "",
            now=cell.words,
        )
        for cell in after.cells
        if cell.key not in then or then[cell.key].words != cell.words
    ]
    here = {cell.key for cell in after.cells}
    changes += [
        PlaceChange(place=cell.key, label=cell.label, was=cell.words, now="")
        for cell in before.cells
        if cell.key not in here
    ]
    return tuple(changes)
