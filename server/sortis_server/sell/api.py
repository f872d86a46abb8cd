"""The shelf and the sales."""

import csv
import io
from collections.abc import Iterator
from datetime import date

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.filling import fitting
from sortis_core.market import Allotted
from sortis_core.rights import Money
from sortis_core.selling import OnShelf, SaleState, ShelfGroup, grouped_for_sale
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.services import unit_tagged
from sortis_server.decide.models import CustomerOrder
from sortis_server.devices import market_address
from sortis_server.people.roles import by, signed_in
from sortis_server.sell.market import fetch_orders, publish
from sortis_server.sell.models import Sale
from sortis_server.sell.services import (
    cancel,
    fill,
    hand_over,
    on_shelf,
    pack,
    reserve,
    take_return,
    wanted_of,
)
from sortis_server.spreadsheet import plain, xlsx
from sortis_server.workshop.money import Seeing
from sortis_server.workshop.services import newest_standards, workshop

router = Router(tags=["sell"])
SELLERS = Role.RELEASER


class SaleView(BaseModel):
    """One sale."""

    tag: str
    state: SaleState
    buyer: str
    price_cents: int
    reason: str


class OrderToFill(BaseModel):
    """A customer's order that is not full yet."""

    id: int
    customer: str
    standard: str
    count: int
    filled: int
    due_on: date | None
    price_cents: int | None
    """What the customer pays for each; empty for the price of the shelf."""
    next_tag: str
    """The unit on the shelf that fits it best; empty where none does."""


class Shelf(BaseModel):
    """What is to be sold, grouped as buyers see it, and what is on its way to them."""

    currency: str
    groups: list[ShelfGroup]
    sales: list[SaleView]
    orders: list[OrderToFill]
    sold: int
    income_cents: int
    market: bool
    """Whether a market is set up."""


class Reserve(BaseModel):
    """Who is to get a unit, for how much."""

    buyer: str = Field(max_length=120)
    price_cents: int | None = Field(default=None, ge=0, le=100_000_000)


class PackingScan(BaseModel):
    """What was scanned on the unit in hand."""

    code: str = Field(max_length=200)


class WhyBack(BaseModel):
    """Why."""

    reason: str = Field(default="", max_length=200)


class Published(BaseModel):
    """How many groups the market was told of."""

    groups: int


class Listing(BaseModel):
    """The shelf as other programs read it (docs/formats.md, Listing)."""

    format: str = "sortis-listing-4"
    currency: str
    groups: list[ShelfGroup]


def _view(sale: Sale) -> SaleView:
    return SaleView(
        tag=sale.unit.tag,
        state=sale.state,
        buyer=sale.buyer,
        price_cents=sale.price_cents,
        reason=sale.reason,
    )


def _to_fill(here: list[OnShelf]) -> Iterator[OrderToFill]:
    rows = CustomerOrder.objects.filter(batch__closed_at=None).order_by("due_on", "pk")
    standards = newest_standards()
    for order in rows:
        wanted = wanted_of(order, standards)
        if wanted.lacks:
            right = fitting(wanted, here)
            yield OrderToFill(
                id=order.pk,
                customer=order.customer,
                standard=wanted.standard_name,
                count=order.count,
                filled=wanted.filled,
                due_on=order.due_on,
                price_cents=order.price_cents,
                next_tag=right[0].tag if right else "",
            )


@router.get(
    "/shelf",
    response=Shelf,
    auth=Seeing(Money.PRICES, "The shelf with its prices"),
)
def shelf(request: HttpRequest):
    """What is to be sold, and what is on its way to buyers."""
    handed = Sale.objects.filter(state=SaleState.HANDED_OVER)
    open_sales = Sale.objects.filter(open_unit__isnull=False).select_related("unit")
    here = on_shelf()
    return Shelf(
        currency=workshop().currency,
        groups=list(grouped_for_sale(here)),
        orders=list(_to_fill(here)),
        sales=[_view(sale) for sale in open_sales.order_by("pk")],
        sold=handed.count(),
        market=bool(market_address()),
        income_cents=sum(handed.values_list("price_cents", flat=True)),
    )


