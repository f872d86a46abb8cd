"""The questions that matter first of a sheet, and the sheet that their answers make.

What an answer does not touch stays as it was, so that a sheet begun from a near one keeps all else.
"""

from collections.abc import Sequence

from pydantic import Field

from sortis_core.base import Record
from sortis_core.guide.order import in_turn, still
from sortis_core.guide.usual import (
    LENGTHS_MM,
    SOCKETS,
    STEPS,
    TESTS,
    SocketKind,
    reach_of,
    socket,
    socket_kind,
)
from sortis_core.keys import PlaceKey
from sortis_core.route.graph import Depth, Reach, Route, RouteStep, Screws
from sortis_core.sheets import (
    LARGEST_DRIVE_GB,
    LARGEST_MEMORY_GB,
    LARGEST_PACK_WH,
    MOST_VOLTS,
    Connector,
    DrivePlace,
    FactSource,
    Generation,
    MachineForm,
    MemorySlot,
    ModelSheet,
    PackPlace,
    PackVariant,
    RequiredPart,
    SolderedMemory,
)
from sortis_core.stock import OtherFacts, PartKind

CELL_VOLTS = 3.75
OUTSIDE = ":outside"
"""Stands for no step at all where a place needs no opening."""


class SocketAnswer(Record):
    """One place for a drive."""

    key: PlaceKey
    kind: SocketKind
    lengths_mm: tuple[int, ...] = Field(default=(), max_length=6)
    limit_gb: int = Field(gt=0, le=LARGEST_DRIVE_GB)


class PackAnswer(Record):
    """One pack; of several sizes the first."""

    key: PlaceKey
    external: bool
    design_wh: float = Field(gt=0, le=LARGEST_PACK_WH)
    volts: float = Field(gt=0, le=MOST_VOLTS)


class StepAnswer(Record):
    """One step of the way in; its screws where it has some."""

    key: PlaceKey
    screws: int = Field(default=0, ge=0, le=60)
    drive: str = Field(default="", max_length=40)
    length_mm: float = Field(default=5, gt=0, le=200)


class SheetAnswers(Record):
    """What matters first of a model."""

    form: MachineForm
    generation: Generation
    soldered_gb: tuple[int, ...] = Field(max_length=8)
    """Amounts that boards come with; empty where nothing is soldered."""
    slots: int = Field(ge=0, le=8)
    slot_gb: int = Field(gt=0, le=LARGEST_MEMORY_GB)
    """What one slot takes at most."""
    most_gb: int = Field(gt=0, le=LARGEST_MEMORY_GB)
    """The ceiling of all together."""
    ceiling_source: FactSource
    sockets: tuple[SocketAnswer, ...] = Field(max_length=8)
    packs: tuple[PackAnswer, ...] = Field(max_length=4)
    parts: tuple[str, ...] = Field(max_length=60)
    """Part kinds that a complete unit has."""
    tests: tuple[str, ...] = Field(max_length=40)
    steps: tuple[StepAnswer, ...] = Field(max_length=60)
    """The way in, in the order in which it is gone."""
    reached: dict[str, str] = Field(max_length=200)
    """Place -> the step after which it is reached, or :data:`OUTSIDE`; nothing where unknown."""


class OfferedSocket(Record):
    """A kind of socket to add, as most models have it."""

    kind: SocketKind
    lengths_mm: tuple[int, ...]
    """Standoffs to pick from; empty where it has none."""
    usual_mm: tuple[int, ...]
    limit_gb: int


class OfferedStep(Record):
    """A step to pick."""

    key: str
    title: str
    how: str
    depth: Depth
    screws: bool


class Pickable(Record):
    """A thing with a key and what people call it."""

    key: str
    label: str


class Asks(Record):
    """The answers that a sheet holds, and what there is to pick from."""

    answers: SheetAnswers
    sockets: tuple[OfferedSocket, ...]
    steps: tuple[OfferedStep, ...]
    """Those of the sheet and the usual ones of its form, in the order of the work."""
    tests: tuple[Pickable, ...]
    """Those of the sheet, then the usual ones."""
    places: tuple[Pickable, ...]
    """All that a route has to reach."""
    outside: str = OUTSIDE
    """Answers for a place that it needs no opening."""


