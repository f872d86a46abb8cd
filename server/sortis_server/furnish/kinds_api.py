"""Part kinds, offers and the first stock."""

import json
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from ninja import File, Form, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field, ValidationError

from sortis_core.intake.stocklist import StockMapping, StockTable
from sortis_core.stock import PartKind, PriceBreak
from sortis_core.vocabulary.states import Role
from sortis_server.furnish.kinds import (
    KindRefused,
    drop_offer,
    look_at_stock,
    save_kind,
    save_offer,
    take_stock,
)
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import StaleVersion
from sortis_server.workshop.models import OfferRow
from sortis_server.workshop.services import part_kinds

router = Router(tags=["furnish"])
KEEPERS = (Role.STOREKEEPER, Role.OWNER)


class SaveKind(BaseModel):
    """A part kind to keep."""

    document: dict[str, Any]
    before: PartKind | None = None
    """As it was when somebody began to change it; None for a new one."""


class OfferLine(BaseModel):
    """One offer of a supplier."""

    id: int | None = None
    kind: str
    supplier: str = Field(min_length=1, max_length=80)
    article: str = Field(default="", max_length=60)
    price_cents: int = Field(ge=0, le=100_000_000)
    limit: int = Field(ge=0, le=1_000_000)
    days: int = Field(ge=0, le=365)
    pack_size: int = Field(default=1, ge=1, le=10_000)
    breaks: list[PriceBreak] = Field(default=[], max_length=20)


class SaveOffer(BaseModel):
    """An offer to keep."""

    offer: OfferLine
    before: OfferLine | None = None
    """As it was when somebody began to change it; None for a new one."""


class Catalogue(BaseModel):
    """All part kinds and what suppliers offer."""

    kinds: list[PartKind]
    offers: list[OfferLine]


class Booked(BaseModel):
    """How many parts were booked in, and the act to take them back by."""

    parts: int
    act: int


def _catalogue() -> Catalogue:
    offers = OfferRow.objects.select_related("kind").order_by("supplier", "kind__label", "pk")
    return Catalogue(kinds=list(part_kinds().values()), offers=[_line(row) for row in offers])


def _line(row: OfferRow) -> OfferLine:
    return OfferLine(
        id=row.pk,
        kind=row.kind.key,
        supplier=row.supplier,
        article=row.article,
        price_cents=row.price_cents,
        limit=row.limit,
        days=row.days,
        pack_size=row.pack_size,
        breaks=row.breaks,
    )


@router.get("/kinds", response=Catalogue)
def kinds(request: HttpRequest):
    """All part kinds and offers."""
    return _catalogue()


@router.put("/kinds", response=PartKind, auth=by(KEEPERS, "Changing part kinds"))
def kind_saved(request: HttpRequest, given: SaveKind):
    """Keep a part kind."""
    return save_kind(given.document, given.before)


@router.put("/offers", response=OfferLine, auth=by(KEEPERS, "Changing offers"))
def offer_saved(request: HttpRequest, given: SaveOffer):
    """Keep an offer."""
    offer = given.offer
    told = offer.model_dump(exclude={"id", "breaks"})
    with transaction.atomic():
        known = OfferRow.objects.select_for_update().filter(pk=offer.id).first()
        if known and given.before != _line(known):
            raise StaleVersion(
                f"The offer of {known.supplier} was changed after you opened it. Yours is still "
                "on this screen; look at what stands now, then keep yours again.",
                document=_line(known).model_dump(mode="json"),
            )
        row = save_offer(offer.id, breaks=offer.breaks, **told)
    return _line(row)


@router.delete("/offers/{int:offer}", response=Catalogue, auth=by(KEEPERS, "Changing offers"))
def offer_off(request: HttpRequest, offer: int):
    """Take an offer off."""
    drop_offer(offer)
    return _catalogue()


def _mapping(said: str) -> StockMapping | None:
    if not said:
        return None
    try:
        return StockMapping.model_validate(json.loads(said))
    except (ValueError, ValidationError, RecursionError) as error:
        raise KindRefused("What the columns mean does not read. Choose them again.") from error


@router.post("/stock-list/look", response=StockTable, auth=by(KEEPERS, "Booking a stock list in"))
def stock_looked(request: HttpRequest, file: File[UploadedFile], mapping: Form[str] = ""):
    """Read a stock list; nothing of it is booked in."""
    return look_at_stock(file.read(), _mapping(mapping))


@router.post("/stock-list/take", response=Booked, auth=by(KEEPERS, "Booking a stock list in"))
def stock_taken(request: HttpRequest, file: File[UploadedFile], mapping: Form[str] = ""):
    """Book a stock list in, all rows or none."""
    person = signed_in(request)
    parts, act = take_stock(file.read(), _mapping(mapping), person)
    return Booked(parts=parts, act=act.pk)
