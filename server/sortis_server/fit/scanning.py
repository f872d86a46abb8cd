"""A part is scanned before it is fitted: the right one is confirmed, any other refused."""

import re

from django.db import transaction

from sortis_core.actions import main_place
from sortis_core.base import SortisError, listed
from sortis_server.arrive.models import Unit
from sortis_server.inspect.services import sheet_of
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.orders.orders import order_of
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot
from sortis_server.stock.services import lot_code, promise, unpromise


class WrongPart(SortisError):
    """The scanned part is not the one promised; the sentence says what it is."""

    title = "Not this part"


def scan_part(tag: str, code: str, by: Person, *, instead: bool = False) -> WorkOrderRow:
    """Confirm that a scanned part is one that the order was promised.

    :param code: the code on the label of the lot, like LOT-12.
    :param instead: take it from this lot, though another of the same kind was promised.
    :raises WrongPart: with what the scanned lot is, and whom it is promised to.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        order = order_of(unit)
        lot = _lot(code)
        waiting = list(
            order.reservations.select_for_update()
            .filter(taken=False, lot__isnull=False)
            .select_related("lot")
            .order_by("place")
        )
        mine = [row for row in waiting if row.lot_id == lot.pk]
        if unconfirmed := [row for row in mine if row.confirmed_by_id is None]:
            unconfirmed[0].confirmed_by = by
            unconfirmed[0].save()
            return order
        if mine:
            raise WrongPart(
                f"{lot_code(lot)} is confirmed already: {len(mine)} of it are for {tag}, and all "
                "were scanned."
            )
        same_kind = [row for row in waiting if row.kind_id == lot.kind_id]
        label = lot.kind.label
        if not same_kind:
            raise WrongPart(_not_wanted(unit, waiting, lot, label))
        wanted = same_kind[0]
        free = lot.on_hand - lot.promised
        if not lot.condition.usable:
            raise WrongPart(f"{lot_code(lot)}, {label}, is {lot.condition}. It cannot be fitted.")
        if free < 1:
            raise WrongPart(
                f"{lot_code(lot)}, {label}, is promised to {_holders(lot) or 'others'}. "
                f"{tag} gets its own from {lot_code(wanted.lot)}, {wanted.lot.place}."
            )
        if not instead:
            raise WrongPart(
                f"This is {lot_code(lot)}, {lot.place}, {lot.condition}. {tag} was promised "
                f"{lot_code(wanted.lot)}, {wanted.lot.place}, {wanted.lot.condition}. "
                f"{free} of this lot {'is' if free == 1 else 'are'} free.",
                instead=code,
            )
        unpromise(wanted.lot)
        wanted.lot = promise(lot.pk)
        wanted.confirmed_by = by
        wanted.save()
        return order


def _lot(code: str) -> Lot:
    match = re.fullmatch(r"\s*(?:lot[- ]?)?(\d{1,9})\s*", code, re.IGNORECASE)
    lot = Lot.objects.select_related("kind").filter(pk=match[1]).first() if match else None
    if lot is None:
        raise WrongPart(
            f"“{code.strip()[:30]}” is the code of no lot. Scan the label on the drawer or the "
            "part; it reads like LOT-12."
        )
    return lot


def _holders(lot: Lot) -> str:
    rows = lot.reservation_set.filter(taken=False).select_related("order__unit")
    return listed(sorted({row.order.unit.tag for row in rows}))


def _not_wanted(unit: Unit, waiting: list[Reservation], lot: Lot, label: str) -> str:
    sheet = sheet_of(unit)
    wants = [f"{row.kind.label} for {sheet.label_of(main_place(row.place))}" for row in waiting]
    said = listed(wants) if wants else "nothing from the store"
    return f"{lot_code(lot)} holds {label}. {unit.tag} wants {said}."
