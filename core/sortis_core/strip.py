"""The slot strip: one unit as what is inside it, left to right, ready to be drawn at any size."""

from sortis_core.actions import Action, Verb, after_actions
from sortis_core.base import Record, listed
from sortis_core.configuration import Aspect
from sortis_core.facts.battery import battery_facts
from sortis_core.facts.completeness import required_parts
from sortis_core.facts.configuration import built_with, possible, usual_words, value_label
from sortis_core.facts.figures import short_of
from sortis_core.findings import ARRAY, SEAL, Findings, PartState, PlaceState, TestState
from sortis_core.sheets import Connector, DrivePlace, ModelSheet
from sortis_core.standards import Standard, asked_aspects
from sortis_core.stock import PartKind
from sortis_core.vocabulary.term import Term

SHORTEST_SOCKET = 0.35
LONGEST_M2_MM = 80
DEFAULT_LENGTH_MM = 80


class Mark(Term):
    """The shape of a place on the strip; colour only helps."""

    GOOD = "good"
    EMPTY = "empty"
    SOLDERED = "soldered"
    MISSING = "missing"
    FAULTY = "faulty"
    TO_FIT = "to_fit", "to be fitted"
    HAZARD = "hazard", "dangerous"
    UNSEEN = "unseen", "not looked at"
    NOT_NEEDED = "not_needed", "not needed"


class StripGroup(Term):
    """What belongs together on the strip, left to right; explained by what is typed into it."""

    MEMORY = "memory", "memory", "size in GB (16) · - empty · x faulty · ? not looked at"
    DRIVE = (
        "drive",
        "drives",
        "n256 NVMe · s256 SATA · h500 spinning · 93% life · - empty · x faulty · r radio card",
    )
    PACK = (
        "pack",
        "pack",
        "full/design (41.2/57 or 3600/5000mah 11.1v) · 612c cycles · -c tells none · - absent · "
        "x not charging · ! dangerous",
    )
    PART = (
        "part",
        "required parts",
        "+ there · - missing · x broken · , works poorly, and how · a the rest is as it should "
        "be · a letter jumps",
    )
    TEST = (
        "test",
        "function tests",
        "+ passed · x failed · xx failed after an attempt · , works poorly, and how · a the rest "
        "passed · a letter jumps",
    )
    GRADE = "grade", "grade", "a · b · c"
    CONFIGURATION = (
        "configuration",
        "built with",
        "a language by two letters: de, en, no · else as the keys say · ? not looked at",
    )
    NOTED = (
        "noted",
        "found besides",
        "seal: + whole · - lifted before · u lifted here · drive array: + there is one · - none",
    )


class PackMark(Record):
    """Where gates of standards lie on a pack."""

    at: float
    """Share of the full width, 0 to 1."""
    letters: str
    """Initials of the standards that ask it."""
    words: str


class StripCell(Record):
    """One place on the strip."""

    key: str
    group: StripGroup
    label: str
    mark: Mark
    figure: str
    """The short figure drawn in it: ``8``, ``256``, ``72``."""
    unit: str = ""
    """What the figure counts: GB, %."""
    words: str
    """The same in words: ``8 GB DDR4``."""
    length: float = 1.0
    """Relative width within its group: sockets by length, packs by design Wh."""
    bay: bool = False
    fill: float | None = None
    """Full charge against design, 0 to 1."""
    notches: tuple[PackMark, ...] = ()
    """Where the standards' pack gates lie, from the lowest."""
    accepts: tuple[str, ...] = ()
    """What may be typed into it, where the sheet says so; else what its group takes."""


class Strip(Record):
    """All places of one unit, and the same as a sentence."""

    cells: tuple[StripCell, ...]
    words: str
    danger: str = ""
    """A danger of the unit itself, which no place shows; empty where there is none."""


UNSAID = (StripGroup.TEST, StripGroup.GRADE)
"""Left out of the strip's sentence: too many, or not what is inside."""


def draw_strip(
    sheet: ModelSheet,
    findings: Findings,
    standards: tuple[Standard, ...],
    kinds: dict[str, PartKind] | None = None,
    actions: tuple[Action, ...] = (),
) -> Strip:
    """The strip as found, or as it will be once ``actions`` are done."""
    fitted = {action.place for action in actions if action.verb is Verb.FIT}
    if actions:
        findings = after_actions(sheet, findings, actions, kinds or {})
    cells = [
        *_memory(sheet, findings, fitted),
        *_drives(sheet, findings, fitted),
        *_packs(sheet, findings, standards, fitted),
        *_parts(sheet, findings, fitted),
        *_tests(sheet, findings, fitted),
        _grade(findings),
        *_configuration(sheet, findings, standards),
        *_outside(sheet, findings),
    ]
    said = [f"{c.label}: {c.words}" for c in cells if c.group not in UNSAID]
    danger = f"{findings.unit_hazard}" if findings.unit_hazard else ""
    if danger:
        said.insert(0, f"Danger: {danger}")
    return Strip(cells=tuple(cells), words="; ".join(said) + ".", danger=danger)


