"""The check: what was fitted, confirmed by the machine itself (docs/rules.md, Check).

A fresh read-out is laid beside what the work order left. Each difference is one question, with what
it most likely comes from and the step that it was done in. What a machine does not say is no
difference; it was seen by hand.
"""

from collections.abc import Collection, Iterator, Sequence
from datetime import datetime, timedelta

from sortis_core.base import Record, SortisError
from sortis_core.findings import Findings, TestState
from sortis_core.intake.readout import ReadOut, SideBySide, compare
from sortis_core.sheets import Connector, ModelSheet
from sortis_core.vocabulary.term import Term

NOTHING_IN_IT, NOT_LOOKED_AT = "-", "?"
RADIO, FAN, CLOCK = "radio", "fan", "clock"
"""Keys of the function tests that a running machine can speak of."""
LIVING = {
    RADIO: (
        "Is the radio card seated, with both leads on?",
        "it sits askew, or it is switched off in firmware",
    ),
    FAN: ("Does the fan turn?", "its plug is off, or a cable stops it"),
    CLOCK: ("Is the clock set?", "the coin cell was out, so that it began anew"),
}
HOT_CELSIUS = 60
"""From here on a fan that stands still is one that does not work."""
CLOCK_OFF = timedelta(days=2)
"""So far off it was not set; a file may have lain a day before it was taken in."""


class CheckState(Term):
    """How the machine answers for one place."""

    AS_ORDERED = "as_ordered", "as ordered"
    OTHERWISE = "otherwise"
    NOT_SEEN = "not_seen", "not seen"
    NOT_SAID = "not_said", "the machine does not say"


class CheckStep(Record):
    """A step of the work order that put something into a place."""

    number: int
    title: str
    how: str
    places: tuple[str, ...]


class CheckedPlace(Record):
    """One place, as the work order left it and as the machine sees it."""

    place: str
    label: str
    state: CheckState
    expected: str
    seen: str
    entry: str
    """What the machine says, as an inspector would type it."""


class CheckQuestion(Record):
    """One difference, as a question."""

    place: str
    question: str
    fact: str
    likely: str
    step: CheckStep | None
    """Where it was done; none where the work order did nothing there."""


class Checked(Record):
    """A read-out after the work, beside what was ordered."""

    places: tuple[CheckedPlace, ...]
    as_ordered: int
    asked: int
    """Places that the machine says something of."""
    questions: tuple[CheckQuestion, ...]
    other_unit: bool
    """It names another serial number: it proves nothing of this unit."""
    doubts: tuple[str, ...]
    """What makes the read-out doubtful: of another unit, or tools that disagree."""
    not_read: tuple[str, ...]


class NotAsOrdered(SortisError):
    """The machine does not confirm what was fitted."""

    title = "The check has open questions"


def check(
    sheet: ModelSheet,
    findings: Findings,
    readout: ReadOut,
    serial: str,
    steps: Sequence[CheckStep] = (),
    at: datetime | None = None,
) -> Checked:
    """Lay a read-out beside what the work order left.

    :param findings: as they are after the work.
    :param serial: of the unit, to notice a read-out of another one.
    :param at: when it was taken in; without it the clock is not judged.
    """
    found = compare(sheet, findings, readout, serial)
    rows = {row.place: row for row in found.rows}
    by_place = {place: step for step in steps for place in step.places}
    places = (
        *(_checked(row) for row in found.rows if _counts(sheet, row)),
        *_living(sheet, findings, readout, at),
    )
    said = [one for one in places if one.state is not CheckState.NOT_SAID]
    questions = tuple(
        _asked_of(one, by_place.get(one.place))
        if one.place in LIVING
        else _question(sheet, one, rows[one.place], readout, findings, by_place.get(one.place))
        for one in said
        if one.state is not CheckState.AS_ORDERED
    )
    return Checked(
        places=places,
        as_ordered=len(said) - len(questions),
        asked=len(said),
        questions=questions,
        other_unit=found.other_unit,
        doubts=found.questions,
        not_read=found.not_read,
    )


def require_as_ordered(checked: Checked | None) -> None:
    """Refuse a release while a fresh read-out says otherwise than was ordered.

    :raises NotAsOrdered: with the first question, or where it is of another unit.
    """
    if checked and checked.other_unit:
        raise NotAsOrdered(
            "The newest read-out is of another unit, or labels are swapped. Read this unit out "
            "before it is released."
        )
    if checked and checked.questions:
        first, more = checked.questions[0], len(checked.questions) - 1
        others = f" And {more} more." if more else ""
        raise NotAsOrdered(
            f"{first.question} {first.fact}{others} Mend it and read out again, or send the unit "
            "back to inspection."
        )


def looked_at_again(findings: Findings, places: Collection[str]) -> Findings:
    """Findings without what is known of these places: somebody has to look.

    Where their parts came from is not known either: what is found there may be another one.
    """
    gone = set(places)
    return findings.model_copy(
        update={
            "modules": {k: v for k, v in findings.modules.items() if k not in gone},
            "drives": {k: v for k, v in findings.drives.items() if k not in gone},
            "packs": {k: v for k, v in findings.packs.items() if k not in gone},
            "parts": {k: v for k, v in findings.parts.items() if k not in gone},
            "tests": {k: v for k, v in findings.tests.items() if k not in gone},
            "origins": {k: v for k, v in findings.origins.items() if k not in gone},
        }
    )


