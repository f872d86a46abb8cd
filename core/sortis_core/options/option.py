"""An option: one way a unit could end, with what it takes and what it gives."""

from collections import Counter
from collections.abc import Mapping, Sequence
from functools import cached_property, lru_cache
from typing import NamedTuple

from sortis_core.actions import Action
from sortis_core.base import Record
from sortis_core.route.minutes import Skill, SkillMinutes
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
    if outcome is OutcomeKind.DONOR:
        return outcome.value  # What it gives is only settled with the batch.
    return " ".join([outcome, standard, *(action.key for action in actions)])


class PartCount(Record):
    """So many parts of a kind."""

    kind: str
    count: int

    @cached_property
    def one_by_one(self) -> tuple[tuple[str, int], ...]:
        """Each of them, told apart by a number."""
        return tuple((self.kind, number) for number in range(self.count))


class Piece(Record):
    """Work at one part that a donor gives, apart from the way to it."""

    minutes: float
    labour_cents: int


class Layer(Record):
    """Work on a donor that is done once for all the parts that lie under it."""

    minutes: float
    labour_cents: int
    over: tuple[int, ...]
    """Which of the donor's actions need it."""


class Option(Record):
    """One way a unit could end. Parts are not priced here: that is the plan's to decide.

    A donor's actions are all it could give. It gives what the batch uses and is opened only so far:
    its work is that of ``pieces`` and of the ``layers`` over them, and none of its own.
    """

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
    """Hold: part kinds that would let the unit be sold, and come late or are still to be found."""
    sought_cents: int = 0
    """Hold: what may be paid in all for what it waits for, where nobody has or offers that."""
    pieces: tuple[Piece, ...] = ()
    """Donor: the work at each of its actions."""
    layers: tuple[Layer, ...] = ()
    """Donor: the work on the way to them."""
    shelf_cents: int = 0
    """Hold of what could be sold: what the shelf costs above the recycler. It is paid, and decides
    nothing: neither to take the unit apart, nor against the stock that would let it be sold."""
    uneven: bool = False
    """Fills slots so that the channels differ, where even ones were possible."""

    @property
    def stays_whole(self) -> bool:
        """Whether the unit ends as it came, and is not sold."""
        return self.outcome in (OutcomeKind.HOLD, OutcomeKind.RECYCLE)

    @cached_property
    def key(self) -> str:
        """Stable name: equal keys mean equal options within one model."""
        return option_key(self.outcome, self.standard, self.actions)

    def given(self, taken: Sequence[int]) -> "Option":
        """The donor once it is settled what it gives: work and yields of just that.

        :param taken: which of its actions.
        """
        layers = [layer for layer in self.layers if not set(layer.over).isdisjoint(taken)]
        pieces = [self.pieces[n] for n in taken]
        minutes = sum(layer.minutes for layer in layers) + sum(piece.minutes for piece in pieces)
        labour = sum(layer.labour_cents for layer in layers)
        labour += sum(piece.labour_cents for piece in pieces)
        minutes = round(minutes, 2)
        actions = tuple(self.actions[n] for n in taken)
        return self.model_copy(
            update={
                "actions": actions,
                "yields": counts(Counter(action.takes_out for action in actions)),
                "minutes": minutes,
                "skills": (SkillMinutes(skill=Skill.BENCH, minutes=minutes),) if minutes else (),
                "labour_cents": labour,
                "pieces": (),
                "layers": (),
            }
        )

    def sold_for(self, price_cents: int) -> "Option":
        """The option with the price of its standard on top: all else that is known of it stays."""
        priced = {"price_cents": self.price_cents + price_cents}
        return super(Record, self).model_copy(update=priced)

    @cached_property
    def moved(self) -> Counter[str]:
        """Parts that move from one place of the unit to another: used and given in one."""
        found: Counter[str] = Counter()
        if not self.new_only and self.uses:
            gives = {part.kind: part.count for part in self.yields}
            for part in self.uses:
                if both := min(part.count, gives.get(part.kind, 0)):
                    found[part.kind] = both
        return found

    @cached_property
    def taken(self) -> tuple[PartCount, ...]:
        """What it uses that does not come from another place of the unit."""
        return _without(self.uses, self.moved) if self.yields else self.uses

    @cached_property
    def freed(self) -> tuple[PartCount, ...]:
        """What comes free that another unit may use."""
        return _without(self.yields, self.moved) if self.uses else self.yields

    @property
    def net_cents(self) -> int:
        """Price less labour and fees, before parts."""
        return self.price_cents - self.labour_cents - self.fees_cents


def counts(counted: Mapping[str, int]) -> tuple[PartCount, ...]:
    """Kinds and how many, by kind."""
    return tuple([_part_count(kind, count) for kind, count in sorted(counted.items())])


def _without(parts: tuple[PartCount, ...], moved: Mapping[str, int]) -> tuple[PartCount, ...]:
    if not moved:
        return parts
    left = [_part_count(part.kind, part.count - moved.get(part.kind, 0)) for part in parts]
    return tuple([part for part in left if part.count])


@lru_cache(maxsize=4096)
def _part_count(kind: str, count: int) -> PartCount:
    """The same few are in thousands of options."""
    return PartCount(kind=kind, count=count)


class Rejection(Record):
    """Why a unit cannot reach a standard, or cannot end in some way: a fact, in words."""

    outcome: OutcomeKind
    standard: str = ""
    fact: str
    look_first: bool = False
    """True where looking at the unit again could change it."""
    no_price: bool = False
    """True where the unit could reach the standard and only its price is missing."""


class Dominated(NamedTuple):
    """An option that was dropped because another is never worse, and which one that is."""

    option: Option
    by: Option


class UnitOptions(Record):
    """All ways one unit could end, and the facts against the others."""

    options: tuple[Option, ...]
    rejections: tuple[Rejection, ...]
    dominated: tuple[Dominated, ...] = ()
    """Told only to who asks for them."""
    beaten_uses: frozenset[str] = frozenset()
    """Part kinds that some of the dominated use."""