def _memory(sheet: ModelSheet, findings: Findings, fitted: set[str]) -> list[StripCell]:
    cells: list[StripCell] = []
    if soldered := sheet.memory.soldered:
        gb = findings.soldered_gb
        cells.append(
            StripCell(
                key=soldered.key,
                group=StripGroup.MEMORY,
                label="Soldered",
                mark=Mark.UNSEEN if gb is None else Mark.SOLDERED,
                figure="" if gb is None else str(gb),
                unit="GB",
                words="not looked at" if gb is None else f"{gb} GB {sheet.memory.generation}",
            )
        )
    for slot in sheet.memory.slots:
        there = findings.module(slot.key)
        speed = f" {there.mts}" if there.mts else ""
        speed += f" by {there.maker.title()}" if there.maker else ""
        cells.append(
            StripCell(
                key=slot.key,
                group=StripGroup.MEMORY,
                label=slot.label,
                mark=_mark(there.state, slot.key in fitted),
                figure=str(there.gb) if there.gb else "",
                unit="GB",
                words=f"{there.gb} GB {sheet.memory.generation}{speed}"
                if there.gb
                else there.state.label,
            )
        )
    return cells


def _drives(sheet: ModelSheet, findings: Findings, fitted: set[str]) -> list[StripCell]:
    cells: list[StripCell] = []
    for place in sheet.drives_of(findings.trim):
        there = findings.drive(place.key)
        words = there.state.label
        if there.gb:
            words = f"{'spinning' if there.spinning else there.interface} {there.gb} GB"
            words += f", {there.life_percent} % life" if there.life_percent is not None else ""
        cells.append(
            StripCell(
                key=place.key,
                group=StripGroup.DRIVE,
                label=place.label,
                mark=_mark(there.state, place.key in fitted),
                figure=str(there.gb) if there.gb else "",
                unit="GB",
                words=words,
                length=_socket_length(place),
                bay=place.connector is Connector.BAY,
            )
        )
    return cells


def _socket_length(place: DrivePlace) -> float:
    """Length of the longest drive that fits, against the longest socket there is."""
    if place.connector is Connector.BAY:
        return 1.0
    longest = max(place.lengths_mm, default=2200 + DEFAULT_LENGTH_MM) % 100
    return max(SHORTEST_SOCKET, longest / LONGEST_M2_MM)


def _packs(
    sheet: ModelSheet, findings: Findings, standards: tuple[Standard, ...], fitted: set[str]
) -> list[StripCell]:
    notches = _notches(standards)
    gates = [notch.at for notch in notches]
    largest = max((v.design_wh for p in sheet.packs for v in p.variants), default=1.0)
    cells: list[StripCell] = []
    places = {place.key: place for place in sheet.packs_of(findings.trim)}
    for facts in battery_facts(sheet, findings).packs:
        place = places[facts.place]
        health = facts.health_percent
        design = facts.design_wh or place.variants[0].design_wh
        words = facts.state.label
        if health is not None and facts.full_wh is not None:
            words = f"{facts.full_wh:.1f} of {design:.1f} Wh, {_beside(health, gates, 1)} %"
            words += f", {facts.cycles} cycles" if facts.cycles is not None else ""
        cells.append(
            StripCell(
                key=place.key,
                group=StripGroup.PACK,
                label=place.label,
                mark=_mark(facts.state, place.key in fitted),
                figure=_beside(health, gates, 0) if health is not None else "",
                unit="%",
                words=words,
                length=max(0.4, min(1.0, design / largest)),
                fill=None if health is None else min(1.0, health / 100),
                notches=notches,
            )
        )
    return cells


def _notches(standards: tuple[Standard, ...]) -> tuple[PackMark, ...]:
    asked: dict[float, list[str]] = {}
    for standard in standards:
        for notch in (gate.notch() for gate in standard.gates):
            if notch:
                asked.setdefault(notch.at, []).append(standard.name)
    return tuple(
        PackMark(
            at=at,
            letters="".join(dict.fromkeys(name[:1].upper() for name in asked[at])),
            words=f"{listed(asked[at])}: {at * 100:.0f} %",
        )
        for at in sorted(asked)
    )


def _beside(health: float, gates: list[float], digits: int) -> str:
    """Health in percent, written so that it stays on its side of the next gate above it."""
    above = [gate * 100 for gate in gates if health < gate * 100]
    return short_of(health, min(above), digits) if above else f"{health:.{digits}f}"


