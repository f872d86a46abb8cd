"""The parts of a work order: where each is, and which are not here yet."""

from datetime import date

from pydantic import BaseModel

from sortis_core.actions import main_place
from sortis_core.awaited import is_here
from sortis_core.route.work import WorkOrder
from sortis_core.vocabulary.states import FetchState, PurchaseState
from sortis_server.inspect.services import sheet_of
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.stock.services import expected_on, lot_code

AWAITED_BY = ("kind", "lot", "giver", "purchase")
"""What :func:`awaited` reads of each reservation."""


class Fetch(BaseModel):
    """One part to lay ready."""

    label: str
    for_place: str
    where: str
    lot: str
    """Code on the label of its lot; empty where it lies in none."""
    state: FetchState
    here: bool
    due: date | None
    """When it should come, where it is bought."""
    step: int | None
    """The step that needs it, from 1; None where none that is ahead does."""


def fetch_state(row: Reservation) -> FetchState:
    """Where the part of a reservation is."""
    if row.taken:
        return FetchState.FITTED
    if row.lot:
        if not row.lot.condition.usable:
            return FetchState.TO_BE_TRIED
        return FetchState.CONFIRMED if row.confirmed_by_id else FetchState.READY
    if row.giver:
        return FetchState.IN_UNIT
    if row.purchase:
        unsent = row.purchase.state == PurchaseState.PLANNED
        return FetchState.TO_BE_ORDERED if unsent else FetchState.ON_ORDER
    return FetchState.LOST


def fetches(order: WorkOrderRow, work: WorkOrder) -> list[Fetch]:
    """Every part that an order fits, by its place."""
    sheet = sheet_of(order.unit)
    needed = {
        place: number
        for number, step in reversed(list(enumerate(work.steps, start=1)))
        if number > order.done_steps
        for action in step.actions
        for place, _ in action.parts
    }
    rows = order.reservations.select_related("lot", "purchase__offer", "giver", "kind")
    found: list[Fetch] = []
    for row in rows.order_by("place"):
        state = fetch_state(row)
        found.append(
            Fetch(
                label=row.kind.label,
                for_place=sheet.label_of(main_place(row.place)),
                where=_where(order, row, state),
                lot=lot_code(row.lot) if row.lot and not row.taken else "",
                state=state,
                here=is_here(state),
                due=expected_on(row.purchase) if row.purchase and not row.lot else None,
                step=needed.get(row.place),
            )
        )
    return found


def _where(order: WorkOrderRow, row: Reservation, state: FetchState) -> str:
    if row.taken:
        return f"in {order.unit.tag}"
    if row.lot:
        return row.lot.place
    if row.giver:
        return row.giver.tag
    return row.purchase.offer.supplier if row.purchase else state.label


def awaited(order: WorkOrderRow) -> list[str]:
    """Parts of an order that are not here yet, in words."""
    rows = ((row, fetch_state(row)) for row in order.reservations.all())
    return [
        f"{row.kind.label} ({state.label}{f': {row.giver.tag}' if row.giver else ''})"
        for row, state in rows
        if not is_here(state)
    ]
