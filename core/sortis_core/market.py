"""Orders of a market, taken once and from what is there (docs/rules.md, Market)."""

import hashlib
from collections.abc import Collection, Sequence

from pydantic import Field

from sortis_core.base import Record, money
from sortis_core.selling import OnShelf, ShelfGroup, grouped_for_sale
from sortis_core.vocabulary.term import Term


class MarketOrder(Record):
    """What a buyer ordered at the market; the market may send it more than once."""

    number: str = Field(min_length=1, max_length=40, pattern=r"^[\w.:/-]+$")
    buyer: str = Field(min_length=1, max_length=100)
    group: str = Field(min_length=1, max_length=40)
    """Key of the group, as the listing named it."""
    count: int = Field(ge=1, le=1000)
    price_cents: int = Field(ge=0, le=100_000_000)
    """For one."""


class MarketOrders(Record):
    """What a market answers."""

    orders: tuple[MarketOrder, ...] = Field(max_length=500)


class OrderVerdict(Term):
    """What became of an order of the market."""

    TAKEN = "taken"
    PART = "part", "taken in part"
    GONE = "gone"
    CHEAP = "cheap", "below the price of the shelf"
    KNOWN = "known", "taken before"


class Allotted(Record):
    """What an order gets."""

    number: str
    verdict: OrderVerdict
    tags: tuple[str, ...]
    sentence: str


def group_key(unit: OnShelf) -> str:
    """What a buyer cannot tell apart, as a key that stays: the price may change under it."""
    grade = unit.grade.value if unit.grade else ""
    told = "\n".join([unit.sheet, unit.standard, grade, *unit.claims])
    return hashlib.sha256(told.encode()).hexdigest()[:16]


def for_market(units: Sequence[OnShelf]) -> tuple[tuple[str, ShelfGroup], ...]:
    """What is free as a market lists it: one line a key, at the lowest price that any of it has.

    Units that ask more are listed once the cheaper ones are gone; what has no price waits for one.

    :returns: (key, group), the largest first.
    """
    found: dict[str, ShelfGroup] = {}
    keys = {unit.tag: group_key(unit) for unit in units}
    free = [unit for unit in units if unit.state is None or not unit.state.open]
    for group in grouped_for_sale(free):
        key, price = keys[group.tags[0]], group.price_cents
        listed = found.get(key)
        if price is None:
            continue
        if listed is None or price < (listed.price_cents or 0):
            found[key] = group
    return tuple(found.items())


def allot(
    order: MarketOrder, shelf: Sequence[OnShelf], known: Collection[str], currency: str
) -> Allotted:
    """Units for an order, those first that have been waiting longest.

    :param shelf: also what is reserved; only what is free is given.
    :param known: numbers of orders that were answered before.
    """

    def told(verdict: OrderVerdict, tags: tuple[str, ...], sentence: str) -> Allotted:
        return Allotted(number=order.number, verdict=verdict, tags=tags, sentence=sentence)

    if order.number in known:
        return told(OrderVerdict.KNOWN, (), f"Order {order.number} was answered before.")
    alike = [unit for unit in shelf if group_key(unit) == order.group]
    free = [unit for unit in alike if unit.state is None or not unit.state.open]
    if not free:
        return told(
            OrderVerdict.GONE,
            (),
            f"Order {order.number} of {order.buyer}: none of what was ordered is there any more.",
        )
    fair = [unit for unit in free if unit.price_cents is not None]
    fair = [unit for unit in fair if order.price_cents >= (unit.price_cents or 0)]
    if not fair:
        asked = min((unit.price_cents for unit in free if unit.price_cents is not None), default=0)
        return told(
            OrderVerdict.CHEAP,
            (),
            f"Order {order.number} of {order.buyer} offers {money(order.price_cents, currency)} "
            f"each; the shelf says {money(asked, currency)}. List it again at the price of now.",
        )
    fair.sort(key=lambda unit: (-unit.days, unit.tag))
    tags = tuple(unit.tag for unit in fair[: order.count])
    lack = order.count - len(tags)
    verdict = OrderVerdict.PART if lack else OrderVerdict.TAKEN
    more = f"; {lack} more are not there" if lack else ""
    return told(
        verdict, tags, f"Order {order.number} of {order.buyer}: {len(tags)} reserved{more}."
    )