def _parts(sheet: ModelSheet, findings: Findings, fitted: set[str]) -> list[StripCell]:
    needed = {part.key for part in required_parts(sheet, findings)}
    marks = {
        PartState.PRESENT: Mark.GOOD,
        PartState.MISSING: Mark.MISSING,
        PartState.BROKEN: Mark.FAULTY,
        PartState.UNSEEN: Mark.UNSEEN,
    }
    cells: list[StripCell] = []
    for part in sheet.parts_of(findings.trim):
        state = findings.part(part.key)
        mark = Mark.TO_FIT if part.key in fitted else marks[state]
        said = _with_remark(findings, part.key, state.label)
        words = "to be fitted" if part.key in fitted else said
        if part.key not in needed and mark in (Mark.MISSING, Mark.UNSEEN):
            mark = Mark.NOT_NEEDED
            words = "not needed while its place is empty"
        cells.append(
            StripCell(
                key=part.key,
                group=StripGroup.PART,
                label=part.label,
                mark=mark,
                figure="",
                words=words,
            )
        )
    return cells


def _with_remark(findings: Findings, key: str, words: str) -> str:
    """What was seen, and how poorly it works where it does."""
    remark = findings.remarks.get(key, "")
    return f"{words}, {remark}" if remark else words


def _tests(sheet: ModelSheet, findings: Findings, fitted: set[str]) -> list[StripCell]:
    marks = {
        TestState.PASSED: Mark.GOOD,
        TestState.FAILED: Mark.FAULTY,
        TestState.STILL_FAILS: Mark.FAULTY,
        TestState.UNSEEN: Mark.UNSEEN,
    }
    return [
        StripCell(
            key=test.key,
            group=StripGroup.TEST,
            label=test.label,
            mark=Mark.TO_FIT if test.key in fitted else marks[findings.test(test.key)],
            figure="",
            words=_with_remark(findings, test.key, findings.test(test.key).label),
        )
        for test in sheet.tests_of(findings.trim)
    ]


def _grade(findings: Findings) -> StripCell:
    grade = findings.grade
    return StripCell(
        key="grade",
        group=StripGroup.GRADE,
        label="Grade",
        mark=Mark.GOOD if grade else Mark.UNSEEN,
        figure=grade or "",
        words=f"grade {grade}" if grade else "not looked at",
    )


def _outside(sheet: ModelSheet, findings: Findings) -> list[StripCell]:
    """Seals that the sheet knows of, and an array that somebody found."""
    cells: list[StripCell] = []
    if sheet.seals:
        mark = Mark.GOOD if findings.seal else Mark.NOT_NEEDED
        words = findings.seal.label if findings.seal else Mark.UNSEEN.label
        cells.append(_noted(SEAL, "Seal", mark, words))
    if findings.drive_array is not None:
        bound = "bound by the firmware: ask before a drive is pulled"
        mark, words = (Mark.FAULTY, bound) if findings.drive_array else (Mark.GOOD, "none")
        array = _noted(ARRAY, "Drive array", mark, words)
        cells.append(array.model_copy(update={"accepts": ("+", "-")}))
    return cells


def _noted(key: str, label: str, mark: Mark, words: str) -> StripCell:
    return StripCell(
        key=key, group=StripGroup.NOTED, label=label, mark=mark, figure="", words=words
    )


def _configuration(
    sheet: ModelSheet, findings: Findings, standards: tuple[Standard, ...]
) -> list[StripCell]:
    """What a price or gate asks about, and what somebody noted all the same."""
    asked = asked_aspects(standards, sheet)
    cells: list[StripCell] = []
    for aspect in Aspect:
        value = findings.configuration.get(aspect, "")
        here = possible(sheet, aspect, findings.trim)
        settled = built_with(sheet, findings, aspect)
        if not value and (settled or aspect not in asked or not here):
            continue
        usual = usual_words(sheet, findings, aspect)
        unseen = f"{Mark.UNSEEN.label}, usually {usual}" if usual else Mark.UNSEEN.label
        cells.append(
            StripCell(
                key=aspect.value,
                group=StripGroup.CONFIGURATION,
                label=aspect.heading,
                mark=Mark.GOOD if value else Mark.UNSEEN,
                figure=value,
                words=value_label(sheet, aspect, value) if value else unseen,
                accepts=tuple(here),
            )
        )
    return cells


def _mark(state: PlaceState, fitted: bool) -> Mark:
    if fitted:
        return Mark.TO_FIT
    return {
        PlaceState.UNSEEN: Mark.UNSEEN,
        PlaceState.EMPTY: Mark.EMPTY,
        PlaceState.PRESENT: Mark.GOOD,
        PlaceState.FAULTY: Mark.FAULTY,
        PlaceState.DEAD: Mark.FAULTY,
        PlaceState.RADIO: Mark.SOLDERED,
        PlaceState.HAZARD: Mark.HAZARD,
    }[state]
