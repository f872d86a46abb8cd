"""Not as written: what a technician finds at the bench, and what it means for the work in hand."""

from sortis_core.actions import Action, after_actions
from sortis_core.assess import assess
from sortis_core.base import Record, SortisError
from sortis_core.findings import (
    UNIT,
    DriveFinding,
    Findings,
    HazardKind,
    ModuleFinding,
    PackFinding,
    PartState,
    PlaceState,
    TestState,
    carry_origins,
)
from sortis_core.gates.verdict import GateState
from sortis_core.intake.entry import read_entries
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.stock import PartKind
from sortis_core.vocabulary.term import Term


class SurpriseKind(Term):
    """What is not as written."""

    SCREW = "screw", "screw stripped or missing"
    DIFFERS = "differs", "what sits there differs"
    DEAD = "dead", "slot or socket dead"
    BROKE = "broke", "something in the unit broke"
    NEW_PART = "new_part", "the part to fit is wrong or broken"
    SWOLLEN = "swollen", "pack swollen or damaged"
    LIT = "lit", "started up by itself"


DANGERS = (SurpriseKind.SWOLLEN, SurpriseKind.LIT)


class Surprise(Record):
    """One thing as it was told at the bench."""

    kind: SurpriseKind
    place: str = ""
    """Key of the place it is about; empty where the kind needs none."""
    entry: str = ""
    """What is really there, in the inspector's short words, for what differs."""
    words: str = ""


PLACE_MAY_LACK = (SurpriseKind.LIT, SurpriseKind.SCREW)


class SurpriseRefused(SortisError):
    """What was told does not go with the unit."""

    title = "That cannot be noted so"


class PlaceChoice(Record):
    """One place that a kind of surprise may be about."""

    key: str
    label: str


class KindChoice(Record):
    """One kind of surprise with the places it may be about."""

    kind: SurpriseKind
    places: tuple[PlaceChoice, ...]
    danger: bool
    """Work stops at once; asked first where a danger is told."""
    place_needed: bool
    entry_needed: bool
    """What is really there must be typed."""
    of_the_work: bool
    """Only places that the work still to be done reaches."""


class Advice(Term):
    """What the technician does now."""

    GO_ON = "go_on", "go on"
    CHANGE = "change", "go on, with other work"
    STOP = "stop"
    DANGER = "danger", "stop at once"


def choices(
    sheet: ModelSheet, findings: Findings, waiting: tuple[Action, ...]
) -> tuple[KindChoice, ...]:
    """What can be told about a unit at the bench.

    :param waiting: actions that are still to be done; their parts may turn out wrong.
    """
    trim = sheet.of_trim(findings.trim)
    slots, drives = sheet.memory.slots, trim.drives
    packs, parts = trim.packs, trim.parts
    screws = [part for part in parts if "screw" in part.kind or "screw" in part.key]
    wanted = [action.place for action in waiting if action.kind]
    by_kind: dict[SurpriseKind, list[str]] = {
        SurpriseKind.SCREW: [part.key for part in screws],
        SurpriseKind.DIFFERS: [place.key for place in (*slots, *drives, *packs)],
        SurpriseKind.DEAD: [place.key for place in (*slots, *drives)],
        SurpriseKind.BROKE: [p.key for p in (*parts, *trim.tests, *slots, *drives, *packs)],
        SurpriseKind.NEW_PART: wanted,
        SurpriseKind.SWOLLEN: [place.key for place in packs],
        SurpriseKind.LIT: [],
    }
    return tuple(
        KindChoice(
            kind=kind,
            places=tuple(
                PlaceChoice(key=key, label=sheet.label_of(key)) for key in dict.fromkeys(keys)
            ),
            danger=kind in DANGERS,
            place_needed=kind not in PLACE_MAY_LACK,
            entry_needed=kind is SurpriseKind.DIFFERS,
            of_the_work=kind is SurpriseKind.NEW_PART,
        )
        for kind, keys in by_kind.items()
        if keys or kind in PLACE_MAY_LACK
    )