def asks(sheet: ModelSheet) -> Asks:
    """The questions of a sheet with the answers that it holds."""
    memory = sheet.memory
    own = {step.key for step in sheet.route.steps}
    usual = [one for one in STEPS if sheet.form in one.forms and one.step.key not in own]
    screwed = {one.step.key for one in STEPS if one.screws}
    offered = [(s, bool(s.screws) or s.key in screwed) for s in sheet.route.steps]
    offered += [(one.step, one.screws) for one in usual]
    depths = list(Depth)
    offered.sort(key=lambda pair: depths.index(pair[0].depth))
    known = {test.key for test in sheet.tests}
    more = [test for test, forms in TESTS if sheet.form in forms and test.key not in known]
    return Asks(
        answers=SheetAnswers(
            form=sheet.form,
            generation=memory.generation,
            soldered_gb=memory.soldered.amounts_gb if memory.soldered else (),
            slots=len(memory.slots),
            slot_gb=max([slot.limit_gb for slot in memory.slots], default=16),
            most_gb=memory.stated.gb,
            ceiling_source=memory.stated.source,
            sockets=tuple(
                SocketAnswer(
                    key=place.key,
                    kind=socket_kind(place),
                    lengths_mm=place.lengths_mm,
                    limit_gb=place.limit_gb,
                )
                for place in sheet.drives
            ),
            packs=tuple(
                PackAnswer(
                    key=place.key,
                    external=place.external,
                    design_wh=place.variants[0].design_wh,
                    volts=place.variants[0].volts,
                )
                for place in sheet.packs
            ),
            parts=tuple(dict.fromkeys(part.kind for part in sheet.parts)),
            tests=tuple(test.key for test in sheet.tests),
            steps=tuple(_step_answer(step) for step in sheet.route.steps),
            reached=_reached(sheet),
        ),
        sockets=tuple(
            OfferedSocket(
                kind=kind,
                lengths_mm=LENGTHS_MM if shape.connector is Connector.M2 else (),
                usual_mm=shape.lengths_mm,
                limit_gb=shape.limit_gb,
            )
            for kind, shape in SOCKETS.items()
        ),
        steps=tuple(
            OfferedStep(key=s.key, title=s.title, how=s.how, depth=s.depth, screws=screws)
            for s, screws in offered
        ),
        tests=tuple(Pickable(key=t.key, label=t.label) for t in (*sheet.tests, *more)),
        places=tuple(Pickable(key=key, label=sheet.label_of(key)) for key, _ in _to_reach(sheet)),
    )


def answered(sheet: ModelSheet, answers: SheetAnswers, kinds: dict[str, PartKind]) -> ModelSheet:
    """The sheet as the answers have it; what they do not touch stays.

    :param kinds: the part kinds of the store, by key; parts are picked among them.
    """
    before = asks(sheet).answers
    memory = sheet.memory
    changed = memory.model_copy(update={"generation": answers.generation})
    if (answers.most_gb, answers.ceiling_source) != (before.most_gb, before.ceiling_source):
        stated = memory.stated.model_copy(
            update={"gb": answers.most_gb, "source": answers.ceiling_source}
        )
        changed = changed.model_copy(update={"stated": stated})
    if answers.soldered_gb != before.soldered_gb:
        amounts = answers.soldered_gb
        soldered = SolderedMemory(amounts_gb=amounts) if amounts else None
        changed = changed.model_copy(update={"soldered": soldered})
    if (answers.slots, answers.slot_gb) != (before.slots, before.slot_gb):
        changed = changed.model_copy(update={"slots": _slots(sheet, answers)})
    tests = {test.key: test for test in (*(usual for usual, _ in TESTS), *sheet.tests)}
    told = sheet.model_copy(
        update={
            "form": answers.form,
            "memory": changed,
            "drives": _sockets(sheet, answers.sockets),
            "packs": _packs(sheet, answers.packs),
            "parts": _parts(sheet, answers.parts, kinds),
            "tests": tuple(tests[key] for key in answers.tests if key in tests),
        }
    )
    return told.model_copy(update={"route": _route(told, sheet, answers)})


