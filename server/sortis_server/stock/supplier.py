"""The supplier's call: quotes in, orders out (docs/formats.md, Supplier).

A supplier answers over HTTP at SORTIS_SUPPLIER_URL; the demo brings a simulated one along.
"""

import json
from datetime import date, timedelta

from django.db import transaction
from pydantic import BaseModel, Field, ValidationError

from sortis_core.stock import PriceBreak
from sortis_core.takeback import StoreAct
from sortis_core.vocabulary.states import PurchaseState
from sortis_server.devices import DeviceSilent, call_supplier
from sortis_server.people.models import Person
from sortis_server.stock.acts import begin_act, end_act
from sortis_server.stock.models import Act, Purchase
from sortis_server.stock.services import StockRefused
from sortis_server.workshop.models import OfferRow, PartKindRow


class Quote(BaseModel):
    """One article as the supplier quotes it."""

    article: str = Field(min_length=1, max_length=60)
    kind: str
    price_cents: int = Field(ge=0)
    pack_size: int = Field(default=1, ge=1)
    breaks: list[PriceBreak] = []
    limit: int = Field(ge=0)
    days: int = Field(ge=0)


class Quotes(BaseModel):
    """The whole answer."""

    supplier: str = Field(min_length=1, max_length=80)
    quotes: list[Quote]


class Accepted(BaseModel):
    """An order the supplier took."""

    reference: str = Field(min_length=1, max_length=60)
    days: int = Field(ge=0)


def fetch_quotes() -> int:
    """Bring the offers up to date with what the supplier quotes now; how many it quotes.

    An article that is quoted no more stays, with nothing to be had.

    :raises DeviceSilent: where the supplier does not answer, or not in the form agreed.
    """
    answer = _read(Quotes, call_supplier("quotes", None))
    kinds = {row.key: row for row in PartKindRow.objects.all()}
    known = [quote for quote in answer.quotes if quote.kind in kinds]
    with transaction.atomic():
        rows = OfferRow.objects.select_for_update().filter(supplier=answer.supplier)
        rows.exclude(article__in=[quote.article for quote in known]).update(limit=0)
        for quote in known:
            OfferRow.objects.update_or_create(
                supplier=answer.supplier,
                article=quote.article,
                defaults={
                    "kind": kinds[quote.kind],
                    "price_cents": quote.price_cents,
                    "limit": quote.limit,
                    "days": quote.days,
                    "pack_size": quote.pack_size,
                    "breaks": [step.model_dump() for step in quote.breaks],
                },
            )
    return len(known)


def send_order(purchase_ids: list[int]) -> str:
    """Send planned purchases to the supplier as one order; its reference.

    The supplier is told the price that the plan reckoned with and refuses another one.

    :raises StockRefused: where one is ordered already, or the supplier refuses.
    :raises DeviceSilent: where it does not answer; nothing is marked as ordered then.
    """
    with transaction.atomic():
        rows = list(
            Purchase.objects.select_for_update()
            .prefetch_related("offer__kind", "batch")
            .filter(pk__in=purchase_ids)
            .order_by("pk")
        )
        if not rows:
            raise StockRefused("There is nothing to order.")
        if sent := [row for row in rows if row.state != PurchaseState.PLANNED]:
            raise StockRefused(f"{sent[0]} is {sent[0].state} already.")
        lines = [
            {
                "article": row.offer.article or row.offer.kind.key,
                "count": row.count,
                "price_cents": row.price_cents,
            }
            for row in rows
        ]
        # The number of the first purchase makes the call safe to repeat: the supplier knows an
        # order it has taken already and answers with the same reference.
        ours = f"sortis-{rows[0].pk}"
        accepted = _read(Accepted, call_supplier("orders", {"ours": ours, "lines": lines}))
        for row in rows:
            row.state, row.reference = PurchaseState.ORDERED, accepted.reference
            row.due_on = date.today() + timedelta(days=accepted.days)
            row.save()
    return accepted.reference


def mark_ordered(purchase_ids: list[int], reference: str, by: Person) -> Act:
    """Note that purchases were ordered by hand: by telephone, in a shop.

    :returns: the act to take it back by.
    :raises StockRefused: where nothing of them waits to be ordered.
    """
    with transaction.atomic():
        rows = list(
            Purchase.objects.select_for_update()
            .filter(pk__in=purchase_ids, state=PurchaseState.PLANNED)
            .order_by("pk")
        )
        if not rows:
            raise StockRefused("None of these purchases waits to be ordered.")
        what = "One purchase" if len(rows) == 1 else f"{len(rows)} purchases"
        act = begin_act(StoreAct.ORDERED, f"{what} ordered by hand", by, rows)
        for row in rows:
            row.state, row.reference = PurchaseState.ORDERED, reference.strip()[:60]
            row.save()
        return end_act(act)


def _read(form: type[BaseModel], answer: bytes):
    try:
        return form.model_validate(json.loads(answer))
    except (ValueError, ValidationError) as error:
        raise DeviceSilent(
            "The supplier answers in a form that is not the agreed one (docs/formats.md). Nothing "
            "was changed; order by hand meanwhile."
        ) from error
