"""Parts of a work order: they leave the store, enter it, and are promised or given back."""

from collections import Counter

from django.db import transaction
from django.dispatch import receiver

from sortis_core.actions import Action
from sortis_core.base import SortisError
from sortis_core.documents import read_document
from sortis_core.findings import Findings, Origin, OriginKind
from sortis_core.route.work import WorkOrder
from sortis_core.stages import Stage
from sortis_core.stock import PartKind, condition_out_of_unit
from sortis_core.vocabulary.states import OrderState
from sortis_server.arrive.models import Unit
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot
from sortis_server.stock.services import move, new_lot, promise, promise_lost, unpromise
from sortis_server.workshop.models import PartKindRow


class StepRefused(SortisError):
    """The step cannot be ticked now."""

    title = "The step was not ticked"


def take(unit: Unit, order: WorkOrderRow, place: str, label: str, by: Person) -> None:
    """One promised part leaves its lot for the unit.

    :raises StepRefused: where the part is not there, or not usable yet.
    """
    reservation = order.reservations.select_for_update().get(place=place)
    if reservation.lot is None:
        if reservation.giver:
            raise StepRefused(
                f"{label} is still in {reservation.giver.tag}. Take it out there first."
            )
        if reservation.purchase:
            raise StepRefused(
                f"{label} is on order and not here yet. Book it in under Stock first."
            )
        raise StepRefused(
            f"The {label} promised to {unit.tag} is gone. Press ! and say that the part to fit is "
            "wrong or broken; the unit is then planned again."
        )
    if asks := reservation.lot.condition.asks:
        raise StepRefused(f"{label} {reservation.lot.place} {asks}")
    unpromise(reservation.lot)
    move(reservation.lot, -1, f"fitted into {unit.tag}", by, unit)
    reservation.taken = True
    reservation.save()


def put_into_store(
    unit: Unit, findings: Findings, action: Action, kinds: dict[str, PartKind], by: Person
) -> None:
    """What comes out enters the store: promised to whoever waits for it, else free."""
    if not action.takes_out:
        return
    kind = kinds[action.takes_out]
    condition = condition_out_of_unit(kind, starts=findings.starts)
    row = PartKindRow.objects.get(key=kind.key)
    lot = new_lot(row, condition, f"out of {unit.tag}", kind.harvest_value_cents, out_of=unit)
    move(lot, 1, f"taken out of {unit.tag}", by, unit)
    waiting = (
        waiters(unit)
        .select_for_update()
        .filter(kind=row)
        .order_by("order__unit__tag", "place")
        .first()
    )
    if waiting:
        waiting.lot, waiting.giver = promise(lot.pk), None
        waiting.save()


def undo(unit: Unit, order: WorkOrderRow, action: Action, by: Person) -> None:
    """The part goes back to where it was.

    :raises StepRefused: where what came out sits in another unit already.
    """
    if action.takes_out:
        # What waited may have been settled into another lot of the same place meanwhile.
        lots = Lot.objects.select_for_update().filter(
            kind__key=action.takes_out, out_of=unit, on_hand__gt=0
        )
        lot = lots.order_by("-pk").first()
        if lot is None:
            raise StepRefused(
                f"What came out of {unit.tag} is in another unit already, so this step stays done."
            )
        promised = (
            Reservation.objects.select_for_update()
            .filter(lot=lot, taken=False)
            .order_by("-order__unit__tag")
            .first()
        )
        if promised and lot.promised == lot.on_hand:
            # Whoever it was promised to waits for this unit again.
            promised.lot, promised.giver = None, unit
            promised.save()
            unpromise(lot)
        move(lot, -1, f"put back into {unit.tag}", by, unit)
    for place, _ in action.parts:
        reservation = order.reservations.get(place=place)
        move(reservation.lot, 1, f"taken back out of {unit.tag}", by, unit)
        reservation.lot = promise(reservation.lot.pk)
        reservation.taken = False
        reservation.save()


def origins_of(order: WorkOrderRow) -> dict[str, Origin]:
    """Where each part that an order put in came from, by place."""
    taken = order.reservations.filter(taken=True).select_related("lot__out_of")
    return {row.place: _origin(row.lot) for row in taken if row.lot}


def _origin(lot: Lot) -> Origin:
    return Origin(
        kind=OriginKind.MOVED if lot.out_of else OriginKind.FITTED,
        lot=lot.pk,
        unit=lot.out_of.tag if lot.out_of else "",
        record=lot.record,
    )


def give_back(order: WorkOrderRow) -> None:
    """Give back everything that is promised to an order and not fitted yet."""
    for reservation in order.reservations.select_for_update().filter(taken=False):
        if reservation.lot:
            unpromise(reservation.lot)
        reservation.delete()


def end(order: WorkOrderRow, words: str) -> None:
    """End an order before its last step; how the unit lies is kept for its next one."""
    begun = read_document(WorkOrder, order.document).begun_after(order.done_steps)
    order.left_open = begun.model_dump(mode="json") if begun.opened else None
    order.state, order.words = OrderState.STOPPED, words[:400]
    order.worker = order.clock_from = None
    order.version += 1
    order.save()


def waiters(unit: Unit):
    """Promises of open orders that wait for a part of this unit."""
    return Reservation.objects.filter(
        giver=unit, lot=None, taken=False, order__state=OrderState.OPEN
    ).select_related("order__unit", "kind")


def let_waiters_go(unit: Unit, still_gives: Counter[str]) -> list[str]:
    """Units that waited for a part which this one no longer gives are planned again.

    :param still_gives: part kinds that it will give all the same.
    :returns: their tags.
    """
    tags: list[str] = []
    left = still_gives.copy()
    for reservation in waiters(unit).order_by("order__unit__tag", "place"):
        if left[reservation.kind.key] > 0:
            left[reservation.kind.key] -= 1
            continue
        reservation.giver, reservation.lost = None, True
        reservation.save()
        tags.append(reservation.order.unit.tag)
        withdraw_unbegun(reservation)
    return sorted(set(tags))


@receiver(promise_lost)
def _lost(sender: type, reservation: Reservation, **_: object) -> None:
    withdraw_unbegun(reservation)


def withdraw_unbegun(reservation: Reservation) -> None:
    """An order that lost a part and was not begun is withdrawn; its unit waits to be decided."""
    if WorkOrderRow.objects.filter(pk=reservation.order_id, begun_at__isnull=False).exists():
        return
    with transaction.atomic():
        order = WorkOrderRow.objects.select_for_update().get(pk=reservation.order_id)
        if order.begun_at or order.state != OrderState.OPEN:
            return
        label = reservation.kind.label
        unit = Unit.objects.select_for_update().get(pk=order.unit_id)
        give_back(order)
        end(order, f"The {label} promised to it is gone.")
        unit.stage = Stage.DECIDE
        unit.save()