def _slots(sheet: ModelSheet, answers: SheetAnswers) -> tuple[MemorySlot, ...]:
    kept = list(sheet.memory.slots[: answers.slots])
    begin = 1 if answers.soldered_gb else 0
    for number in range(len(kept) + 1, answers.slots + 1):
        channel = "AB"[(number - 1 + begin) % 2]
        kept.append(
            MemorySlot(
                key=f"m{number}",
                label=f"Slot {number}",
                limit_gb=answers.slot_gb,
                channel=channel,
            )
        )
    return tuple(slot.model_copy(update={"limit_gb": answers.slot_gb}) for slot in kept)


def _sockets(sheet: ModelSheet, wanted: Sequence[SocketAnswer]) -> tuple[DrivePlace, ...]:
    known = {place.key: place for place in sheet.drives}
    places: list[DrivePlace] = []
    for one in wanted:
        place = known.get(one.key)
        if place is None or socket_kind(place) is not one.kind:
            label = place.label if place else one.kind.label
            place = socket(one.kind, one.key, label)
        lengths = one.lengths_mm if place.connector is Connector.M2 else ()
        if (place.lengths_mm, place.limit_gb) != (lengths, one.limit_gb):
            source = place.source if place.limit_gb == one.limit_gb else FactSource.GUESS
            place = place.model_copy(
                update={"lengths_mm": lengths, "limit_gb": one.limit_gb, "source": source}
            )
        places.append(place)
    return tuple(places)


def _packs(sheet: ModelSheet, wanted: Sequence[PackAnswer]) -> tuple[PackPlace, ...]:
    known = {place.key: place for place in sheet.packs}
    places: list[PackPlace] = []
    for one in wanted:
        place = known.get(one.key)
        first = place.variants[0] if place else None
        if place is None or first is None or place.external is not one.external:
            family = f"{sheet.key[:50]}-{one.key}"
            variant = PackVariant(
                family=family, design_wh=one.design_wh, volts=one.volts, cells=_cells(one.volts)
            )
            label = "External pack" if one.external else "Pack"
            place = PackPlace(key=one.key, label=label, external=one.external, variants=(variant,))
        elif (first.design_wh, first.volts) != (one.design_wh, one.volts):
            size = first.model_copy(
                update={
                    "design_wh": one.design_wh,
                    "volts": one.volts,
                    "cells": _cells(one.volts),
                }
            )
            place = place.model_copy(update={"variants": (size, *place.variants[1:])})
        places.append(place)
    return tuple(places)


def _cells(volts: float) -> int:
    return max(1, round(volts / CELL_VOLTS))


def _parts(
    sheet: ModelSheet, wanted: Sequence[str], kinds: dict[str, PartKind]
) -> tuple[RequiredPart, ...]:
    """Parts of these kinds: those of the sheet as they are, new ones under a key of their own."""
    stay = [part for part in sheet.parts if part.kind in wanted]
    there = {part.kind for part in stay}
    taken = {place.key for place in sheet.places}
    for kind in wanted:
        known = kinds.get(kind)
        if kind in there or known is None or not isinstance(known.facts, OtherFacts):
            continue
        key = kind.replace("-", "_")[:40]
        while key in taken:
            key = f"{key[:38]}_2"
        taken.add(key)
        there.add(kind)
        stay.append(RequiredPart(key=key, label=known.label, kind=kind))
    return tuple(stay)


def _step_answer(step: RouteStep) -> StepAnswer:
    first = step.screws[0] if step.screws else None
    if first is None:
        return StepAnswer(key=step.key)
    return StepAnswer(
        key=step.key, screws=first.count, drive=first.drive, length_mm=first.length_mm
    )


