"""Part kinds with the facts that decide fit, the lots that hold them, the offers to buy them."""

from collections.abc import Iterable
from typing import Annotated, Literal, assert_never

from pydantic import Field, field_validator, model_validator

from sortis_core.base import Cents, Record
from sortis_core.keys import Key
from sortis_core.sheets import (
    Connector,
    DrivePlace,
    Generation,
    Interface,
    Memory,
    MemorySlot,
    ModuleForm,
    PackPlace,
    Stream,
)
from sortis_core.vocabulary.term import Term


class Condition(Term):
    """What state the parts of a lot are in."""

    NEW = "new"
    HARVESTED_TESTED = "tested", "harvested, tested"
    HARVESTED_UNTESTED = "untested", "harvested, untested"
    AWAITING_SANITISING = "unsanitised", "waiting for sanitising"

    @property
    def asks(self) -> str:
        """What must be done before a part in this state may go into a unit; empty where nothing."""
        match self:
            case Condition.NEW | Condition.HARVESTED_TESTED:
                return ""
            case Condition.HARVESTED_UNTESTED:
                return "was not tried yet. Try it, note under Stock whether it works, then go on."
            case Condition.AWAITING_SANITISING:
                return "was not sanitised yet. Note under Stock how it was done, then go on."
            case _:
                assert_never(self)

    @property
    def usable(self) -> bool:
        """Whether parts in this state may go into a unit."""
        return not self.asks


class DriveEnd(Term):
    """How a drive that held data left without being sanitised here (docs/rules.md, Release)."""

    DESTROYED = "destroyed"
    RETURNED = "gone_back", "gone back to its owner"

    @property
    def asks(self) -> str:
        """What stands on record of it."""
        match self:
            case DriveEnd.DESTROYED:
                return "Say by whom the drive was destroyed, and the number of the certificate."
            case DriveEnd.RETURNED:
                return "Say who took the drive back, when, and by which receipt."
            case _:
                assert_never(self)


class ModuleFacts(Record):
    """What decides whether a module fits a slot."""

    type: Literal["module"] = "module"
    gb: int = Field(ge=0, le=1_000_000)
    generation: Generation
    form: ModuleForm = ModuleForm.SODIMM
    mts: int = Field(ge=0, le=1_000_000)
    low_voltage: bool = True
    maker: str = ""
    """Who makes it, in small letters; empty where the store does not tell them apart."""

    def refusal(self, memory: Memory, slot: MemorySlot) -> str:
        """Why the module cannot go into the slot, as a sentence; empty where it can."""
        if self.generation is not memory.generation:
            return f"{slot.label} takes {memory.generation} only; the module is {self.generation}."
        if memory.form and self.form is not memory.form:
            return f"{slot.label} takes {memory.form}; the module is {self.form}."
        if memory.low_voltage_only and not self.low_voltage:
            return f"{slot.label} runs low-voltage modules only."
        if self.gb > slot.limit_gb:
            return f"{slot.label} takes up to {slot.limit_gb} GB; the module has {self.gb} GB."
        return ""


class DriveFacts(Record):
    """What decides whether a drive fits a place."""

    type: Literal["drive"] = "drive"
    gb: int = Field(ge=0, le=1_000_000)
    connector: Connector
    interface: Interface
    length_mm: Annotated[int, Field(ge=0, le=10_000)] | None = None
    height_mm: Annotated[float, Field(ge=0, le=10_000)] | None = None
    double_sided: bool = False
    spinning: bool = False

    def refusal(self, place: DrivePlace) -> str:
        """Why the drive cannot go into the place, as a sentence; empty where it can."""
        if self.connector is not place.connector:
            return f"{place.label} is {place.connector}; the drive is {self.connector}."
        if self.interface not in place.interfaces:
            spoken = " or ".join(place.interfaces)
            return f"{place.label} speaks {spoken}; the drive is {self.interface}."
        if place.lengths_mm and self.length_mm not in place.lengths_mm:
            lengths = ", ".join(map(str, place.lengths_mm))
            return f"{place.label} has a standoff for {lengths}; the drive is {self.length_mm}."
        if place.single_sided_only and self.double_sided:
            return f"{place.label} takes single-sided drives only."
        if place.height_mm and self.height_mm and self.height_mm > place.height_mm:
            return f"{place.label} is {place.height_mm:g} mm high; the drive {self.height_mm:g}."
        if self.gb > place.limit_gb:
            return f"{place.label} takes up to {place.limit_gb} GB; the drive has {self.gb} GB."
        return ""


class PackFacts(Record):
    """What decides whether a pack fits a place."""

    type: Literal["pack"] = "pack"
    family: str
    design_wh: float = Field(ge=0, le=10_000)

    def refusal(self, place: PackPlace) -> str:
        """Why the pack cannot go into the place, as a sentence; empty where it can."""
        if self.family in {variant.family for variant in place.variants}:
            return ""
        return f"{place.label} takes {', '.join(v.family for v in place.variants)}."


