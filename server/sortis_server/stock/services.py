"""Move parts. Every change of a count is a movement written in the same transaction."""

from collections import Counter
from collections.abc import Set
from datetime import date, timedelta

from django.db import IntegrityError, transaction
from django.db.models import Count, F, Q, Sum
from django.dispatch import Signal

from sortis_core.base import SortisError
from sortis_core.codes import numbered_code
from sortis_core.stock import Condition, DriveEnd
from sortis_core.stock import Lot as CoreLot
from sortis_core.vocabulary.states import CodeKind, PurchaseState
from sortis_server.arrive.models import Batch, Unit
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.sources import Source, SourceKind, source_of
from sortis_server.stock.models import Act, Lot, Movement, Purchase
from sortis_server.workshop.models import OfferRow, PartKindRow
from sortis_server.workshop.services import core_offer, part_kind

parts_arrived = Signal()
"""Usable parts came into the store; ``kind`` is their row. What waits for them listens."""
promise_lost = Signal()
"""A promised part turned out bad; ``reservation`` is left with nothing. Its order listens."""


class StockRefused(SortisError):
    """The count does not allow it."""

    title = "The stock does not allow it"


def free_lots(also: Set[str] = frozenset()) -> tuple[CoreLot, ...]:
    """What lies in the store and is promised to nobody, as the core sees it.

    :param also: keys of lots to list even where all is promised.
    """
    wanted = [one.id for one in map(source_of, also) if one.kind is SourceKind.LOT]
    rows = Lot.objects.filter(Q(on_hand__gt=F("promised")) | Q(pk__in=wanted))
    return tuple(
        CoreLot(
            key=Source(SourceKind.LOT, row.pk).key,
            kind=row.kind.key,
            condition=row.condition,
            place=row.place,
            count=row.on_hand - row.promised,
            unit_cost_cents=row.unit_cost_cents,
        )
        for row in rows.select_related("kind").order_by("pk")
    )


def free_of_kinds() -> Counter[str]:
    """What is usable and promised to nobody, by part kind."""
    rows = Lot.objects.filter(condition__in=[one for one in Condition if one.usable])
    told = rows.values("kind__key").annotate(n=Sum(F("on_hand") - F("promised")))
    return Counter({row["kind__key"]: row["n"] for row in told})


def coming_of_kinds() -> Counter[str]:
    """What was bought, has not come and waits for no unit, by part kind."""
    found: Counter[str] = Counter()
    for lot in incoming_lots():
        found[lot.kind] += lot.count
    return found


def kinds_below_least() -> dict[str, int]:
    """Part kinds of which fewer lie free or are coming than the workshop wants -> how many lack."""
    free, coming = free_of_kinds(), coming_of_kinds()
    rows = PartKindRow.objects.filter(least__gt=0)
    short = {row.key: part_kind(row).short(free[row.key], coming[row.key]) for row in rows}
    return {key: count for key, count in short.items() if count}


def incoming_lots(also: Set[str] = frozenset()) -> tuple[CoreLot, ...]:
    """Parts bought before that are on their way and promised to nobody.

    :param also: keys of purchases to list even where all of them is promised.
    """
    rows = Purchase.objects.filter(lot=None)
    rows = rows.annotate(taken=Count("reservation", filter=Q(reservation__lot=None)))
    return tuple(
        CoreLot(
            key=Source(SourceKind.PURCHASE, row.pk).key,
            kind=row.offer.kind.key,
            condition=Condition.NEW,
            place=f"on its way from {row.offer.supplier}",
            count=row.count - row.taken,
            unit_cost_cents=row.price_cents,
            days=max(0, (expected_on(row) - date.today()).days),
        )
        for row in rows.select_related("offer__kind").order_by("pk")
        if row.count > row.taken or Source(SourceKind.PURCHASE, row.pk).key in also
    )


def expected_on(purchase: Purchase) -> date:
    """When a purchase should be here; what nobody ordered yet, as if it were ordered today."""
    if purchase.due_on:
        return purchase.due_on
    unsent = purchase.state == PurchaseState.PLANNED
    began = date.today() if unsent else purchase.planned_at.date()
    return began + timedelta(days=purchase.offer.days)


def lot_code(lot: Lot) -> str:
    """What the label of a lot says, and what a scan of it reads."""
    return numbered_code(CodeKind.LOT, lot.pk)