def known_after(
    sheet: ModelSheet,
    findings: Findings,
    surprise: Surprise,
    tried: frozenset[str] = frozenset(),
) -> Findings:
    """The findings as they are now known to be; something else in a place was found there.

    :param tried: tests that the work in hand tries to mend without a part.
    :raises SurpriseRefused: where the place does not go with the kind.
    :raises EntryRefused: where the place cannot hold what was typed.
    """
    return carry_origins(findings, _as_seen(sheet, findings, surprise, tried))


def _as_seen(
    sheet: ModelSheet, findings: Findings, surprise: Surprise, tried: frozenset[str]
) -> Findings:
    place = surprise.place
    trim = sheet.of_trim(findings.trim)
    slots = {slot.key for slot in sheet.memory.slots}
    drives = {drive.key for drive in trim.drives}
    packs = {pack.key for pack in trim.packs}
    parts = {part.key for part in trim.parts}
    tests = {test.key for test in trim.tests}

    def of(allowed: set[str], words: str) -> None:
        if place not in allowed:
            raise SurpriseRefused(f"Say which {words} it is about.")

    match surprise.kind:
        case SurpriseKind.LIT:
            return findings.model_copy(update={"unit_hazard": HazardKind.LIT})
        case SurpriseKind.SWOLLEN:
            of(packs | {UNIT}, "pack")
            if place == UNIT:
                return findings.model_copy(update={"unit_hazard": HazardKind.SWOLLEN})
            danger = PackFinding(state=PlaceState.HAZARD, hazard=HazardKind.SWOLLEN)
            return _with(findings, "packs", place, danger)
        case SurpriseKind.SCREW:
            if not place:
                return findings
            of(parts, "set of screws")
            return _with(findings, "parts", place, PartState.MISSING)
        case SurpriseKind.DEAD:
            of(slots | drives, "slot or socket")
            if place in slots:
                return _with(findings, "modules", place, ModuleFinding(state=PlaceState.DEAD))
            return _with(findings, "drives", place, DriveFinding(state=PlaceState.DEAD))
        case SurpriseKind.DIFFERS:
            of(slots | drives | packs, "place")
            return _as_typed(sheet, findings, place, surprise.entry)
        case SurpriseKind.BROKE:
            of(slots | drives | packs | parts | tests, "part")
            if place in slots:
                return _with(findings, "modules", place, ModuleFinding(state=PlaceState.FAULTY))
            if place in drives:
                return _with(findings, "drives", place, DriveFinding(state=PlaceState.FAULTY))
            if place in packs:
                return _with(findings, "packs", place, PackFinding(state=PlaceState.FAULTY))
            if place in parts:
                return _with(findings, "parts", place, PartState.BROKEN)
            state = TestState.STILL_FAILS if place in tried else TestState.FAILED
            return _with(findings, "tests", place, state)
        case SurpriseKind.NEW_PART:
            return findings


def _with(findings: Findings, side: str, place: str, found: object) -> Findings:
    return findings.model_copy(update={side: {**getattr(findings, side), place: found}})


def _as_typed(sheet: ModelSheet, findings: Findings, place: str, entry: str) -> Findings:
    if not entry.strip():
        raise SurpriseRefused(f"Type what really sits in {sheet.label_of(place)}.")
    read, refusals = read_entries(sheet, findings.trim, {place: entry})
    if refusals:
        raise SurpriseRefused(refusals[place])
    for side in ("modules", "drives", "packs"):
        if place in getattr(read, side):
            return _with(findings, side, place, getattr(read, side)[place])
    raise SurpriseRefused(f"{sheet.label_of(place)} cannot be typed.")


def still_reaches(
    sheet: ModelSheet,
    before: Findings,
    now: Findings,
    waiting: tuple[Action, ...],
    standard: Standard,
    policy: Policy,
    kinds: dict[str, PartKind],
) -> bool:
    """Whether the actions that are left still bring the unit to its standard, just as written.

    :param before: findings that the actions were decided on, as they stand at this point.
    """
    sides = ("modules", "drives", "packs", "parts", "tests")
    for action in waiting:
        if any(
            getattr(before, s).get(action.place) != getattr(now, s).get(action.place) for s in sides
        ):
            return False
    after = after_actions(sheet, now, waiting, kinds)
    verdict = assess(sheet, after, (standard,), policy).verdicts[0]
    return not verdict.in_state(GateState.SHORT) and not verdict.in_state(GateState.UNKNOWN)
