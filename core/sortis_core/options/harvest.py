"""What a unit gives: as a donor, or where an upgrade displaces what works (docs/rules.md, Options).

Only what was seen working, or was seen there and is tried first where the unit does not start;
packs never, drives not before they are sanitised.
"""

from collections import Counter

from sortis_core.actions import Action, Verb, board_tests
from sortis_core.configuration import Aspect
from sortis_core.facts.configuration import built_with, part_in
from sortis_core.findings import Findings, PartState, PlaceState, TestState
from sortis_core.options.option import Layer, Option, OutcomeKind, Piece, counts
from sortis_core.policy import HarvestSchool, Policy
from sortis_core.route.check import has_way_to
from sortis_core.route.minutes import RouteMinutes
from sortis_core.sheets import BOARD, ModelSheet
from sortis_core.supply import Supply


def board_in(sheet: ModelSheet, findings: Findings) -> str:
    """Part kind of the board that sits in the unit; empty where none is known or it fails."""
    tests = board_tests(sheet)
    if not findings.starts or any(findings.test(test) is not TestState.PASSED for test in tests):
        return ""
    boards = [board for board in sheet.boards if board.kind]
    if sheet.memory.soldered:
        boards = [board for board in boards if board.soldered_gb == findings.soldered_gb]
    noted = built_with(sheet, findings, Aspect.BOARD)
    processor = built_with(sheet, findings, Aspect.PROCESSOR)
    if noted:
        boards = [board for board in boards if board.key == noted]
    if processor:
        boards = [board for board in boards if board.processor in ("", processor)]
    return boards[0].kind if len(boards) == 1 else ""


def harvestable(
    sheet: ModelSheet, findings: Findings, supply: Supply, policy: Policy
) -> tuple[Action, ...]:
    """Everything a donor of these findings could give, each part once.

    Working modules, required parts, what makes a test pass that was passed (a keyboard, a panel, a
    fan), and the board of a unit that dies of something else.
    """
    if policy.harvest is HarvestSchool.NEW_ONLY:
        return ()
    found: list[tuple[str, str]] = []
    for slot in sheet.memory.slots:
        there = findings.module(slot.key)
        if there.state is PlaceState.PRESENT:
            found.append((slot.key, supply.module_kind(there, sheet)))
    tests = sheet.tests_of(findings.trim)
    of_test = {
        kind: test.key
        for test in tests
        if test.repair and (kind := part_in(sheet, findings, test.key, test.repair.kind))
    }
    parts = sheet.parts_of(findings.trim)
    for part in parts:
        suspect = findings.test(of_test.get(part.kind, "")).bad
        if findings.part(part.key) is PartState.PRESENT and not suspect:
            found.append((part.key, part_in(sheet, findings, part.key, part.kind)))
    listed = {part.kind for part in parts}
    boards = {board.kind for board in sheet.boards}
    found += [
        (key, kind)
        for kind, key in of_test.items()
        if kind not in listed | boards and findings.test(key) is TestState.PASSED
    ]
    found.append((BOARD, board_in(sheet, findings)))
    return tuple(
        Action(verb=Verb.TAKE_OUT, place=place, takes_out=kind, takes_out_label=supply.label(kind))
        for place, kind in found
        if kind in supply.kinds and has_way_to(sheet, place)
    )


def may_come_free(sheet: ModelSheet, findings: Findings) -> frozenset[str]:
    """Part kinds of the kit of disks that a plan may take out: it could serve other units."""
    drives = {place.key: findings.drive(place.key) for place in sheet.drives_of(findings.trim)}
    leaving = {
        key
        for key, drive in drives.items()
        if drive.state is PlaceState.FAULTY
        or (drive.state is PlaceState.PRESENT and drive.spinning)
    }
    return frozenset(
        part.kind
        for part in sheet.parts_of(findings.trim)
        if part.only_with_drive_in in leaving and findings.part(part.key) is PartState.PRESENT
    )


def donor(
    findings: Findings,
    gives: tuple[Action, ...],
    minutes: RouteMinutes,
    policy: Policy,
) -> Option:
    """Take the unit apart as far as something is used.

    What comes out of a unit that does not start is tried first.
    """

    def labour(work: float) -> int:
        return round(work * policy.labour_cents_per_hour / 60)

    tried = 0.0 if findings.starts else policy.part_test_minutes
    pieces = [round(minutes.at_part(action) + tried, 2) for action in gives]
    layers = minutes.layers(findings, tuple(action.place for action in gives))
    return Option(
        outcome=OutcomeKind.DONOR,
        actions=gives,
        yields=counts(Counter(action.takes_out for action in gives)),
        fees_cents=policy.recycle_cents,
        pieces=tuple(Piece(minutes=work, labour_cents=labour(work)) for work in pieces),
        layers=tuple(
            Layer(minutes=work, labour_cents=labour(work), over=over) for over, work in layers
        ),
    )
