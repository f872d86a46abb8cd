"""Who sees which money (docs/rules.md, Money).

It is closed unless the workshop opens it to everyone. Who may not see a figure gets an answer
without it. A figure that nobody sorted counts among what a batch earns, which the fewest see.
"""

import re
from collections.abc import Iterable

from sortis_core.base import money
from sortis_core.vocabulary.states import Role
from sortis_core.vocabulary.term import Term


class Money(Term):
    """Kinds of money figures, by who may see them."""

    COSTS = "costs", "what parts cost"
    PRICES = "prices", "sale prices"
    RESULTS = "results", "budgets, contribution and what a batch cost"


SEEN_BY: dict[Money, tuple[Role, ...]] = {
    Money.COSTS: (Role.PLANNER, Role.STOREKEEPER, Role.OWNER),
    Money.PRICES: (Role.PLANNER, Role.RELEASER, Role.OWNER),
    Money.RESULTS: (Role.PLANNER, Role.OWNER),
}

EVERYBODY = frozenset(Money)

_FIGURES: dict[str, Money] = {
    "unit_cost_cents": Money.COSTS,
    "harvest_value_cents": Money.COSTS,
    "price_cents": Money.PRICES,
    "adds_cents": Money.PRICES,
    "cents": Money.PRICES,
    "full_cents": Money.PRICES,
    "next_cents": Money.PRICES,
    "income_cents": Money.PRICES,
}
"""By the name of a field; every other one in cents is of the results."""
_BOUGHT = frozenset(("Bought", "OfferLine", "OfferView", "PriceBreak", "PurchaseView"))
"""Whose price is what a part costs."""
_TOLD_TO_ALL = frozenset((("RouteStep", "consumables_cents"),))
"""Facts of a sheet that whoever writes sheets writes."""
_CENTS = re.compile(r"(^|_)cents($|_)")
_TYPED = frozenset(("entries", "remarks", "notes", "back_for"))
_TYPED_WHOLE = frozenset(("ModelSheet",))
"""What people typed goes back to them as they typed it, and is kept again: no word of it is lost
for want of a right. It is no figure of the workshop's money."""
_SENTENCE = re.compile(r"(?<=[.!?])\s+(?=\S)")


def money_seen(roles: Iterable[Role], *, open_to_all: bool) -> frozenset[Money]:
    """What of it somebody with these roles may see."""
    if open_to_all:
        return EVERYBODY
    held = set(roles)
    return frozenset(kind for kind, seen_by in SEEN_BY.items() if held & set(seen_by))


def money_of(record: str, field: str) -> Money | None:
    """What kind of money a field of a record tells; None where it is no such figure.

    :param record: name of its type; empty where it is not known.
    """
    if not _CENTS.search(field) or (record, field) in _TOLD_TO_ALL:
        return None
    if field == "price_cents" and record in _BOUGHT:
        return Money.COSTS
    if field == "price_cents" and not record:
        return Money.RESULTS
    return _FIGURES.get(field, Money.RESULTS)


def is_typed(record: str, field: str) -> bool:
    """Whether a field holds what somebody typed who may see and change it.

    :param record: name of the type that holds it.
    """
    return field in _TYPED or record in _TYPED_WHOLE


def amounts_in(currencies: Iterable[str]) -> re.Pattern[str]:
    """Finds amounts of these currencies as :func:`sortis_core.base.money` writes them."""
    marks = sorted({money(0, currency).removesuffix("0.00") for currency in currencies})
    return re.compile(rf"(?<![A-Za-z])(?:{'|'.join(map(re.escape, marks))})\d[\d,]*\.\d\d")


def without_amounts(text: str, amounts: re.Pattern[str]) -> str:
    """A text without its sentences that name an amount of money.

    What the amount is of cannot be told by a sentence, so that only who sees all money reads it.

    :param amounts: as of :func:`amounts_in`.
    """
    if not amounts.search(text):
        return text
    return " ".join(one for one in _SENTENCE.split(text) if not amounts.search(one))
