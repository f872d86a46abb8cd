"""Where parts can come from, and which needs each source serves."""

from typing import NamedTuple

from sortis_core.base import Record
from sortis_core.plan.case import Case
from sortis_core.stock import Condition

DONATED = "donated"
"""Key of the source that donors make, within one kind."""
DISPLACED = "displaced"
"""Key of the source that upgrades make by what comes free in them."""
TURNS = 8
"""Where units must not wait in a circle: so many may wait for one another in a row, and give."""


def displaced_in(turn: int) -> str:
    """Key of the source that upgrades of one turn make, which may have waited for those before."""
    return f"{DISPLACED} {turn}"


HARVEST = (DONATED, DISPLACED, *(displaced_in(turn) for turn in range(TURNS)))


class Need(NamedTuple):
    """What a use of a part asks of its source."""

    new_only: bool
    days: int | None
    """Must be here in so many days; None: by the due day."""
    turn: int | None = None
    """The unit gives a part itself in this turn, and takes none of a unit that gives in the same
    or a later one; None: it gives none, or nobody waits in a circle."""

    @property
    def harvest(self) -> tuple[str, ...]:
        """Keys of the sources of other units that it may take from."""
        before = HARVEST[2:] if self.turn is None else HARVEST[2 : 2 + self.turn]
        return (DONATED, DISPLACED, *before)


class Tier(NamedTuple):
    """A price that holds from so many parts on."""

    from_count: int
    price_cents: int


class Source(Record):
    """A lot of the store, or an offer."""

    key: str
    kind: str
    limit: int
    cost_cents: int
    """Of one; for an offer with breaks the price of a single one."""
    bought: bool
    new: bool
    days: int
    pack_size: int = 1
    tiers: tuple[Tier, ...] = ()
    """All prices of an offer that has breaks, from the first part on."""

    def serves(self, need: Need) -> bool:
        """Whether its parts may be used for the need."""
        in_time = need.days is None or self.days <= need.days
        return in_time and (self.new or not need.new_only)


def sources_of(case: Case) -> tuple[Source, ...]:
    """Lots and offers as sources, cheapest first within a kind."""
    found = [
        Source(
            key=lot.key,
            kind=lot.kind,
            limit=lot.count,
            cost_cents=lot.unit_cost_cents,
            bought=False,
            new=lot.condition is Condition.NEW,
            days=lot.days,
        )
        for lot in case.usable_lots()
    ]
    for offer in case.usable_offers():
        tiers = [Tier(1, offer.price_cents)]
        tiers += [Tier(b.from_count, b.price_cents) for b in offer.breaks]
        found.append(
            Source(
                key=offer.key,
                kind=offer.kind,
                limit=offer.limit - offer.limit % offer.pack_size,
                cost_cents=offer.price_cents,
                bought=True,
                new=True,
                days=offer.days,
                pack_size=offer.pack_size,
                tiers=tuple(sorted(tiers)) if offer.breaks else (),
            )
        )
    return tuple(sorted(found, key=lambda s: (s.kind, s.bought, s.cost_cents, s.key)))
