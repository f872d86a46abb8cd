"""What a plan says: outcomes with their sums and reasons, allocations, what is scarce."""

from typing import Literal

from sortis_core.actions import Action
from sortis_core.base import Record, SortisError
from sortis_core.options import OutcomeKind, Rejection
from sortis_core.route.minutes import SkillMinutes


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

    key: str
    """The option's key, to pin it by."""
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
    skills: tuple[SkillMinutes, ...] = ()
    price_cents: int
    """What its standard gives."""
    customer_cents: int = 0
    """What the customer whose order it counts toward pays more than that, or less."""
    parts_cents: int
    gives_cents: int
    """Harvest value of the parts it gives to other units of this plan."""
    labour_cents: int
    fees_cents: int
    contribution_cents: int
    sales_order: str = ""
    """Key of the sales order it counts toward."""
    pinned: bool = False
    kept: bool = False
    """Its open order is kept as it was."""
    waits_for: tuple[str, ...] = ()
    """A held unit: the part kinds that its best way wants and that are used up or not to be had
    in time."""
    runner_up: str = ""
    """The next best way in words; empty where there is none."""
    loss_cents: int = 0
    """What the runner-up would cost the batch, its scarce parts and minutes counted; an estimate
    from the worth of one more. ``explain`` solves for the exact figure."""
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
    solved: bool = False
    """Solved again with one more; else an estimate, by the plan without whole numbers."""


class NoSuchUnit(SortisError):
    """The case does not decide this unit."""

    title = "The unit is not in the plan"


class Unpriced(Record):
    """Units that could be sold and wait only for somebody to say what they sell for."""

    sheet: str
    model: str
    grade: str
    standards: tuple[str, ...]
    """Names of the standards that they reach and that have no price for them."""
    tags: tuple[str, ...]
    sentence: str


class Sought(Record):
    """Units that could be sold with parts which nobody has or offers, and wait for somebody to."""

    kinds: tuple[str, ...]
    tags: tuple[str, ...]
    most_cents: int
    """What one of the units leaves for these parts, in all, where it leaves most: counted alone."""
    worth_cents: int | None = None
    """What the batch leaves more with one of each for nothing; None while nobody solved for it."""
    sentence: str
    price: str = ""
    """What may be paid for them, in words; an estimate says that it is one. Plans that were kept
    before this was a line of its own say it in their sentence."""


class LeftOut(Record):
    """A unit the plan does not decide, and why."""

    tag: str
    reason: str


class Bought(Record):
    """One line of the buying list."""

    offer: str
    kind: str
    label: str
    supplier: str
    count: int
    """Whole packs; what exceeds ``used`` goes into the store."""
    used: int
    pack_size: int
    price_cents: int
    """Of one, at this count."""
    days: int
    tags: tuple[str, ...]
    """The units it is for."""


class Harvested(Record):
    """One line of the harvest list."""

    giver: str
    kind: str
    label: str
    taker: str


class SalesOrderMet(Record):
    """How far a sales order is met."""

    key: str
    customer: str
    standard: str
    wanted: int
    tags: tuple[str, ...]


class ChangedOrder(Record):
    """An open work order that this plan changes, and why."""

    tag: str
    before: str
    after: str
    reason: str


class Proof(Record):
    """One goal that was solved for, in order, with the proven bound."""

    goal: str
    value: float
    bound: float


class Plan(Record):
    """The whole plan of a batch."""

    format: Literal["sortis-plan-4"] = "sortis-plan-4"
    batch: str
    currency: str
    goal: str
    contribution_cents: int
    """Prices less parts, labour and fees of all units, less what is bought and not used."""
    proofs: tuple[Proof, ...]
    """The goals in order, each best while those before it stay best. The last one is the
    contribution in cents, less the premium of uneven fillings (docs/rules.md)."""
    gap_percent: float
    """How far the worst of the proofs may be from its bound; 0 is proven best."""
    spend_cents: int
    surplus_cents: int
    """Part of the spend: parts bought in packs that no unit uses."""
    minutes: float
    bench_minutes: float
    skills: tuple[SkillMinutes, ...]
    ready: int
    """Units that reach a standard."""
    outcomes: tuple[UnitOutcome, ...]
    groups: tuple[PlanGroup, ...]
    allocations: tuple[Allocation, ...]
    scarce: tuple[Scarce, ...]
    binds: tuple[str, ...]
    """What limits the plan, in words."""
    buying: tuple[Bought, ...]
    harvest: tuple[Harvested, ...]
    sales_orders: tuple[SalesOrderMet, ...]
    changes: tuple[ChangedOrder, ...]
    left_out: tuple[LeftOut, ...]
    unpriced: tuple[Unpriced, ...] = ()
    sought: tuple[Sought, ...] = ()
