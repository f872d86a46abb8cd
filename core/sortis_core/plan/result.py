"""What a plan says: outcomes with their sums and reasons, allocations, what is scarce."""

from typing import Literal

from sortis_core.actions import Action
from sortis_core.base import Record
from sortis_core.options import OutcomeKind, Rejection


class Allocation(Record):
    """One part promised to one unit, and where it comes from."""

    tag: str
    place: str
    kind: str
    source: Literal["lot", "offer", "unit"]
    source_key: str
    """Key of the lot or offer, or tag of the unit that gives the part."""
    unit_cost_cents: int


class Rung(Record):
    """One option on the ladder of a group."""

    outcome: OutcomeKind
    standard: str
    actions: tuple[Action, ...]
    minutes: float
    price_cents: int
    parts_cents: int
    """Parts at the cheapest source."""
    contribution_cents: int
    """Alone, as if nothing were scarce."""
    scarce_cents: int
    """What its scarce parts and minutes are worth elsewhere in the batch."""
    units: int
    """How many units of the group end by it."""


class UnitOutcome(Record):
    """How one unit ends, and the sum."""

    tag: str
    group: int
    outcome: OutcomeKind
    standard: str
    actions: tuple[Action, ...]
    minutes: float
    price_cents: int
    parts_cents: int
    gives_cents: int
    """Harvest value of the parts it gives to other units of this plan."""
    labour_cents: int
    fees_cents: int
    contribution_cents: int
    reason: str


class PlanGroup(Record):
    """Identical units of the plan with their ladder."""

    number: int
    sheet: str
    tags: tuple[str, ...]
    ladder: tuple[Rung, ...]
    rejections: tuple[Rejection, ...]


class Scarce(Record):
    """One thing the batch shares: a part kind, minutes or money."""

    key: str
    label: str
    measure: Literal["parts", "minutes", "cents"]
    on_hand: float
    harvested: float
    """Used from donors and displaced parts."""
    bought: float
    used: float
    worth_cents: int
    """Added to the contribution by one more part at its price, one more hour, or 100 of money."""


class LeftOut(Record):
    """A unit the plan does not decide, and why."""

    tag: str
    reason: str


class Plan(Record):
    """The whole plan of a batch."""

    format: Literal["sortis-plan-1"] = "sortis-plan-1"
    batch: str
    currency: str
    contribution_cents: int
    bound_cents: int
    gap_percent: float
    spend_cents: int
    minutes: float
    bench_minutes: float
    ready: int
    """Units that reach a standard."""
    outcomes: tuple[UnitOutcome, ...]
    groups: tuple[PlanGroup, ...]
    allocations: tuple[Allocation, ...]
    scarce: tuple[Scarce, ...]
    left_out: tuple[LeftOut, ...]
