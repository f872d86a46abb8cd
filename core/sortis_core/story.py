"""A unit's story: what changed from one look at it to the next (docs/rules.md, Story)."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Protocol, assert_never

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
    WAIVED = "waived", "gate waived"
    RELEASED = "released"
    SALE = "sale"
    TAKEN_BACK = "taken_back", "taken back"


HANDS_ON = (StoryKind.COUNTED, StoryKind.LOOKED, StoryKind.BENCH, StoryKind.PART)
"""Hands were on the unit; the rest is what was written about it."""


class Chapter(Term):
    """A stretch of a unit's way."""

    ARRIVE = "arrive"
    INSPECT = "inspect"
    DECIDE = "decide"
    FIT = "fit"
    CHECK = "check"
    RELEASE = "release"
    SALE = "sale"


APART = timedelta(hours=4)
"""What happens so much later begins a chapter of its own, also where the stage is the same."""


class Happened(Protocol):
    """What a chapter is told by."""

    @property
    def kind(self) -> StoryKind: ...
    @property
    def at(self) -> datetime: ...


class ChapterSpan(Record):
    """Events that belong together, by their numbers in the story."""

    chapter: Chapter
    first: int
    count: int
    waited_minutes: int
    """Since the last event before it; 0 for the first chapter."""


def chapters(events: Sequence[Happened]) -> tuple[ChapterSpan, ...]:
    """The story in chapters: what follows one another at one stage, without a long wait.

    :param events: oldest first.
    """
    found: list[ChapterSpan] = []
    before: datetime | None = None
    for number, event in enumerate(events):
        last = found[-1] if found else None
        chapter = _chapter(event.kind, last.chapter if last else Chapter.ARRIVE)
        wait = event.at - before if before else timedelta(0)
        if last and chapter is last.chapter and wait < APART:
            found[-1] = last.model_copy(update={"count": last.count + 1})
        else:
            minutes = int(wait.total_seconds() // 60)
            found.append(
                ChapterSpan(chapter=chapter, first=number, count=1, waited_minutes=minutes)
            )
        before = event.at
    return tuple(found)


def _chapter(kind: StoryKind, now: Chapter) -> Chapter:
    """The chapter of an event; what may happen anywhere stays where the story is.

    :param now: the chapter that the event before it was in.
    """
    match kind:
        case StoryKind.ANNOUNCED | StoryKind.COUNTED:
            return Chapter.ARRIVE
        case StoryKind.LOOKED:
            # A look after the work is the check of it.
            return Chapter.CHECK if now in (Chapter.FIT, Chapter.CHECK) else Chapter.INSPECT
        case StoryKind.READ:
            return Chapter.INSPECT if now is Chapter.ARRIVE else now
        case StoryKind.PINNED | StoryKind.DECIDED:
            return Chapter.DECIDE
        case StoryKind.BENCH | StoryKind.PART | StoryKind.SURPRISE:
            return Chapter.FIT
        case StoryKind.SIGNED | StoryKind.WAIVED | StoryKind.RELEASED:
            return Chapter.RELEASE
        case StoryKind.SALE:
            return Chapter.SALE
        case StoryKind.PICTURE | StoryKind.DANGER | StoryKind.SAFE | StoryKind.TAKEN_BACK:
            return now
        case _:
            assert_never(kind)


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
