"""Another board: where it failed, or where one with more soldered memory may pay."""

from sortis_core.actions import Action, Verb
from sortis_core.base import listed
from sortis_core.configuration import Aspect
from sortis_core.facts.configuration import built_with
from sortis_core.facts.functions import board_failed
from sortis_core.findings import Findings
from sortis_core.gates.ways import NoWay
from sortis_core.options.harvest import board_in
from sortis_core.policy import BoardSchool, Policy
from sortis_core.sheets import BOARD, BoardVariant, ModelSheet
from sortis_core.supply import Supply


def board_swaps(
    sheet: ModelSheet,
    findings: Findings,
    supply: Supply,
    policy: Policy,
    asked: tuple[Aspect, ...] = (),
) -> tuple[tuple[BoardVariant, Action], ...]:
    """Boards that may go in: any where the board failed, else those that bring what it lacks.

    That is more soldered memory, or another processor where some price or gate asks about it.

    :param asked: what of the configuration prices and gates ask about.

    :raises NoWay: where the board failed and none may or can go in.
    """
    failed = board_failed(sheet, findings)
    if policy.board is BoardSchool.NEVER_SWAP:
        if failed:
            raise NoWay("The board failed, and boards are never swapped here.")
        return ()
    held = findings.soldered_gb or 0
    processor = built_with(sheet, findings, Aspect.PROCESSOR)
    other = processor if Aspect.PROCESSOR in asked else ""
    wanted = [
        board
        for board in sheet.boards
        if board.kind
        and (
            failed
            or board.soldered_gb > held
            or (other and board.processor not in ("", other) and board.soldered_gb >= held)
        )
    ]
    found = tuple(
        (
            board,
            Action(
                verb=Verb.FIT,
                place=BOARD,
                kind=board.kind,
                takes_out=board_in(sheet, findings),
                takes_out_label="old board",
            ),
        )
        for board in wanted
        if supply.has(board.kind)
    )
    if failed and not found:
        labels = listed([supply.label(board.kind) for board in wanted], "or")
        raise NoWay(f"The board failed and no {labels or 'other board'} is in stock or on offer.")
    return found
