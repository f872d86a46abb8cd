"""The store: what is there, what is promised, what is to be bought and on its way."""

from datetime import date, datetime
from typing import Annotated, assert_never

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.counting import Difference
from sortis_core.intake.erasure import LARGEST_BYTES
from sortis_core.labels import size_called
from sortis_core.stock import Condition, DriveEnd, PriceBreak
from sortis_core.takeback import StoreAct
from sortis_core.vocabulary.states import OrderBy, PurchaseState, Role
from sortis_server.devices import supplier_address
from sortis_server.labels import Label, labels_pdf
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.stock.acts import take_act_back
from sortis_server.stock.counting import (
    count_lot,
    keep_round,
    last_movements,
    receive,
    receive_parts,
    settle_lot,
)
from sortis_server.stock.models import Act, Lot, Movement, Purchase
from sortis_server.stock.services import (
    change_purchase,
    coming_of_kinds,
    expected_on,
    free_of_kinds,
    lot_code,
)
from sortis_server.stock.supplier import fetch_quotes, mark_ordered, send_order
from sortis_server.workshop.models import OfferRow
from sortis_server.workshop.services import part_kinds, workshop

router = Router(tags=["stock"])
ReportText = Annotated[str, Field(max_length=LARGEST_BYTES)]
NEWEST_MOVEMENTS = 40
NEWEST_PURCHASES = 100


class LotView(BaseModel):
    """One lot."""

    id: int
    code: str
    """What its label says."""
    kind: str
    label: str
    condition: Condition
    place: str
    on_hand: int
    promised: int
    promised_to: list[str]
    unit_cost_cents: int
    act: int | None = None
    """What was just done to it, to be taken back by."""


class OfferView(BaseModel):
    """One offer."""

    supplier: str
    article: str
    price_cents: int
    limit: int
    days: int
    pack_size: int
    breaks: list[PriceBreak]


class KindView(BaseModel):
    """A part kind with its lots and offers."""

    key: str
    label: str
    type: str
    lots: list[LotView]
    offers: list[OfferView]
    free: int
    least: int
    short: int
    """So many are to be bought for the least to be there."""


class PurchaseView(BaseModel):
    """Parts to be ordered or on their way."""

    id: int
    label: str
    supplier: str
    article: str
    count: int
    price_cents: int
    batch: str
    due: date
    state: PurchaseState
    reference: str
    waiting: list[str]
    """Tags of the units that wait for it."""
    act: int | None = None
    """What was just done to it, to be taken back by."""


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

    supplier: bool
    """Whether a supplier can be called."""
    kinds: list[KindView]
    waiting: list[LotView]
    """Parts that wait to be tried, and drives that wait to be sanitised."""
    purchases: list[PurchaseView]
    movements: list[MovementView]


class Arrived(BaseModel):
    """Where the parts were put, and how many came where not all did."""

    place: str = Field(min_length=1, max_length=60)
    count: int | None = Field(default=None, ge=1)


class Received(BaseModel):
    """Parts that no purchase brought."""

    kind: str
    condition: Condition = Condition.NEW
    place: str = Field(min_length=1, max_length=60)
    count: int = Field(ge=1, le=100_000)
    unit_cost_cents: int = Field(ge=0, le=100_000_000)
    words: str = Field(default="", max_length=100)


class CountedLot(BaseModel):
    """What somebody counted in a lot."""

    counted: int = Field(ge=0, le=100_000)
    words: str = Field(default="", max_length=100)


class RoundLot(BaseModel):
    """A lot that is to be counted; how many there should be is not said."""

    lot: int
    code: str
    label: str
    condition: Condition
    place: str
    last: int
    """Number of its last movement, to tell whether it moved while it was counted."""


class RoundView(BaseModel):
    """What lies in a place, or in all of them, laid open to be counted."""

    places: list[str]
    lots: list[RoundLot]


class RoundCount(BaseModel):
    """How many of one lot were counted."""

    lot: int
    counted: int = Field(ge=0, le=100_000)
    last: int


class KeepRound(BaseModel):
    """What a counting round found; what is not in it was not counted."""

    lots: list[RoundCount] = Field(max_length=5000)


class RoundKept(BaseModel):
    """What was set right."""

    right: int
    differences: list[Difference]
    act: int | None


class Settled(BaseModel):
    """How many of a waiting lot are good and how many bad."""

    good: int = Field(ge=0)
    bad: int = Field(ge=0)
    words: str = Field(default="", max_length=100)
    place: str = Field(default="", max_length=60)
    reports: list[ReportText] = Field(default=[], max_length=50)
    """Of an eraser, one for each drive that is good."""
    drive_end: DriveEnd | None = None
    """How drives that were not sanitised left."""


class PurchaseCount(BaseModel):
    """How many are to be bought."""

    count: int = Field(ge=0, le=1_000_000)


class ActView(BaseModel):
    """What was taken back."""

    kind: StoreAct
    words: str


