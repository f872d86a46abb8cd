"""Move parts. Every change of a count is a movement written in the same transaction."""

from django.db import IntegrityError, transaction
from django.db.models import F, Q

from sortis_core.base import SortisError
from sortis_core.stock import Condition, PartKind
from sortis_core.stock import Lot as CoreLot
from sortis_core.stock import Offer as CoreOffer
from sortis_server.arrive.models import Batch, Unit
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.stock.models import Lot, Movement, OfferRow, PartKindRow, Purchase


class StockRefused(SortisError):
    """The count does not allow it."""

    title = "The stock does not allow it"


def part_kinds() -> dict[str, PartKind]:
    """All part kinds by key."""
    rows = PartKindRow.objects.order_by("key")
    return {row.key: PartKind.model_validate(row.document) for row in rows}


def free_lots() -> tuple[CoreLot, ...]:
    """What lies in the store and is promised to nobody, as the core sees it."""
    rows = Lot.objects.filter(on_hand__gt=F("promised")).select_related("kind").order_by("pk")
    return tuple(
        CoreLot(
            key=f"lot-{row.pk}",
            kind=row.kind.key,
            condition=Condition(row.condition),
            place=row.place,
            count=row.on_hand - row.promised,
            unit_cost_cents=row.unit_cost_cents,
        )
        for row in rows
    )


def open_offers() -> tuple[CoreOffer, ...]:
    """What can still be bought, as the core sees it."""
    rows = OfferRow.objects.filter(limit__gt=0).select_related("kind").order_by("pk")
    return tuple(
        CoreOffer(
            key=f"offer-{row.pk}",
            kind=row.kind.key,
            supplier=row.supplier,
            price_cents=row.price_cents,
            limit=row.limit,
            days=row.days,
        )
        for row in rows
    )


def move(lot: Lot, change: int, reason: str, by: Person, unit: Unit | None = None) -> None:
    """Add one movement and carry it into the count.

    :raises StockRefused: where the count would fall below zero or below what is promised.
    """
    try:
        with transaction.atomic():
            Lot.objects.filter(pk=lot.pk).update(on_hand=F("on_hand") + change)
            Movement.objects.create(lot=lot, change=change, reason=reason, unit=unit, by=by)
    except IntegrityError as error:
        raise StockRefused(
            f"{lot.kind.key} at {lot.place}: there are not {abs(change)} free. Count the lot, or "
            "take the part from another one."
        ) from error


def new_lot(
    kind: PartKindRow, condition: Condition, place: str, unit_cost_cents: int, *, merge: bool = True
) -> Lot:
    """The lot of this kind, condition, place and cost; made where there is none yet."""
    found = {
        "kind": kind,
        "condition": condition,
        "place": place,
        "unit_cost_cents": unit_cost_cents,
    }
    lot = Lot.objects.filter(**found).first() if merge else None
    return lot or Lot.objects.create(**found)


def promise(lot_id: int, count: int = 1) -> Lot:
    """Promise parts of a lot to a work order.

    :raises StaleVersion: where somebody else was faster.
    """
    changed = Lot.objects.filter(Q(pk=lot_id), Q(on_hand__gte=F("promised") + count)).update(
        promised=F("promised") + count
    )
    lot = Lot.objects.select_related("kind").get(pk=lot_id)
    if not changed:
        raise StaleVersion(
            f"{lot.kind.key} at {lot.place} has been promised to another plan meanwhile. "
            "Nothing was approved. Plan again; the new plan counts what is left."
        )
    return lot


def unpromise(lot: Lot, count: int = 1) -> None:
    """Give a promise back."""
    Lot.objects.filter(pk=lot.pk).update(promised=F("promised") - count)


def order_parts(offer_id: int, batch: Batch, count: int) -> Purchase:
    """Order parts on an offer.

    :raises StaleVersion: where fewer are to be had than the plan reckoned with.
    """
    changed = OfferRow.objects.filter(pk=offer_id, limit__gte=count).update(
        limit=F("limit") - count
    )
    offer = OfferRow.objects.select_related("kind").get(pk=offer_id)
    if not changed:
        raise StaleVersion(
            f"{offer.supplier} has only {offer.limit} {offer.kind.key} left. Nothing was approved. "
            "Plan again."
        )
    return Purchase.objects.create(offer=offer, batch=batch, count=count)


def receive(purchase_id: int, place: str, by: Person) -> Purchase:
    """Book an ordered purchase into the store and hand it to the orders that wait for it.

    :raises NotThere: for an unknown purchase. :raises StockRefused: where it came already.
    """
    with transaction.atomic():
        purchase = (
            Purchase.objects.select_for_update()
            .select_related("offer__kind", "batch")
            .filter(pk=purchase_id)
            .first()
        )
        if purchase is None:
            raise NotThere("There is no such purchase.")
        if purchase.lot_id:
            raise StockRefused("This purchase was booked in already.")
        offer = purchase.offer
        lot = new_lot(offer.kind, Condition.NEW, place, offer.price_cents, merge=False)
        move(lot, purchase.count, f"received from {offer.supplier}", by)
        purchase.lot = lot
        purchase.save()
        waiting = purchase.reservation_set.select_for_update().filter(lot=None)
        for reservation in waiting:
            reservation.lot = promise(lot.pk)
            reservation.save()
        return purchase
