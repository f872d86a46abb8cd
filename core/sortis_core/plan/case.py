"""The case of a plan: everything it is solved from, and nothing else. Same case, same plan."""

from typing import Literal

from pydantic import Field, model_validator

from sortis_core.actions import Action
from sortis_core.base import Minutes, Record, SignedCents
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan.result import Allocation
from sortis_core.policy import Policy
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.stock import Lot, Offer, PartKind
from sortis_core.vocabulary.term import Term


class Goal(Term):
    """What a plan is best at. Contribution decides among plans that are equally good at it."""

    CONTRIBUTION = "contribution", "contribution", "What the batch leaves after all its costs."
    READY = (
        "ready",
        "most units ready",
        "As many as can be sold; then contribution.",
    )
    SPEND = "spend", "least spend", "As little bought as can be; then contribution."
    ORDERS = "orders", "orders first", "Customers' orders as far as they can be met, then the rest."


class CaseUnit(Record):
    """One unit that waits for its outcome."""

    tag: str
    findings: Findings


class SalesOrder(Record):
    """A customer wants at least ``count`` units of a standard.

    A wish that must hold, except under the goal of orders first, which meets what can be met.
    """

    key: str
    customer: str
    standard: str
    count: int = Field(ge=1)
    sheets: tuple[str, ...] = ()
    """Models that will do; empty means any."""
    days: int | None = None
    """Days until they must be ready; None means the due day of the batch."""
    price_cents: int | None = Field(default=None, ge=0, le=100_000_000)
    """What the customer pays for each, for so many and no more; None: what the standard gives."""

    def adds_cents(self, price_cents: int) -> int:
        """What a unit brings more toward this order than the price of its standard, or less."""
        return 0 if self.price_cents is None else self.price_cents - price_cents


class Pin(Record):
    """A person decided how one unit ends."""

    tag: str
    outcome: OutcomeKind
    standard: str = ""
    """Empty where any standard will do."""
    option: str = ""
    """Key of the very option, where the person chose one from the ladder."""


class OpenOrder(Record):
    """A unit whose work order stands and was not begun: it keeps it unless something forces."""

    tag: str
    outcome: OutcomeKind
    standard: str = ""
    actions: tuple[Action, ...] = ()
    parts: tuple[Allocation, ...] = ()
    """What is promised to it; free again when the plan changes it. From lots (parts on their way
    are one) or from other units, never from offers."""
    price_cents: int = 0
    labour_cents: int = 0
    fees_cents: int = 0
    minutes: float = 0.0
    skills: tuple[SkillMinutes, ...] = ()


class Case(Record):
    """One batch to decide. Money in cents of ``currency``, work in minutes."""

    format: Literal["sortis-case-4"] = "sortis-case-4"
    batch: str
    currency: str = "EUR"
    policy: Policy
    goal: Goal = Goal.CONTRIBUTION
    money_cents: SignedCents
    """To spend on purchases at most."""
    bench_minutes: Minutes
    """Work of all skills until the due day at most."""
    skills: tuple[SkillMinutes, ...] = ()
    """Of these, at most so many of a skill; a skill not named has no limit of its own."""
    days: int | None = None
    """Days until the due day; what comes later is of no use. None: no due day."""
    sheets: tuple[ModelSheet, ...]
    standards: tuple[Standard, ...]
    kinds: tuple[PartKind, ...]
    lots: tuple[Lot, ...]
    offers: tuple[Offer, ...]
    units: tuple[CaseUnit, ...]
    sales_orders: tuple[SalesOrder, ...] = ()
    pins: tuple[Pin, ...] = ()
    open_orders: tuple[OpenOrder, ...] = ()

    @model_validator(mode="after")
    def _knows_what_it_names(self) -> "Case":
        sheets = {sheet.key for sheet in self.sheets}
        kinds = {kind.key for kind in self.kinds}
        standards = {standard.key for standard in self.standards}
        tags = [unit.tag for unit in self.units]
        for unit in self.units:
            if unit.findings.sheet not in sheets:
                raise ValueError(f"{unit.tag} is read against a sheet the case does not hold.")
        supplied = [(lot.key, lot.kind) for lot in self.lots]
        supplied += [(offer.key, offer.kind) for offer in self.offers]
        for key, kind in supplied:
            if kind not in kinds:
                raise ValueError(f"{key} is of kind {kind}, which the case lacks.")
        if len(set(tags)) != len(tags):
            raise ValueError("A tag stands twice among the units.")
        for order in self.sales_orders:
            if order.standard not in standards:
                raise ValueError(f"{order.customer} wants {order.standard}, no standard here.")
        decided = [pin.tag for pin in self.pins] + [one.tag for one in self.open_orders]
        for tag in decided:
            if tag not in tags:
                raise ValueError(f"{tag} is decided and stands not among the units.")
        if len({pin.tag for pin in self.pins}) != len(self.pins):
            raise ValueError("A unit is pinned twice.")
        return self

    def usable_lots(self) -> tuple[Lot, ...]:
        """Lots that parts may be taken from: sanitised, tested, and here by the due day."""
        freed = {part.source_key for one in self.open_orders for part in one.parts}
        return tuple(
            lot
            for lot in self.lots
            if (lot.count > 0 or lot.key in freed)
            and lot.condition.usable
            and self.in_time(lot.days)
        )

    def usable_offers(self) -> tuple[Offer, ...]:
        """Offers that can be had by the due day."""
        return tuple(
            offer
            for offer in self.offers
            if offer.limit >= offer.pack_size and self.in_time(offer.days)
        )

    def in_time(self, days: int) -> bool:
        """Whether what comes in so many days comes by the due day."""
        return self.days is None or days <= self.days

    def most_minutes(self, skill: Skill) -> float | None:
        """The limit of one skill; None where it has none of its own."""
        return next((one.minutes for one in self.skills if one.skill is skill), None)