def _living(
    sheet: ModelSheet, findings: Findings, readout: ReadOut, at: datetime | None
) -> Iterator[CheckedPlace]:
    """Radio, fan and clock, where the sheet tests them, they were seen to work, and it says."""
    said: dict[str, tuple[bool, str]] = {}
    if readout.radios is not None:
        many = f"{readout.radios} wireless interface{'s' if readout.radios > 1 else ''}"
        said[RADIO] = (readout.radios > 0, many if readout.radios else "no wireless interface")
    turning = [rpm for rpm in readout.fans_rpm or () if rpm]
    hot = readout.hottest_celsius is not None and readout.hottest_celsius >= HOT_CELSIUS
    if turning or (readout.fans_rpm and hot):
        # A fan may rest while the unit is cool; then nothing is said of it.
        heat = f" at {readout.hottest_celsius:.0f} °C" if readout.hottest_celsius else ""
        words = f"{max(turning, default=0)} turns a minute{heat}"
        said[FAN] = (bool(turning), words)
    if readout.clock and at:
        off = abs(readout.clock - at)
        said[CLOCK] = (off <= CLOCK_OFF, f"{readout.clock:%d %b %Y %H:%M} UTC")
    for test in sheet.tests_of(findings.trim):
        if test.key in said and findings.test(test.key) is TestState.PASSED:
            good, words = said[test.key]
            yield CheckedPlace(
                place=test.key,
                label=test.label,
                state=CheckState.AS_ORDERED if good else CheckState.OTHERWISE,
                expected="working",
                seen=words,
                entry="+" if good else "x",
            )


def _asked_of(one: CheckedPlace, step: CheckStep | None) -> CheckQuestion:
    question, likely = LIVING[one.place]
    fact = f"It was seen working; the machine says {one.seen}."
    return CheckQuestion(place=one.place, question=question, fact=fact, likely=likely, step=step)


def _counts(sheet: ModelSheet, row: SideBySide) -> bool:
    """What a work order may change; that it starts is seen by everything else."""
    fitted = {place.key for place in (*sheet.memory.slots, *sheet.drives, *sheet.packs)}
    if sheet.memory.soldered:
        fitted.add(sheet.memory.soldered.key)
    return row.place in fitted


def _checked(row: SideBySide) -> CheckedPlace:
    if not row.machine or row.person in ("", NOT_LOOKED_AT):
        state = CheckState.NOT_SAID
    elif not row.differs:
        state = CheckState.AS_ORDERED
    elif row.machine == NOTHING_IN_IT:
        state = CheckState.NOT_SEEN
    else:
        state = CheckState.OTHERWISE
    return CheckedPlace(
        place=row.place,
        label=row.label,
        state=state,
        expected=row.person_words,
        seen=row.machine_words,
        entry=row.machine,
    )


def _question(
    sheet: ModelSheet,
    one: CheckedPlace,
    row: SideBySide,
    readout: ReadOut,
    findings: Findings,
    step: CheckStep | None,
) -> CheckQuestion:
    missing = one.state is CheckState.NOT_SEEN
    fact = f"Ordered was {one.expected}; the machine says {one.seen}."
    if row.place in {slot.key for slot in sheet.memory.slots}:
        if missing:
            ordered = findings.soldered_gb or 0
            ordered += sum(module.gb or 0 for module in findings.modules.values())
            fact = f"The machine sees {readout.total_gb} of {ordered} GB."
            question = f"Is the module in {one.label} seated?"
            likely = "not pressed down until both sides clicked"
        else:
            question = f"Is the right module in {one.label}?"
            likely = "two modules were exchanged while they lay on the bench"
    elif row.place in {drive.key for drive in sheet.drives}:
        place = next(drive for drive in sheet.drives if drive.key == row.place)
        if missing:
            question = f"Is the drive in {one.label} pushed home?"
            likely = (
                "its cable is off, at the drive or at the board"
                if place.connector is Connector.BAY
                else "held down by its screw before it was all the way in"
            )
            fact = f"Ordered was {one.expected}; the machine sees no drive there."
        else:
            question = f"Is the right drive in {one.label}?"
            likely = "another drive was taken from the bin"
    elif row.place in {pack.key for pack in sheet.packs}:
        if missing:
            question = f"Is the plug of {one.label} in?"
            likely = "the plug sits askew, or the pack sleeps until the adapter goes in"
            fact = f"Ordered was {one.expected}; the machine sees no pack."
        elif row.machine.startswith("0/"):
            question = f"Has {one.label} been woken?"
            likely = "it sleeps until the adapter goes in"
        else:
            question = f"Is it the pack that was ordered, in {one.label}?"
            likely = "another pack was taken, or it holds less than its label says"
    else:
        question = f"Is the board the one that was ordered? {one.label} differs."
        likely = "another board variant, or a read-out of another unit"
    return CheckQuestion(place=one.place, question=question, fact=fact, likely=likely, step=step)