def move(
    lot: Lot,
    change: int,
    reason: str,
    by: Person,
    unit: Unit | None = None,
    act: Act | None = None,
    drive_end: DriveEnd | None = None,
) -> None:
    """Add one movement and carry it into the count.

    :param act: what it is part of, so that it can be taken back with it.
    :param drive_end: how drives that held data left by it.

    :raises StockRefused: where the count would fall below zero or below what is promised.
    """
    try:
        with transaction.atomic():
            Lot.objects.filter(pk=lot.pk).update(on_hand=F("on_hand") + change)
            Movement.objects.create(
                lot=lot,
                change=change,
                reason=reason,
                unit=unit,
                by=by,
                act=act,
                drive_end=drive_end or "",
            )
    except IntegrityError as error:
        raise StockRefused(
            f"{lot.kind.key} at {lot.place}: there are not {abs(change)} free. Count the lot, or "
            "take the part from another one."
        ) from error


def new_lot(
    kind: PartKindRow,
    condition: Condition,
    place: str,
    unit_cost_cents: int,
    *,
    out_of: Unit | None = None,
    record: str = "",
    merge: bool = True,
) -> Lot:
    """The lot of this kind, condition, place, cost and provenance; made where there is none yet."""
    found = {
        "kind": kind,
        "condition": condition,
        "place": place,
        "unit_cost_cents": unit_cost_cents,
        "out_of": out_of,
        "record": record,
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


def promise_incoming(purchase_id: int, count: int) -> None:
    """See that a purchase on its way has so many parts that nobody waits for.

    :raises StaleVersion: where it has not, or came in meanwhile.
    """
    purchase = Purchase.objects.select_for_update().filter(pk=purchase_id).first()
    free = 0
    if purchase and purchase.lot_id is None:
        free = purchase.count - purchase.reservation_set.count()
    if free < count:
        raise StaleVersion(
            "Parts on their way that this plan counts on came in or were promised meanwhile. "
            "Nothing was approved. Plan again."
        )


def unpromise(lot: Lot, count: int = 1) -> None:
    """Give a promise back."""
    Lot.objects.filter(pk=lot.pk).update(promised=F("promised") - count)


def plan_purchase(offer_id: int, batch: Batch, count: int, plan_id: int | None) -> Purchase:
    """Take parts off an offer; the purchase waits to be sent to the supplier.

    :param plan_id: the plan whose approval asks for it.

    :raises StaleVersion: where fewer are to be had than the plan reckoned with.
    """
    changed = OfferRow.objects.filter(pk=offer_id, limit__gte=count).update(
        limit=F("limit") - count
    )
    offer = OfferRow.objects.select_related("kind").filter(pk=offer_id).first()
    if offer is None or not changed:
        left = f"{offer.supplier} has only {offer.limit} {offer.kind.key}" if offer else "The offer"
        raise StaleVersion(
            f"{left} left. Nothing was approved. Plan again."
            if offer
            else "An offer of this plan is gone. Nothing was approved. Plan again."
        )
    price = core_offer(offer).each_cents(count)
    return Purchase.objects.create(
        offer=offer, batch=batch, count=count, price_cents=price, plan_id=plan_id
    )


def change_purchase(purchase_id: int, count: int) -> Purchase:
    """Buy more or fewer before the order is sent; never fewer than work orders wait for.

    :raises NotThere: for an unknown purchase. :raises StockRefused: where it is ordered, or the
        offer or what waits does not allow it.
    """
    with transaction.atomic():
        purchase = Purchase.objects.select_for_update().filter(pk=purchase_id).first()
        if purchase is None:
            raise NotThere("There is no such purchase.")
        if purchase.state != PurchaseState.PLANNED:
            raise StockRefused(f"The purchase is {purchase.state}; it is changed at the supplier.")
        waiting = purchase.reservation_set.filter(lot=None).count()
        if count < waiting:
            raise StockRefused(
                f"{waiting} of them are promised to work orders. Take the plan back, or plan "
                "again, before fewer are bought."
            )
        offer, more = purchase.offer, count - purchase.count
        if count % offer.pack_size:
            raise StockRefused(
                f"{offer.supplier} sells them in packs of {offer.pack_size}; {count} is none."
            )
        changed = OfferRow.objects.filter(pk=offer.pk, limit__gte=more).update(
            limit=F("limit") - more
        )
        if not changed:
            raise StockRefused(f"{offer.supplier} has only {offer.limit} more to sell.")
        if count == 0:
            purchase.delete()
            return purchase
        purchase.count, purchase.price_cents = count, core_offer(offer).each_cents(count)
        purchase.save()
        return purchase


def unplan_purchase(purchase: Purchase) -> None:
    """A purchase that nobody ordered is wanted no more; its parts are to be had again."""
    OfferRow.objects.filter(pk=purchase.offer_id).update(limit=F("limit") + purchase.count)
    purchase.delete()