class BracketFacts(Record):
    """An adapter that holds a shorter M.2 drive at a longer standoff."""

    type: Literal["bracket"] = "bracket"
    drive_mm: int = Field(ge=0, le=10_000)
    standoff_mm: int = Field(ge=0, le=10_000)


class OtherFacts(Record):
    """A part that fits by its kind alone: the sheet names the kind it wants."""

    type: Literal["part"] = "part"


class PartKind(Record):
    """A kind of part, as the store knows it."""

    key: Key
    label: str = Field(max_length=120)
    facts: ModuleFacts | DriveFacts | PackFacts | BracketFacts | OtherFacts
    harvest_value_cents: int = Field(default=0, ge=0, le=100_000_000)
    """What one taken from a donor is charged at when it serves another unit."""
    stream: Stream | None = None
    """What it would be recycled with."""
    grams: int = Field(default=0, ge=0, le=1_000_000)
    least: int = Field(default=0, ge=0, le=100_000)
    """So many are to lie free in the store, or be on their way; 0 where nobody asks for any."""
    instead_of: tuple[Key, ...] = Field(default=(), max_length=20)
    """Kinds that sheets name, in whose place it goes as well."""

    def serves_as(self, kind: str) -> bool:
        """Whether it goes where a sheet names this kind."""
        return kind in (self.key, *self.instead_of)

    @model_validator(mode="after")
    def _stands_in(self) -> "PartKind":
        if self.instead_of and not isinstance(self.facts, OtherFacts):
            raise ValueError(
                "Modules, drives, packs and brackets fit by their facts. Only a part that sheets "
                "name can go in the place of another."
            )
        if self.key in self.instead_of:
            raise ValueError("A part kind does not go in its own place instead of itself.")
        return self

    def short(self, free: int, coming: int) -> int:
        """How many are to be bought so that the least is there.

        :param free: usable and promised to nobody. :param coming: ordered, and for nobody yet.
        """
        return max(0, self.least - free - coming)

    @field_validator("label")
    @classmethod
    def _is_called(cls, label: str) -> str:
        if not label.strip():
            raise ValueError("Give the part kind a name of up to 120 letters.")
        return label


def condition_out_of_unit(kind: PartKind, *, starts: bool) -> Condition:
    """State of a part that comes out of a unit.

    A drive held somebody's data. Anything else was seen working where the unit starts, and is tried
    first where it does not.
    """
    if isinstance(kind.facts, DriveFacts):
        return Condition.AWAITING_SANITISING
    return Condition.HARVESTED_TESTED if starts else Condition.HARVESTED_UNTESTED


def condition_received(kind: PartKind, said: Condition) -> Condition:
    """State in which parts enter the store that no plan and no purchase brought.

    A drive that is not new waits for its record, whatever is said of it.
    """
    if isinstance(kind.facts, DriveFacts) and said is not Condition.NEW:
        return Condition.AWAITING_SANITISING
    return said


class Lot(Record):
    """Equal parts in one place and condition that nobody has been promised.

    Parts that were bought before and are still on their way are a lot that comes in ``days``.
    """

    key: str
    kind: str
    condition: Condition
    place: str
    count: int
    unit_cost_cents: int
    days: int = 0
    """Days until the parts are here."""


class PriceBreak(Record):
    """From so many parts on, each costs this."""

    from_count: int = Field(ge=2, le=1_000_000)
    price_cents: Cents


def breaks_fall(price_cents: int, breaks: Iterable[PriceBreak]) -> bool:
    """Whether each price break begins at a higher count and costs no more than the one before."""
    steps = sorted(breaks, key=lambda step: step.from_count)
    prices = [price_cents, *(step.price_cents for step in steps)]
    counts = {step.from_count for step in steps}
    return prices == sorted(prices, reverse=True) and len(counts) == len(steps)


class Offer(Record):
    """Parts of a kind that can be bought."""

    key: str
    kind: str
    supplier: str
    price_cents: int
    """Price of one, below the first break."""
    limit: int
    """How many can be had."""
    days: int
    pack_size: int = Field(default=1, ge=1)
    """Sold in packs of so many; what a plan does not use goes into the store."""
    breaks: tuple[PriceBreak, ...] = ()

    def each_cents(self, count: int) -> int:
        """Price of one when ``count`` are bought at once."""
        price = self.price_cents
        for step in sorted(self.breaks, key=lambda step: step.from_count):
            if count >= step.from_count:
                price = step.price_cents
        return price

    @property
    def lowest_cents(self) -> int:
        """Price of one at the deepest break that the limit allows."""
        return min(
            [self.price_cents, *(b.price_cents for b in self.breaks if b.from_count <= self.limit)]
        )
