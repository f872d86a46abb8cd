"""What waits today, for whom, and in which order; the way of a new workshop to its first plan."""

from collections.abc import Collection, Iterable

from sortis_core.base import Record
from sortis_core.vocabulary.states import Role
from sortis_core.vocabulary.term import Term

MOST_SHOWN = 8


class Doing(Term):
    """Something to do that waits for somebody."""

    DANGER = "danger", "say where the danger went"
    RECEIVE = "receive", "book parts in"
    ORDER = "order", "order parts"
    RELEASE = "release", "check and release"
    FIT = "fit", "fit"
    APPROVE = "approve", "approve the plan"
    PLAN = "plan"
    PRICE = "price", "say a price"
    INSPECT = "inspect"
    COUNT = "count", "count in"
    TRY = "try", "try or sanitise parts"
    REFILL = "refill", "buy what falls below its least"


WHO: dict[Doing, tuple[Role, ...]] = {
    Doing.DANGER: (Role.INSPECTOR,),
    Doing.RECEIVE: (Role.STOREKEEPER,),
    Doing.ORDER: (Role.STOREKEEPER, Role.PLANNER),
    Doing.RELEASE: (Role.RELEASER,),
    Doing.FIT: (Role.TECHNICIAN,),
    Doing.APPROVE: (Role.PLANNER,),
    Doing.PLAN: (Role.PLANNER,),
    Doing.PRICE: (Role.OWNER,),
    Doing.INSPECT: (Role.INSPECTOR,),
    Doing.COUNT: (Role.RECEIVER,),
    Doing.TRY: (Role.STOREKEEPER, Role.TECHNICIAN),
    Doing.REFILL: (Role.STOREKEEPER, Role.PLANNER),
}
"""Who does what (docs/rules.md, People)."""


class Waiting(Record):
    """Something that waits, of one batch or of the whole workshop."""

    doing: Doing
    batch: str = ""
    """Its address; empty where it is nobody's batch."""
    name: str = ""
    count: int
    days_left: int | None = None
    """Until it is due; negative where it is late."""
    about: str = ""
    """A tag, a part: what it is about where it is one thing."""


class Next(Record):
    """One line of what to do next."""

    doing: Doing
    batch: str
    sentence: str
    beside: str
    """Where, and by when."""
    about: str
    late: bool


def next_for(roles: Collection[Role], waiting: Iterable[Waiting]) -> tuple[Next, ...]:
    """What somebody with these roles does next: dangers, what is late, then what is due first.

    Of what is due alike, that goes first which is nearest to the sale.
    """
    order = list(Doing)
    mine = [one for one in waiting if one.count and set(roles) & set(WHO[one.doing])]
    mine.sort(
        key=lambda one: (
            one.doing is not Doing.DANGER,
            one.days_left if one.days_left is not None else 10**6,
            order.index(one.doing),
            one.batch,
        )
    )
    return tuple(
        Next(
            doing=one.doing,
            batch=one.batch,
            sentence=_sentence(one),
            beside=_beside(one),
            about=one.about,
            late=one.days_left is not None and one.days_left < 0,
        )
        for one in mine[:MOST_SHOWN]
    )


def _sentence(one: Waiting) -> str:
    units = "one unit" if one.count == 1 else f"{one.count} units"
    words = {
        Doing.DANGER: f"Say where the danger of {one.about} went"
        if one.count == 1
        else f"Say where {one.count} dangers went",
        Doing.RECEIVE: f"Book in {_lots(one.count, 'purchase')} that should be here",
        Doing.ORDER: f"Order {_lots(one.count, 'purchase')}",
        Doing.RELEASE: f"Check and release {units}",
        Doing.FIT: f"Fit {units}",
        Doing.APPROVE: "Approve the plan",
        Doing.PLAN: f"Plan {units}",
        Doing.PRICE: f"Say what {_lots(one.count, 'model')} sells for"
        if one.count == 1
        else f"Say what {_lots(one.count, 'model')} sell for",
        Doing.INSPECT: f"Inspect {units}",
        Doing.COUNT: f"Count {units} in",
        Doing.TRY: f"Try or sanitise {_lots(one.count, 'part')}",
        Doing.REFILL: f"Buy {_lots(one.count, 'part kind')} that fell below the least",
    }
    return words[one.doing]


def _lots(count: int, one: str) -> str:
    return f"one {one}" if count == 1 else f"{count} {one}s"


def _beside(one: Waiting) -> str:
    if one.days_left is None:
        return one.name
    if one.days_left < 0:
        late = -one.days_left
        when = "a day late" if late == 1 else f"{late} days late"
    elif one.days_left == 0:
        when = "due today"
    else:
        when = "due tomorrow" if one.days_left == 1 else f"due in {one.days_left} days"
    return f"{one.name}, {when}" if one.name else when


class FirstStep(Term):
    """The way of a new workshop to its first plan, in order."""

    STANDARD = "standard", "a resale standard", "What a unit must be like to be sold."
    KINDS = "kinds", "part kinds", "The parts you fit; the starter set brings the usual ones."
    BATCH = "batch", "a batch", "Units that were bought together."
    MANIFEST = "manifest", "its list taken in", "CSV or XLSX; every row is judged first."
    COUNTED = "counted", "units counted in", "Scan each as you see it, or count all in."
    INSPECTED = "inspected", "units inspected", "What is inside, what is missing, what is worn."
    PRICE = "price", "a price for each model", "What it sells for, by standard and grade."
    APPROVED = "approved", "a plan approved", "Then work orders wait at the bench."


class StepTaken(Record):
    """One step of the way, and whether it is taken."""

    step: FirstStep
    done: bool


def first_steps(done: Collection[FirstStep]) -> tuple[StepTaken, ...]:
    """The way to the first plan; nothing once one was approved."""
    if FirstStep.APPROVED in done:
        return ()
    return tuple(StepTaken(step=step, done=step in done) for step in FirstStep)
