"""What completes a unit: missing parts, repairs, another board."""

from sortis_core.actions import Action, board_tests
from sortis_core.assess.completeness import lacking_parts
from sortis_core.base import listed
from sortis_core.findings import Findings, PartState, TestState
from sortis_core.options.fillings import Alternative, NoWay
from sortis_core.options.supply import Supply
from sortis_core.sheets import BOARD, BoardVariant, ModelSheet, RequiredPart
from sortis_core.standards import BoardSchool, Policy


def missing_parts(
    sheet: ModelSheet, findings: Findings, filled: frozenset[str], supply: Supply
) -> Alternative:
    """Actions that complete the unit once the drive places ``filled`` hold drives.

    :raises NoWay: where a missing part can neither be taken from stock nor bought nor harvested.
    """
    return tuple(
        _fit_part(part, findings, supply) for part in lacking_parts(sheet, findings, filled)
    )


def _fit_part(part: RequiredPart, findings: Findings, supply: Supply) -> Action:
    if not supply.has(part.kind):
        raise NoWay(f"{part.label} is missing and there is none in stock or on offer.")
    broken = findings.part(part.key) is PartState.BROKEN
    return Action(
        verb="fit",
        place=part.key,
        kind=part.kind,
        takes_out_label=f"broken {part.label}" if broken else "",
    )


def repairs(sheet: ModelSheet, findings: Findings, supply: Supply) -> Alternative:
    """Actions for every failed function test whose repair is no board.

    A part that goes in as a set (a touch panel and its cable) brings the rest of the set.

    :raises NoWay: where the sheet says a repair is not worth it, or its part cannot be had.
    """
    actions: list[Action] = []
    lost: list[str] = []
    boards = board_tests(sheet)
    for test in sheet.tests_of(findings.trim):
        if findings.test(test.key) is not TestState.FAILED or test.key in boards:
            continue
        if test.repair is None:
            lost.append(test.label)
            continue
        if not supply.has(test.repair.kind):
            raise NoWay(
                f"{test.label} failed and no {supply.label(test.repair.kind)} is in stock or on "
                "offer."
            )
        actions.append(
            Action(
                verb="fit",
                place=test.key,
                kind=test.repair.kind,
                takes_out_label=f"old {test.label.lower()}",
                extras=_rest_of_set(sheet, findings, test.repair.kind, supply),
            )
        )
    if lost:
        raise NoWay(f"{listed(lost)} failed; the sheet says a repair is not worth it.")
    return tuple(actions)


def _rest_of_set(
    sheet: ModelSheet, findings: Findings, kind: str, supply: Supply
) -> tuple[str, ...]:
    """Kinds that must go in along with a part of this kind and are not missing anyway."""
    lacking = {part.key for part in lacking_parts(sheet, findings)}
    labels = {part.key: part for part in sheet.parts}
    along: list[str] = []
    for part in sheet.parts_of(findings.trim):
        if part.kind != kind:
            continue
        for key in part.goes_with:
            if key in lacking:
                continue
            if not supply.has(labels[key].kind):
                raise NoWay(
                    f"{labels[key].label} goes with it and there is none in stock or on offer."
                )
            along.append(labels[key].kind)
    return tuple(along)


def board_failed(sheet: ModelSheet, findings: Findings) -> bool:
    """Whether a test failed that only another board mends."""
    return any(findings.test(test) is TestState.FAILED for test in board_tests(sheet))


def board_swaps(
    sheet: ModelSheet, findings: Findings, supply: Supply, policy: Policy
) -> tuple[tuple[BoardVariant, Action], ...]:
    """Boards that may go in: any where the board failed, else those with more soldered memory.

    :raises NoWay: where the board failed and none may or can go in.
    """
    failed = board_failed(sheet, findings)
    if policy.board is BoardSchool.NEVER_SWAP:
        if failed:
            raise NoWay("The board failed, and boards are never swapped here.")
        return ()
    held = findings.soldered_gb or 0
    wanted = [
        board for board in sheet.boards if board.kind and (failed or board.soldered_gb > held)
    ]
    found = tuple(
        (
            board,
            Action(verb="fit", place=BOARD, kind=board.kind, takes_out_label="old board"),
        )
        for board in wanted
        if supply.has(board.kind)
    )
    if failed and not found:
        labels = listed([supply.label(board.kind) for board in wanted])
        raise NoWay(f"The board failed and no {labels or 'other board'} is in stock or on offer.")
    return found
