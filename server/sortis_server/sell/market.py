"""The market's call: listings out, orders in (docs/formats.md, Market).

An order is answered once, in one transaction with its reservations; the market may send it as often
as it likes, and is told the same again where it did not hear the answer.
"""

from django.db import IntegrityError, transaction
from pydantic import ValidationError

from sortis_core.market import Allotted, MarketOrder, MarketOrders, OrderVerdict, allot, for_market
from sortis_core.selling import SaleRefused, ShelfGroup
from sortis_server.devices import DeviceSilent, call_market
from sortis_server.people.models import Person
from sortis_server.sell.models import MarketAnswer
from sortis_server.sell.services import on_shelf, reserve
from sortis_server.workshop.services import workshop


def publish() -> int:
    """Send what is free to the market; how many groups it was.

    :raises DeviceSilent: where none is set up or it does not answer.
    """
    groups = for_market(on_shelf())
    told = {
        "currency": workshop().currency,
        "groups": [_listed(group, key) for key, group in groups],
    }
    call_market("listing", told)
    return len(groups)


def _listed(group: ShelfGroup, key: str) -> dict:
    return {
        "key": key,
        "title": f"{group.model}, {group.standard}",
        "text": group.words,
        "free": group.free,
        "price_cents": group.price_cents,
    }


def fetch_orders(by: Person) -> list[Allotted]:
    """Take what the market ordered since; each order once, whatever the market sends.

    :raises DeviceSilent: where none is set up, it does not answer, or not in the form agreed.
    """
    try:
        orders = MarketOrders.model_validate_json(call_market("orders", None)).orders
    except ValidationError as error:
        raise DeviceSilent(
            "The market answers in a form that Sortis does not read. Nothing was taken."
        ) from error
    found = [_answered(order, by) for order in {one.number: one for one in orders}.values()]
    for one in found:
        row = MarketAnswer.objects.get(number=one.number)
        call_market("answers", {"number": one.number, "verdict": row.verdict})
        MarketAnswer.objects.filter(pk=row.pk).update(told=True)
    return found


def _answered(order: MarketOrder, by: Person) -> Allotted:
    known = MarketAnswer.objects.filter(number=order.number).values_list("number", flat=True)
    shop = workshop()
    found = allot(order, on_shelf(), set(known), shop.currency)
    if found.verdict is OrderVerdict.KNOWN:
        return found
    try:
        with transaction.atomic():
            row = MarketAnswer.objects.create(
                number=order.number,
                order=order.model_dump(mode="json"),
                verdict=found.verdict,
                sentence=found.sentence,
                by=by,
            )
            got = [tag for tag in found.tags if _reserved(tag, order, by)]
            if len(got) < len(found.tags):
                found = _fewer(found, order, tuple(got))
                row.verdict, row.sentence = found.verdict, found.sentence
                row.save()
    except IntegrityError:
        # Two people fetched at once: the other one has it.
        return allot(order, (), {order.number}, shop.currency)
    return found


def at_market(buyer: str, number: str) -> str:
    """How a buyer of the market is called here: with the number of the order behind."""
    return f"{buyer} ({number})"


def number_in(buyer: str) -> str:
    """The number of the order that such a name ends with; empty where it has none."""
    return buyer.rpartition(" (")[2].removesuffix(")") if buyer.endswith(")") else ""


def _reserved(tag: str, order: MarketOrder, by: Person) -> bool:
    """Reserve one unit; not where somebody was faster."""
    try:
        reserve(tag, at_market(order.buyer, order.number), order.price_cents, by)
    except SaleRefused:
        return False
    return True


def _fewer(found: Allotted, order: MarketOrder, got: tuple[str, ...]) -> Allotted:
    """What is left of an answer where somebody was faster."""
    verdict = OrderVerdict.PART if got else OrderVerdict.GONE
    sentence = (
        f"Order {order.number} of {order.buyer}: {len(got)} reserved; somebody was faster with the "
        "others."
    )
    return found.model_copy(update={"verdict": verdict, "tags": got, "sentence": sentence})