class Quoted(BaseModel):
    """How many offers there are after the supplier was asked."""

    offers: int


class Purchases(BaseModel):
    """Purchases to order, and how."""

    ids: list[int] = Field(min_length=1, max_length=200)
    how: OrderBy = OrderBy.SUPPLIER
    reference: str = Field(default="", max_length=60)


def _lot(lot: Lot, label: str) -> LotView:
    waits = lot.reservation_set.all()
    return LotView(
        id=lot.pk,
        code=lot_code(lot),
        kind=lot.kind.key,
        label=label,
        condition=lot.condition,
        place=lot.place,
        on_hand=lot.on_hand,
        promised=lot.promised,
        promised_to=sorted({row.order.unit.tag for row in waits if not row.taken}),
        unit_cost_cents=lot.unit_cost_cents,
    )


def _stock() -> StockView:
    kinds = part_kinds()
    lots: dict[str, list[LotView]] = {}
    waiting: list[LotView] = []
    rows = Lot.objects.filter(on_hand__gt=0).select_related("kind")
    for lot in rows.prefetch_related("reservation_set__order__unit").order_by("place", "pk"):
        view = _lot(lot, kinds[lot.kind.key].label)
        lots.setdefault(lot.kind.key, []).append(view)
        if not lot.condition.usable:
            waiting.append(view)
    offers: dict[str, list[OfferView]] = {}
    for offer in OfferRow.objects.select_related("kind").order_by("price_cents", "pk"):
        offers.setdefault(offer.kind.key, []).append(
            OfferView(
                supplier=offer.supplier,
                article=offer.article,
                price_cents=offer.price_cents,
                limit=offer.limit,
                days=offer.days,
                pack_size=offer.pack_size,
                breaks=offer.breaks,
            )
        )
    free = free_of_kinds()
    coming = coming_of_kinds()
    return StockView(
        supplier=bool(supplier_address()),
        kinds=[
            KindView(
                key=key,
                label=kind.label,
                type=kind.facts.type,
                lots=lots.get(key, []),
                offers=offers.get(key, []),
                free=free[key],
                least=kind.least,
                short=kind.short(free[key], coming[key]),
            )
            for key, kind in kinds.items()
        ],
        waiting=waiting,
        purchases=_purchases(Purchase.objects.all()),
        movements=_movements(Movement.objects.all()),
    )


def _purchases(rows: QuerySet[Purchase]) -> list[PurchaseView]:
    kinds = part_kinds()
    rows = rows.select_related("offer__kind", "batch")
    rows = rows.prefetch_related("reservation_set__order__unit").order_by("-pk")
    return [
        PurchaseView(
            id=row.pk,
            label=kinds[row.offer.kind.key].label,
            supplier=row.offer.supplier,
            article=row.offer.article,
            count=row.count,
            price_cents=row.price_cents,
            batch=row.batch.name,
            due=expected_on(row),
            state=row.state,
            reference=row.reference,
            waiting=sorted(
                {r.order.unit.tag for r in row.reservation_set.all() if r.lot_id is None}
            ),
        )
        for row in rows[:NEWEST_PURCHASES]
    ]


def _movements(rows) -> list[MovementView]:
    kinds = part_kinds()
    rows = rows.select_related("lot__kind", "unit", "by").order_by("-pk")
    return [
        MovementView(
            label=kinds[row.lot.kind.key].label,
            change=row.change,
            place=row.lot.place,
            reason=row.reason,
            unit=row.unit.tag if row.unit else "",
            by=row.by.name,
            at=row.at,
        )
        for row in rows[:NEWEST_MOVEMENTS]
    ]


@router.get("", response=StockView)
def stock(request: HttpRequest):
    """The whole store."""
    return _stock()


@router.get("/lots/{lot}/movements", response=list[MovementView])
def lot_movements(request: HttpRequest, lot: int):
    """What changed the count of one lot, newest first."""
    return _movements(Movement.objects.filter(lot=lot))


@router.get("/lots/{lot}/label.pdf")
def lot_label(request: HttpRequest, lot: int, size: str = "roll-50x25"):
    """The label of a lot: its code, readable and as QR, for the drawer or a part of it."""
    row = Lot.objects.select_related("kind").filter(pk=lot).first()
    if row is None:
        raise NotThere("There is no such lot.")
    label = Label(
        tag=lot_code(row),
        model=row.kind.label,
        serial="",
        lines=[row.place, row.condition],
    )
    answer = HttpResponse(
        labels_pdf([label], size_called(size, workshop().label_sizes)),
        content_type="application/pdf",
    )
    answer["Content-Disposition"] = f'inline; filename="{lot_code(row)}.pdf"'
    return answer


def _one_lot(lot: Lot, act: Act | None) -> LotView:
    view = _lot(Lot.objects.select_related("kind").get(pk=lot.pk), lot.kind.label)
    return view.model_copy(update={"act": act.pk if act else None})


def _with_act(purchases: list[PurchaseView], act: Act | None) -> list[PurchaseView]:
    return [one.model_copy(update={"act": act.pk if act else None}) for one in purchases]


