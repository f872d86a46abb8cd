"""The route graph of a model: what must come off first, with which tool, out and back."""

from functools import cached_property

from pydantic import Field, model_validator

from sortis_core.base import Record
from sortis_core.cautions import Caution
from sortis_core.keys import PlaceKey
from sortis_core.vocabulary.term import Term

MOST_MINUTES = 600
"""No single step takes longer."""


class Depth(Term):
    """How deep in the machine a step happens; the dive draws one line for each."""

    OUTSIDE = "outside"
    COVER = "cover"
    ISOLATE = "isolate"
    SHIELD = "shield"
    PART = "part"


class PryStart(Term):
    """Where a clipped cover is opened first."""

    HINGE = "hinge", "hinge side"
    CAPTIVE = "captive", "lifted by captive screws"
    FAR_CORNER = "far_corner", "far corner"


class CableJoint(Term):
    """How a cable holds, and so how it comes off without harm."""

    PLUG = "plug", "plug", "Rock it by the plug body; never pull on wires."
    LATCH = "latch", "latch", "Flip the latch up, then pull."
    PULL_TAB = "pull_tab", "pull tab", "Pull the tab in the line of the cable."
    EDGE_BAR = "edge_bar", "edge bar", "Swing the bar away, then slide the board edge out."


class Tool(Term):
    """Tools that routes usually ask for; a sheet may name another one in its own words."""

    HAND = "hand", "bare hands"
    PICK = "plastic pick"
    PH1 = "cross-head PH1"
    PH0 = "cross-head PH0"
    PH00 = "cross-head PH00"
    PH000 = "cross-head PH000"
    T5 = "six-lobe T5"
    T8 = "six-lobe T8"
    T9 = "six-lobe T9 class"
    SECURITY_T8 = "security six-lobe T8"
    TRAY_PIN = "tray pin"
    HEX5 = "hex socket 5 mm"


class Pry(Record):
    """One way to begin opening a clipped cover."""

    start: PryStart
    how: str


class Screws(Record):
    """One set of equal screws of a step."""

    count: int
    drive: str
    """Generic drive and size: cross-head PH1, six-lobe T8."""
    length_mm: float
    captive: bool = False
    """Captive screws only loosen; they never lie in the tray."""
    where: str = ""
    numbered: bool = False
    """Loosen and tighten in number order."""


class RouteStep(Record):
    """One step of opening a model, with its mirror on the way back."""

    key: PlaceKey
    title: str
    how: str
    back_title: str = ""
    """Empty where the way back has nothing to do for this step."""
    back_how: str = ""
    depth: Depth
    after: tuple[str, ...] = ()
    """Keys of the steps that must be done before this one."""
    either: tuple[str, ...] = ()
    """Steps of which one must be done before it as well: the bracket off, or the cage out."""
    tool: str = "hand"
    screws: tuple[Screws, ...] = ()
    minutes_out: float = Field(ge=0, le=MOST_MINUTES)
    minutes_back: float = Field(default=0.0, ge=0, le=MOST_MINUTES)
    cautions: tuple[Caution, ...] = ()
    back_cautions: tuple[Caution, ...] = ()
    breaks: tuple[str, ...] = ()
    """Spots that break, in words."""
    connector: CableJoint | None = None
    trims: tuple[str, ...] = ()
    """Trims that have this step; empty means all of them."""
    only_with: str = ""
    """Place that must hold something for the step to be there: a tray, a cage, a drive."""
    only_without: str = ""
    """Place that must be empty: the other screws where the cage is gone."""
    isolates: bool = False
    """True for the step after which no pack feeds the board."""
    consumables_cents: int = Field(default=0, ge=0)
    """Paste, pads and wipes used up whenever the step is done."""
    back_only: bool = False
    """Done on the way back alone (fresh paste, clock, lead numbers)."""
    firmware: bool = False
    """Switches the pack off in the firmware; done under the school that does so first."""
    over_pack: bool = False
    """The hand works above the pack: by school the pack is then out, not only unplugged."""
    pries: tuple[Pry, ...] = ()
    """Where to begin, the sheet's own way first; a school may choose another of these."""

    @model_validator(mode="after")
    def _comes_back(self) -> "RouteStep":
        silent = not self.back_title and not self.back_only
        if silent and (self.minutes_back or any(not s.captive for s in self.screws)):
            raise ValueError(
                f"Step {self.key} takes something out and has no words for the way back."
            )
        return self


class HandOver(Record):
    """What moves to the part that goes in, when this part is exchanged for another."""

    what: str
    """In words, where it is no place of the sheet: thermal pads."""
    place: str = ""
    """The place that moves with what it holds; its own reach says how."""
    how: str = ""
    minutes: float = Field(default=0.0, ge=0, le=MOST_MINUTES)
    """Of what is no place; a place takes the minutes out and in of its reach."""


class Reach(Record):
    """How one place of the sheet is worked on once the steps before it are done."""

    place: str
    after: tuple[str, ...]
    """Route steps that must be open before the part can be touched."""
    either: tuple[str, ...] = ()
    """Steps of which one must be open as well; whichever makes the shorter way."""
    take_out: str = ""
    put_in: str = ""
    tool: str = "hand"
    screws: tuple[Screws, ...] = ()
    minutes_out: float = Field(default=0.0, ge=0, le=MOST_MINUTES)
    minutes_in: float = Field(default=0.0, ge=0, le=MOST_MINUTES)
    cautions: tuple[Caution, ...] = ()
    carried_by: str = ""
    """Key of the route step that takes this part out on every way down; its mirror fits the
    new one. Empty where the part has a step of its own at the bottom."""
    over_pack: bool = False
    hands_over: tuple[HandOver, ...] = ()
    """What must move across when this part is exchanged: from the old board to the other one."""


class Route(Record):
    """The whole graph of one model."""

    setup_minutes: float = Field(ge=0, le=MOST_MINUTES)
    check_minutes: float = Field(ge=0, le=MOST_MINUTES)
    steps: tuple[RouteStep, ...]
    reaches: tuple[Reach, ...]
    outside: tuple[str, ...] = ()
    """Places that need no opening: a foot, a tray, a rear cover."""

    @cached_property
    def choices(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """(key of a step, or place) with the steps of which one is enough before it."""
        steps = [(step.key, step.either) for step in self.steps if step.either]
        return (*steps, *((r.place, r.either) for r in self.reaches if r.either))

    @cached_property
    def asked_about(self) -> frozenset[str]:
        """Places of which some step asks whether they hold something."""
        asked = {key for step in self.steps for key in (step.only_with, step.only_without)}
        return frozenset(asked - {""})

    def reach(self, place: str) -> Reach | None:
        """How ``place`` is reached, or None where it lies outside (a tray, a foot)."""
        return self._by_place.get(place)

    @cached_property
    def _by_place(self) -> dict[str, Reach]:
        """Asked for many times while options are made."""
        return {reach.place: reach for reach in self.reaches}
