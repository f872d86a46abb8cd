"""What is wrong with a route: circles, parts it never reaches, screws that never return."""

from collections.abc import Iterator

from sortis_core.base import Record, listed
from sortis_core.route.graph import Depth, Route, RouteStep
from sortis_core.sheets import BOARD, Connector, ModelSheet

MOST_NAMED = 8


class RouteGap(Record):
    """One thing that a route leaves open: where, what is so, what to do."""

    where: str
    sentence: str


def circles(route: Route) -> tuple[RouteGap, ...]:
    """Steps that wait for each other, so that none of them can ever be done."""
    left = {step.key: {*step.after, *step.either} for step in route.steps}
    waits: dict[str, list[str]] = {key: [] for key in left}
    open_before = {key: sum(one in left for one in after) for key, after in left.items()}
    for key, after in left.items():
        for before in after & left.keys():
            waits[before].append(key)
    free = [key for key, count in open_before.items() if not count]
    while free:
        done = free.pop()
        del left[done]
        for key in waits[done]:
            open_before[key] -= 1
            if not open_before[key]:
                free.append(key)
    if not left:
        return ()
    named = sorted(left)
    more = f" and {len(named) - MOST_NAMED} more" if len(named) > MOST_NAMED else ""
    return (
        RouteGap(
            where="route › steps",
            sentence=f"{listed(named[:MOST_NAMED])}{more} wait for each other in a circle. Take "
            "one of their “after” out.",
        ),
    )


def route_gaps(sheet: ModelSheet) -> tuple[RouteGap, ...]:
    """Everything a technician would miss; a sheet with gaps can be kept, but not worked by."""
    return tuple(_gaps(sheet))


def has_way_to(sheet: ModelSheet, place: str) -> bool:
    """Whether the sheet says how a place is reached, or that it lies outside."""
    return sheet.route.reach(place) is not None or place in sheet.route.outside


def _gaps(sheet: ModelSheet) -> Iterator[RouteGap]:
    route = sheet.route
    boards = {board.kind for board in sheet.boards if board.kind}
    soldered = {d.key for d in sheet.drives if d.connector is Connector.EMMC}
    mended_by_board = {t.key for t in sheet.tests if t.repair and t.repair.kind in boards}
    never = (
        {t.key for t in sheet.tests if t.repair is None and t.attempt is None}
        | soldered
        | mended_by_board
    )
    for place in sheet.places:
        if place.key not in never and not has_way_to(sheet, place.key):
            yield RouteGap(
                where="route › reaches",
                sentence=f"Nothing says how {place.label} is reached. Add it to the places that "
                "are reached, or to those that lie outside.",
            )
    if sheet.firmware_switches_pack_off != any(step.firmware for step in route.steps):
        says = "says" if sheet.firmware_switches_pack_off else "does not say"
        yield RouteGap(
            where="route › steps",
            sentence=f"The sheet {says} that the firmware switches the pack off, and its route "
            "knows otherwise. Mark the step that does so, or take the mark off.",
        )
    if boards:
        yield from _board(sheet)
    needed = {
        key for reach in route.reaches for key in (*reach.after, *reach.either, reach.carried_by)
    }
    needed |= {key for step in route.steps for key in (*step.after, *step.either)}
    inside = [step for step in route.steps if step.depth is not Depth.OUTSIDE]
    for step in route.steps:
        yield from _step(step, needed)
    if inside and not any(step.isolates for step in route.steps):
        yield RouteGap(
            where="route › steps",
            sentence="No step isolates the board. Mark the one after which nothing feeds it.",
        )
    for reach in route.reaches:
        if any(not screws.captive for screws in reach.screws) and not reach.put_in:
            yield RouteGap(
                where=f"route › reaches › {reach.place}",
                sentence=f"Screws come out at {sheet.label_of(reach.place)} and nothing says how "
                "they go in again. Write how it is put in.",
            )


def _step(step: RouteStep, needed: set[str]) -> Iterator[RouteGap]:
    where = f"route › steps › {step.key}"
    loose = sum(screws.count for screws in step.screws if not screws.captive)
    if loose and not step.minutes_back:
        yield RouteGap(
            where=where,
            sentence=f"{loose} screws of “{step.title}” never return: its way back takes no time. "
            "Give the minutes back.",
        )
    if step.key not in needed and not step.back_only and not step.isolates:
        yield RouteGap(
            where=where,
            sentence=f"“{step.title}” leads to nothing. Let a place or a step wait for it, or take "
            "it out.",
        )
    if step.back_only and not step.after:
        yield RouteGap(
            where=where,
            sentence=f"“{step.title}” is done on the way back and waits for nothing. Say after "
            "which step.",
        )


def _board(sheet: ModelSheet) -> Iterator[RouteGap]:
    """Another board needs a step that lifts the old one, and everything that sits on it to move."""
    board = sheet.route.reach(BOARD)
    if board is None or not board.carried_by:
        yield RouteGap(
            where="route › reaches › board",
            sentence="Another board can go in, and no step lifts the old one. Say which step it "
            "comes out with.",
        )
        return
    moved = {over.place for over in board.hands_over}
    on_board = [slot.key for slot in sheet.memory.slots]
    on_board += [d.key for d in sheet.drives if d.connector in (Connector.M2, Connector.MSATA)]
    if lost := [key for key in on_board if key not in moved]:
        yield RouteGap(
            where="route › reaches › board",
            sentence=f"{listed([sheet.label_of(key) for key in lost])} would stay on the old "
            "board. Add it to what is handed over.",
        )
