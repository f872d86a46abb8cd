"""An option: one way a unit could end, with what it takes and what it gives."""

from functools import cached_property

from sortis_core.actions import Action
from sortis_core.base import Record
from sortis_core.route.minutes import SkillMinutes
from sortis_core.vocabulary.term import Term


class OutcomeKind(Term):
    """How a unit ends; each unit ends in exactly one way."""

    RELEASE = "release", "release as is"
    FIT = "fit"
    HOLD = "hold"
    DONOR = "donor"
    RECYCLE = "recycle"

    @property
    def ready(self) -> bool:
        """Whether a unit that ends so can be sold."""
        return self in (OutcomeKind.RELEASE, OutcomeKind.FIT)


def option_key(outcome: OutcomeKind, standard: str, actions: tuple[Action, ...]) -> str:
    """Stable name of one way: equal keys mean equal options within one model."""
    return " ".join([outcome, standard, *(action.key for action in actions)])


class PartCount(Record):
    """So many parts of a kind."""

    kind: str
    count: int


class Option(Record):
    """One way a unit could end. Parts are not priced here: that is the plan's to decide."""

    outcome: OutcomeKind
    standard: str = ""
    actions: tuple[Action, ...] = ()
    uses: tuple[PartCount, ...] = ()
    yields: tuple[PartCount, ...] = ()
    minutes: float = 0.0
    """Of all skills."""
    skills: tuple[SkillMinutes, ...] = ()
    price_cents: int = 0
    labour_cents: int = 0
    fees_cents: int = 0
    """Consumables, disposal, the shelf."""
    new_only: bool = False
    """Its parts must be new: the policy wants it for this standard."""
    waits_for: tuple[str, ...] = ()
    """Hold: part kinds that are known to come and would let the unit be sold."""
    uneven: bool = False
    """Fills slots so that the channels differ, where even ones were possible."""

    @cached_property
    def key(self) -> str:
        """Stable name: equal keys mean equal options within one model."""
        return option_key(self.outcome, self.standard, self.actions)

    @property
    def net_cents(self) -> int:
        """Price less labour and fees, before parts."""
        return self.price_cents - self.labour_cents - self.fees_cents


class Rejection(Record):
    """Why a unit cannot reach a standard, or cannot end in some way: a fact, in words."""

    outcome: OutcomeKind
    standard: str = ""
    fact: str
    look_first: bool = False
    """True where looking at the unit again could change it."""


class Dominated(Record):
    """An option that was dropped because another is never worse, and which one that is."""

    option: Option
    by: Option


class UnitOptions(Record):
    """All ways one unit could end, and the facts against the others."""

    options: tuple[Option, ...]
    rejections: tuple[Rejection, ...]
    dominated: tuple[Dominated, ...] = ()
