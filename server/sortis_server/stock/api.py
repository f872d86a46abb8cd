"""The store: what is there, what is promised, what is on its way."""

from datetime import datetime, timedelta

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_server.people.models import Role
from sortis_server.people.roles import person_with
from sortis_server.stock.models import Lot, Movement, OfferRow, Purchase
from sortis_server.stock.services import part_kinds, receive

router = Router(tags=["stock"])
NEWEST_MOVEMENTS = 40


class LotView(BaseModel):
    """One lot."""

    id: int
    condition: str
    place: str
    on_hand: int
    promised: int
    unit_cost_cents: int


class OfferView(BaseModel):
    """One offer."""

    supplier: str
    price_cents: int
    limit: int
    days: int


class KindView(BaseModel):
    """A part kind with its lots and offers."""

    key: str
    label: str
    type: str
    lots: list[LotView]
    offers: list[OfferView]
    free: int


class PurchaseView(BaseModel):
    """Parts on their way."""

    id: int
    label: str
    supplier: str
    count: int
    batch: str
    due: datetime
    arrived: bool


class MovementView(BaseModel):
    """One change of a count."""

    label: str
    change: int
    place: str
    reason: str
    unit: str
    by: str
    at: datetime


class StockView(BaseModel):
    """The whole store."""

    kinds: list[KindView]
    purchases: list[PurchaseView]
    movements: list[MovementView]


class Arrived(BaseModel):
    """Where the parts were put."""

    place: str = Field(min_length=1, max_length=60)


def _stock() -> StockView:
    kinds = part_kinds()
    lots: dict[str, list[LotView]] = {}
    for lot in Lot.objects.filter(on_hand__gt=0).select_related("kind").order_by("place"):
        lots.setdefault(lot.kind.key, []).append(
            LotView(
                id=lot.pk,
                condition=lot.condition,
                place=lot.place,
                on_hand=lot.on_hand,
                promised=lot.promised,
                unit_cost_cents=lot.unit_cost_cents,
            )
        )
    offers: dict[str, list[OfferView]] = {}
    for offer in OfferRow.objects.select_related("kind").order_by("price_cents"):
        offers.setdefault(offer.kind.key, []).append(
            OfferView(
                supplier=offer.supplier,
                price_cents=offer.price_cents,
                limit=offer.limit,
                days=offer.days,
            )
        )
    purchases = Purchase.objects.select_related("offer__kind", "batch").order_by("-pk")
    movements = Movement.objects.select_related("lot__kind", "unit", "by").order_by("-pk")
    return StockView(
        kinds=[
            KindView(
                key=key,
                label=kind.label,
                type=kind.facts.type,
                lots=lots.get(key, []),
                offers=offers.get(key, []),
                free=sum(lot.on_hand - lot.promised for lot in lots.get(key, [])),
            )
            for key, kind in kinds.items()
        ],
        purchases=[
            PurchaseView(
                id=row.pk,
                label=kinds[row.offer.kind.key].label,
                supplier=row.offer.supplier,
                count=row.count,
                batch=row.batch.name,
                due=row.ordered_at + timedelta(days=row.offer.days),
                arrived=row.lot_id is not None,
            )
            for row in purchases
        ],
        movements=[
            MovementView(
                label=kinds[row.lot.kind.key].label,
                change=row.change,
                place=row.lot.place,
                reason=row.reason,
                unit=row.unit.tag if row.unit else "",
                by=row.by.name,
                at=row.at,
            )
            for row in movements[:NEWEST_MOVEMENTS]
        ],
    )


@router.get("", response=StockView)
def stock(request: HttpRequest):
    """The whole store."""
    return _stock()


@router.post("/purchases/{purchase}/arrived", response=StockView)
def arrived(request: HttpRequest, purchase: int, given: Arrived):
    """Book a purchase into the store."""
    person = person_with(request, Role.STOREKEEPER, "Booking parts in")
    receive(purchase, given.place, person)
    return _stock()
