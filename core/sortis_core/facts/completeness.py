"""Required parts: what a complete unit of this trim has (docs/rules.md, Missing parts)."""

from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.sheets import ModelSheet, RequiredPart

NONE: frozenset[str] = frozenset()


def required_parts(
    sheet: ModelSheet,
    findings: Findings,
    filled: frozenset[str] = NONE,
    emptied: frozenset[str] = NONE,
) -> tuple[RequiredPart, ...]:
    """The parts this unit must have.

    :param filled: drive places that a plan is going to fill; their kit becomes required.
    :param emptied: drive places that a plan is going to empty; their kit no longer is.
    """
    needed: list[RequiredPart] = []
    for part in sheet.parts_of(findings.trim):
        place = part.only_with_drive_in
        if place and place not in filled:
            if findings.drive(place).state is not PlaceState.PRESENT or place in emptied:
                continue
        needed.append(part)
    return tuple(needed)


def lacking_parts(
    sheet: ModelSheet,
    findings: Findings,
    filled: frozenset[str] = NONE,
    emptied: frozenset[str] = NONE,
) -> tuple[RequiredPart, ...]:
    """Required parts seen missing or broken, with those that must be replaced along with them."""
    needed = required_parts(sheet, findings, filled, emptied)
    lacking = {
        part.key
        for part in needed
        if findings.part(part.key) in (PartState.MISSING, PartState.BROKEN)
        or (part.only_with_drive_in in filled and findings.part(part.key) is PartState.UNSEEN)
    }
    for part in needed:
        if part.key in lacking:
            lacking |= set(part.goes_with)
    return tuple(part for part in sheet.parts if part.key in lacking)