def _reached(sheet: ModelSheet) -> dict[str, str]:
    found: dict[str, str] = {}
    for key, _ in _to_reach(sheet):
        reach = sheet.route.reach(key)
        if key in sheet.route.outside:
            found[key] = OUTSIDE
        elif reach and (reach.carried_by or reach.after):
            found[key] = reach.carried_by or reach.after[-1]
    return found


def _to_reach(sheet: ModelSheet) -> list[tuple[str, str]]:
    """(place, what sort it is) of all that is ever worked on."""
    found = [(slot.key, "memory") for slot in sheet.memory.slots]
    found += [(d.key, "drive") for d in sheet.drives if d.connector is not Connector.EMMC]
    found += [(pack.key, "pack") for pack in sheet.packs]
    found += [(part.key, "part") for part in sheet.parts]
    found += [(t.key, "test") for t in sheet.tests if t.repair or t.attempt]
    return found


def _route(told: ModelSheet, before: ModelSheet, answers: SheetAnswers) -> Route:
    """The steps in the order they were picked, and how each place is reached."""
    own = {step.key: step for step in before.route.steps}
    usual = {one.step.key: one.step for one in STEPS}
    picked = [one for one in answers.steps if one.key in own or one.key in usual]
    kept = {one.key for one in picked}
    waits = {step.key: step.after for step in before.route.steps}
    now = in_turn([one.key for one in picked], waits)
    steps: list[RouteStep] = []
    for one in picked:
        step = own.get(one.key) or usual[one.key]
        step = step.model_copy(
            update={
                "after": now[one.key],
                "either": tuple(key for key in step.either if key in kept),
            }
        )
        if _step_answer(step) != one:
            step = step.model_copy(update={"screws": _screws(step, one)})
        steps.append(step)
    reaches: list[Reach] = []
    for place, what in _to_reach(told):
        reach = before.route.reach(place)
        if reach:
            carried = reach.carried_by if reach.carried_by in kept else ""
            reach = reach.model_copy(
                update={
                    "after": still(reach.after, kept, waits),
                    "either": tuple(key for key in reach.either if key in kept),
                    "carried_by": carried,
                }
            )
        after = answers.reached.get(place, "")
        if after == OUTSIDE:
            continue
        if after in kept and after != _reached(before).get(place):
            reach = reach or reach_of(place, what, ())
            reach = reach.model_copy(update={"after": (after,), "carried_by": "", "either": ()})
        if reach:
            reaches.append(reach)
    places = {place for place, _ in _to_reach(told)}
    # The board and the like: reached, and asked about by none of these questions.
    others = [r for r in before.route.reaches if r.place not in {p for p, _ in _to_reach(before)}]
    reaches += [
        r.model_copy(
            update={
                "after": still(r.after, kept, waits),
                "either": tuple(key for key in r.either if key in kept),
                "carried_by": r.carried_by if r.carried_by in kept else "",
                "hands_over": tuple(o for o in r.hands_over if not o.place or o.place in places),
            }
        )
        for r in others
    ]
    stood = [reach.place for reach in before.route.reaches]
    reaches.sort(key=lambda r: stood.index(r.place) if r.place in stood else len(stood))
    outside = [key for key in before.route.outside if answers.reached.get(key) == OUTSIDE]
    outside += [
        key
        for key, after in answers.reached.items()
        if after == OUTSIDE and key in places and key not in outside
    ]
    return before.route.model_copy(
        update={"steps": tuple(steps), "reaches": tuple(reaches), "outside": tuple(outside)}
    )


def _screws(step: RouteStep, one: StepAnswer) -> tuple[Screws, ...]:
    if not one.screws:
        return step.screws[1:]
    drive = one.drive or step.tool
    where = step.screws[0].where if step.screws else ""
    first = (
        step.screws[0].model_copy(
            update={"count": one.screws, "drive": drive, "length_mm": one.length_mm}
        )
        if step.screws
        else Screws(count=one.screws, drive=drive, length_mm=one.length_mm, where=where)
    )
    return (first, *step.screws[1:])