@router.get(
    "/shelf/listing.json",
    response=Listing,
    auth=Seeing(Money.PRICES, "The listing"),
)
def listing(request: HttpRequest):
    """The free units as other programs read them."""
    free = [one for one in on_shelf() if one.state is None]
    return Listing(currency=workshop().currency, groups=list(grouped_for_sale(free)))


HEADINGS = ["model", "standard", "grade", "count", "price", "currency", "text", "tags"]


def _listed() -> Iterator[list[str]]:
    """Rows of the listing; cells that a spreadsheet would run are made plain text."""
    for group in grouped_for_sale([one for one in on_shelf() if one.state is None]):
        cells = [
            group.model,
            group.standard,
            group.grade.value if group.grade else "",
            str(group.free),
            "" if group.price_cents is None else f"{group.price_cents / 100:.2f}",
            workshop().currency,
            group.words,
            " ".join(group.tags),
        ]
        yield [plain(cell) for cell in cells]


@router.get("/shelf/listing.csv", auth=Seeing(Money.PRICES, "The listing"))
def listing_csv(request: HttpRequest):
    """The same as CSV."""
    out = io.StringIO()
    csv.writer(out).writerows([HEADINGS, *_listed()])
    answer = HttpResponse("\ufeff" + out.getvalue(), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="listing.csv"'
    return answer


@router.get("/shelf/listing.xlsx", auth=Seeing(Money.PRICES, "The listing"))
def listing_xlsx(request: HttpRequest):
    """The same as XLSX."""
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    answer = HttpResponse(xlsx("Listing", HEADINGS, _listed()), content_type=kind)
    answer["Content-Disposition"] = 'attachment; filename="listing.xlsx"'
    return answer


@router.post("/shelf/market/listing", response=Published, auth=by(SELLERS, "Listing"))
def published(request: HttpRequest):
    """Send what is free to the market."""
    return Published(groups=publish())


@router.post("/shelf/market/orders", response=list[Allotted], auth=by(SELLERS, "Taking orders"))
def market_orders(request: HttpRequest):
    """Take what the market ordered since; each order once."""
    return fetch_orders(signed_in(request))


@router.post(
    "/shelf/orders/{int:order}/fill", response=SaleView, auth=by(SELLERS, "Filling an order")
)
def filled(request: HttpRequest, order: int, given: PackingScan):
    """Set a unit aside for a customer's order, by the scan of its label."""
    return _view(fill(order, given.code, signed_in(request)))


@router.post("/units/{tag}/sale/reserve", response=SaleView, auth=by(SELLERS, "Selling"))
def reserved(request: HttpRequest, tag: str, given: Reserve):
    """Somebody is to get the unit."""
    person = signed_in(request)
    return _view(reserve(unit_tagged(tag).tag, given.buyer, given.price_cents, person))


@router.post("/units/{tag}/sale/pack", response=SaleView, auth=by(SELLERS, "Packing"))
def packed(request: HttpRequest, tag: str, given: PackingScan):
    """The unit is packed; its own label was scanned."""
    person = signed_in(request)
    return _view(pack(unit_tagged(tag).tag, given.code, person))


@router.post("/units/{tag}/sale/hand-over", response=SaleView, auth=by(SELLERS, "Handing over"))
def handed_over(request: HttpRequest, tag: str):
    """The unit left."""
    person = signed_in(request)
    return _view(hand_over(unit_tagged(tag).tag, person))


@router.post("/units/{tag}/sale/cancel", response=SaleView, auth=by(SELLERS, "Cancelling a sale"))
def cancelled(request: HttpRequest, tag: str, given: WhyBack):
    """The unit is back on the shelf."""
    person = signed_in(request)
    return _view(cancel(unit_tagged(tag).tag, given.reason, person))


@router.post("/units/{tag}/sale/return", response=SaleView, auth=by(SELLERS, "Taking a return"))
def returned(request: HttpRequest, tag: str, given: WhyBack):
    """The unit came back."""
    person = signed_in(request)
    return _view(take_return(unit_tagged(tag).tag, given.reason, person))