@router.post("/received", response=LotView, auth=by(Role.STOREKEEPER, "Booking parts in"))
def received(request: HttpRequest, given: Received):
    """Book parts in that no purchase brought; answers the lot they lie in."""
    person = signed_in(request)
    lot, act = receive_parts(
        given.kind,
        given.condition,
        given.place,
        given.count,
        given.unit_cost_cents,
        given.words,
        person,
    )
    return _one_lot(lot, act)


@router.post(
    "/lots/{lot}/counted", response=LotView, auth=by(Role.STOREKEEPER, "Counting the store")
)
def counted(request: HttpRequest, lot: int, given: CountedLot):
    """Set a lot right after a count; the difference needs a reason."""
    person = signed_in(request)
    return _one_lot(*count_lot(lot, given.counted, given.words, person))


@router.get("/round", response=RoundView, auth=by(Role.STOREKEEPER, "Counting the store"))
def round_(request: HttpRequest, place: str = ""):
    """Lots of a place that hold something, without how many the books say."""
    rows = Lot.objects.filter(on_hand__gt=0).select_related("kind")
    places = sorted(set(rows.values_list("place", flat=True)))
    chosen = list((rows.filter(place=place) if place else rows).order_by("place", "kind__label"))
    last = last_movements([row.pk for row in chosen])
    return RoundView(
        places=places,
        lots=[
            RoundLot(
                lot=row.pk,
                code=lot_code(row),
                label=row.kind.label,
                condition=row.condition,
                place=row.place,
                last=last.get(row.pk, 0),
            )
            for row in chosen
        ],
    )


@router.post("/round", response=RoundKept, auth=by(Role.STOREKEEPER, "Counting the store"))
def keep_counted(request: HttpRequest, given: KeepRound):
    """Set right what was counted, all of it or nothing."""
    person = signed_in(request)
    found, act = keep_round({one.lot: (one.counted, one.last) for one in given.lots}, person)
    return RoundKept(
        right=len(given.lots) - len(found),
        differences=list(found),
        act=act.pk if act else None,
    )


@router.post(
    "/lots/{lot}/settled",
    response=LotView,
    auth=by((Role.STOREKEEPER, Role.TECHNICIAN), "Trying parts"),
)
def settled(request: HttpRequest, lot: int, given: Settled):
    """Parts that waited were tried, drives sanitised; answers the lot that the good ones lie in."""
    person = signed_in(request)
    settled = settle_lot(
        lot,
        given.good,
        given.bad,
        given.words,
        given.place,
        person,
        given.reports,
        given.drive_end,
    )
    return _one_lot(*settled)


@router.post(
    "/purchases/{purchase}/arrived",
    response=PurchaseView,
    auth=by(Role.STOREKEEPER, "Booking parts in"),
)
def arrived(request: HttpRequest, purchase: int, given: Arrived):
    """Book a purchase into the store."""
    person = signed_in(request)
    row, act = receive(purchase, given.place, person, given.count)
    return _with_act(_purchases(Purchase.objects.filter(pk=row.pk)), act)[0]


@router.post(
    "/acts/{act}/back",
    response=ActView,
    auth=by(
        (Role.STOREKEEPER, Role.TECHNICIAN, Role.PLANNER), "Taking back what was done in the store"
    ),
)
def taken_back(request: HttpRequest, act: int):
    """Take back what was done in the store with one key."""
    person = signed_in(request)
    row = take_act_back(act, person)
    return ActView(kind=row.kind, words=row.words)


@router.put(
    "/purchases/{int:purchase}",
    response=list[PurchaseView],
    auth=by((Role.STOREKEEPER, Role.PLANNER), "Changing a purchase"),
)
def purchase_changed(request: HttpRequest, purchase: int, given: PurchaseCount):
    """Buy more or fewer before the order is sent; none takes the purchase off."""
    change_purchase(purchase, given.count)
    return _purchases(Purchase.objects.filter(pk=purchase))


@router.post(
    "/purchases/order",
    response=list[PurchaseView],
    auth=by((Role.STOREKEEPER, Role.PLANNER), "Ordering parts"),
)
def order(request: HttpRequest, given: Purchases):
    """Send purchases to the supplier, or note that they were ordered by hand."""
    person = signed_in(request)
    act: Act | None = None
    match given.how:
        case OrderBy.SUPPLIER:
            send_order(given.ids)
        case OrderBy.HAND:
            act = mark_ordered(given.ids, given.reference, person)
        case _:
            assert_never(given.how)
    return _with_act(_purchases(Purchase.objects.filter(pk__in=given.ids)), act)


@router.post(
    "/quotes", response=Quoted, auth=by((Role.STOREKEEPER, Role.PLANNER), "Asking the supplier")
)
def quotes(request: HttpRequest):
    """Bring the offers up to date with what the supplier quotes now."""
    fetch_quotes()
    return Quoted(offers=OfferRow.objects.count())
