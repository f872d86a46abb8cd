"""Part kinds, offers of suppliers and the first stock, as the workshop writes them."""

from typing import Any

from django.db import transaction
from pydantic import ValidationError

from sortis_core.base import SortisError
from sortis_core.intake.stocklist import (
    StockMapping,
    StockRow,
    StockRowState,
    StockTable,
    read_stock,
)
from sortis_core.stock import PartKind, PriceBreak, breaks_fall
from sortis_core.takeback import StoreAct
from sortis_server.apart import table_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.stock.acts import begin_act, end_act
from sortis_server.stock.models import Act
from sortis_server.stock.services import move, new_lot
from sortis_server.workshop.models import OfferRow, PartKindRow
from sortis_server.workshop.services import add_part_kind, fields_of, part_kind, part_kinds


class KindRefused(SortisError):
    """The part kind cannot be kept so."""

    title = "The part kind was not kept"


class OfferRefused(SortisError):
    """The offer cannot be kept so."""

    title = "The offer was not kept"


def read_kind(document: dict[str, Any]) -> PartKind:
    """A part kind as somebody wrote it.

    :raises KindRefused: with the first thing that is wrong.
    """
    try:
        return PartKind.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = " › ".join(str(step) for step in first["loc"]) or "the kind"
        raise KindRefused(f"{where}: {first['msg'].removeprefix('Value error, ')}") from error


def save_kind(document: dict[str, Any], before: PartKind | None) -> PartKind:
    """Keep a part kind. What decides whether it fits does not change once parts of it are there.

    :param before: as it was when somebody began to change it; None for a new one.
    :raises KindRefused: where it is none, or has parts and would become another.
    :raises StaleVersion: where somebody else changed it since.
    """
    kind = read_kind(document)
    others = set(PartKindRow.objects.exclude(key=kind.key).values_list("key", flat=True))
    if strange := [key for key in kind.instead_of if key not in others]:
        raise KindRefused(
            f"There is no part kind {strange[0]} for it to go in the place of. Add that one first."
        )
    with transaction.atomic():
        row = PartKindRow.objects.select_for_update().filter(key=kind.key).first()
        if row is None and before is None:
            add_part_kind(kind)
            return kind
        if row is None:
            raise NotThere(f"There is no part kind {kind.key} any more.")
        if before is None:
            raise KindRefused(f"There is a part kind {kind.key} already: {row.label}.")
        was = part_kind(row)
        if was != before:
            raise StaleVersion(
                f"Somebody else changed {was.label} after you opened it. Yours is still on this "
                "screen; look at what stands now, then keep yours again.",
                document=was.model_dump(mode="json"),
            )
        if was.facts != kind.facts and row.lots.exists():
            raise KindRefused(
                f"Parts of {was.label} were booked in, so what they are does not change. Add "
                "another kind, and count the parts into it."
            )
        PartKindRow.objects.filter(key=kind.key).update(**fields_of(kind))
        return kind


def save_offer(
    offer_id: int | None,
    kind: str,
    supplier: str,
    article: str,
    price_cents: int,
    limit: int,
    days: int,
    pack_size: int,
    breaks: list[PriceBreak],
) -> OfferRow:
    """Keep an offer of a supplier.

    :raises OfferRefused: where its breaks do not fall, or the supplier offers it already.
    :raises NotThere: for an unknown kind or offer.
    """
    row = PartKindRow.objects.filter(key=kind).first()
    if row is None:
        raise NotThere(f"The store has no part kind {kind}. Choose one of the list, or add it.")
    steps = sorted(breaks, key=lambda step: step.from_count)
    if not breaks_fall(price_cents, steps):
        raise OfferRefused("A price break begins at a higher count and costs less. Correct them.")
    with transaction.atomic():
        if article and (
            OfferRow.objects.filter(supplier=supplier, article=article)
            .exclude(pk=offer_id)
            .exists()
        ):
            raise OfferRefused(f"{supplier} offers article {article} already.")
        offer = OfferRow()
        if offer_id is not None:
            found = OfferRow.objects.select_for_update().filter(pk=offer_id).first()
            if found is None:
                raise NotThere("This offer is not there any more.")
            offer = found
        offer.kind, offer.supplier, offer.article = row, supplier.strip(), article.strip()
        offer.price_cents, offer.limit, offer.days = price_cents, limit, days
        offer.pack_size = pack_size
        offer.breaks = [step.model_dump() for step in steps]
        offer.save()
        return offer


def drop_offer(offer_id: int) -> None:
    """Take an offer off; one that something was bought from stays, with nothing to be had.

    :raises NotThere: where there is none.
    """
    with transaction.atomic():
        offer = OfferRow.objects.select_for_update().filter(pk=offer_id).first()
        if offer is None:
            raise NotThere("This offer is not there any more.")
        if offer.purchase_set.exists():
            offer.limit = 0
            offer.save()
        else:
            offer.delete()


def look_at_stock(data: bytes, mapping: StockMapping | None) -> StockTable:
    """A stock list with the verdict on every row; nothing is kept."""
    return read_stock(table_of(data), part_kinds(), mapping)


def take_stock(data: bytes, mapping: StockMapping | None, by: Person) -> tuple[int, Act]:
    """Book a stock list in, all rows or none.

    :returns: how many parts, and the act to take them back by.
    :raises KindRefused: with the first row that cannot be booked in.
    """
    table = look_at_stock(data, mapping)
    if table.refusal:
        raise KindRefused(table.refusal)
    if not table.rows:
        raise KindRefused("The list has no rows. Nothing was booked in.")
    faults = [row for row in table.rows if row.state is StockRowState.FAULT]
    if faults:
        raise KindRefused(
            f"Line {faults[0].line}: {faults[0].sentence}. Nothing was booked in.",
            lines=[(row.line, row.sentence) for row in faults],
        )
    rows = {row.key: row for row in PartKindRow.objects.all()}
    if any(row.kind not in rows for row in table.rows):
        raise StaleVersion("A part kind of the list is gone. Look at the list again.")
    with transaction.atomic():
        total = sum(row.count for row in table.rows)
        act = begin_act(StoreAct.RECEIVED, f"{total} parts of a stock list", by)
        for row in table.rows:
            _book(row, rows[row.kind], act, by)
        return total, end_act(act)


def _book(row: StockRow, kind: PartKindRow, act: Act, by: Person) -> None:
    if row.condition is None:
        raise KindRefused(f"Line {row.line}: nobody said the condition. Nothing was booked in.")
    lot = new_lot(kind, row.condition, row.place, row.unit_cost_cents)
    move(lot, row.count, "first count", by, act=act)
