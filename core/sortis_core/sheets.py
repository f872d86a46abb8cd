"""Model sheets: what a model can hold, what a complete unit has, how it opens.

A sheet is a versioned document. Every limit carries its source, so that a refusal can say where
the figure comes from. The types cover what all known shapes of machine need: several packs,
trims with and without parts, kits a bay needs, parts that go in sets, sockets shared with a
radio card, board and display variants.
"""

import hashlib
from functools import cached_property
from typing import Literal, NamedTuple

from pydantic import Field, model_validator

from sortis_core.base import Record
from sortis_core.configuration import VALUES, Aspect
from sortis_core.keys import Key, PlaceKey
from sortis_core.route.graph import MOST_MINUTES, Route
from sortis_core.vocabulary.term import Term

LARGEST_MEMORY_GB = 4096
LARGEST_DRIVE_GB = 200_000
LARGEST_PACK_WH = 400
MOST_VOLTS = 60
MOST_WATTS = 1000
FASTEST_MTS = 20_000
"""No portable and no mini PC lies beyond; a figure above is a slip of the hand."""


class FactSource(Term):
    """Where a figure comes from."""

    MANUAL = "manual", "maker's manual"
    LABEL = "label"
    BENCH = "bench", "bench-proven"
    GUESS = "guess"


class Generation(Term):
    """Memory generations; they never mix."""

    DDR3 = "DDR3"
    DDR3L = "DDR3L"
    DDR4 = "DDR4"
    DDR5 = "DDR5"


class ModuleForm(Term):
    """Size of a memory module."""

    SODIMM = "SODIMM"
    DIMM = "DIMM"


class MemoryCeiling(Record):
    """The most memory a board runs, by one source."""

    gb: int = Field(gt=0, le=LARGEST_MEMORY_GB)
    source: FactSource
    units_on_record: int = 0
    """For bench-proven ceilings: how many released units ran it."""
    seen_by: str = Field(default="", max_length=80)
    """Which workshop saw it run; empty where nobody said."""


class SolderedMemory(Record):
    """Memory on the board; it cannot change."""

    key: str = "m0"
    label: str = "soldered"
    amounts_gb: tuple[int, ...] = Field(min_length=1)
    """The amounts the boards of this model come with."""


class Place(Record):
    """Anything of a sheet that is looked at and may be worked on."""

    key: PlaceKey
    label: str


class MemorySlot(Place):
    """A place for one module."""

    limit_gb: int = Field(gt=0, le=LARGEST_MEMORY_GB)
    channel: str


class Memory(Record):
    """The memory side of a board."""

    generation: Generation
    form: ModuleForm | None = None
    mts: int = Field(gt=0, le=FASTEST_MTS)
    """Transfers the board runs at most, in MT/s."""
    low_voltage_only: bool = False
    soldered: SolderedMemory | None = None
    slots: tuple[MemorySlot, ...] = ()
    stated: MemoryCeiling
    proven: MemoryCeiling | None = None
    cpu_gb: int | None = Field(default=None, gt=0, le=LARGEST_MEMORY_GB)
    """What the processor's own data sheet allows; shown, never planned with."""
    cpu_mts: int | None = Field(default=None, gt=0, le=FASTEST_MTS)
    """Transfers the processor runs at most; None where the board's figure is the only one."""

    @property
    def fastest_mts(self) -> int:
        """Lowest of board and processor."""
        return min(self.mts, self.cpu_mts or self.mts)

    def ceiling(self, bench_proven: bool) -> MemoryCeiling:
        """The ceiling by school; the bench-proven one only where it lies higher."""
        if bench_proven and self.proven and self.proven.gb > self.stated.gb:
            return self.proven
        return self.stated


class Connector(Term):
    """What a drive plugs into."""

    BAY = "bay", "2.5-inch bay"
    M2 = "m2", "M.2"
    MSATA = "mSATA"
    EMMC = "eMMC"


class Interface(Term):
    """What a drive speaks."""

    SATA = "SATA"
    NVME = "NVMe"
    EMMC = "eMMC"


class DrivePlace(Place):
    """A bay or socket for a drive."""

    connector: Connector
    interfaces: tuple[Interface, ...]
    lengths_mm: tuple[int, ...] = ()
    """M.2 lengths that have a standoff: 2230, 2242, 2260, 2280."""
    height_mm: float | None = None
    single_sided_only: bool = False
    pcie_generation: int | None = None
    limit_gb: int = Field(gt=0, le=LARGEST_DRIVE_GB)
    source: FactSource = FactSource.MANUAL
    shared_with_radio: bool = False
    trims: tuple[str, ...] = ()


class PackVariant(Record):
    """One pack the model may carry."""

    family: str
    design_wh: float = Field(gt=0, le=LARGEST_PACK_WH)
    volts: float = Field(gt=0, le=MOST_VOLTS)
    cells: int = Field(ge=1)
    screws_included: bool = False
    """The pack comes with its own captive screws and is bought with them."""
    needs: tuple[str, ...] = ()
    """What else this size wants, in words: another base, more screws."""
    needs_kinds: tuple[str, ...] = ()
    """Part kinds that must go in with this size, the same in the store's terms."""


class PackPlace(Place):
    """Where a pack sits. Two places with one external make a bridge."""

    external: bool = False
    variants: tuple[PackVariant, ...] = Field(min_length=1)
    trims: tuple[str, ...] = ()

    @property
    def largest(self) -> PackVariant:
        """The variant that holds most."""
        return max(self.variants, key=lambda variant: variant.design_wh)


class RequiredPart(Place):
    """A part that a complete unit has."""

    kind: str
    """Key of the stock's part kind that replaces it."""
    only_with_drive_in: str = ""
    """Key of a drive place: the part is required only when that place holds a drive."""
    goes_with: tuple[str, ...] = ()
    """Other required parts that must be replaced together with this one."""
    trims: tuple[str, ...] = ()


class Repair(Record):
    """What a failed function test calls for."""

    kind: str
    """Part kind that goes in; the route reaches it under the test's own key."""


class Attempt(Record):
    """What may mend a failed test without a part: ease a hinge, reseat a plug, clean contacts."""

    words: str = Field(min_length=1)
    """What is done, as an order: ``reseat the display plug``."""
    minutes: float = Field(ge=0, le=MOST_MINUTES)


class FunctionTest(Place):
    """A function of the powered unit that is seen working, or not."""

    attempt: Attempt | None = None
    """Tried first, before a part; the route reaches it under the test's own key."""
    repair: Repair | None = None
    """The part that mends it. Neither an attempt nor a part: not worth a repair."""
    trims: tuple[str, ...] = ()


class MachineForm(Term):
    """What kind of machine a model is."""

    LAPTOP = "laptop"
    MINI_PC = "mini_pc", "mini PC"


class Trim(Record):
    """A variant of one model that differs in what it has."""

    key: PlaceKey
    label: str


BOARD = "board"
"""Place of the board itself, where a sheet knows of boards that can go in."""


class BoardVariant(Record):
    """A board the model came with."""

    key: PlaceKey
    label: str
    soldered_gb: int = 0
    processor: str = ""
    """Which of the sheet's processors sits on it; empty where it is socketed or all are alike."""
    kind: str = ""


class Choice(Record):
    """One of the things that units of a model were built with, in one aspect."""

    key: PlaceKey
    """As an inspector types it."""
    label: str = Field(min_length=1)
    kind: str = ""
    """Part kind that makes a unit so; empty where no part does."""
    place: str = ""
    """Where that part goes in: what the route reaches it under."""
    with_kinds: tuple[str, ...] = ()
    """Part kinds that must go in with it: a touch panel's cable."""
    read_as: tuple[str, ...] = ()
    """What a running unit calls it, or a part of that."""
    trims: tuple[str, ...] = ()
    """Trims that came with it; empty means any."""


class BuiltWith(Record):
    """What units of a model may have been built with, in one aspect."""

    aspect: Aspect
    choices: tuple[Choice, ...] = Field(min_length=1)
    usual: str = ""
    """What most of them have."""

    @model_validator(mode="after")
    def _agrees_with_itself(self) -> "BuiltWith":
        keys = [choice.key for choice in self.choices]
        if twice := sorted({key for key in keys if keys.count(key) > 1}):
            raise ValueError(f"{self.aspect}: {twice[0]} stands for two things.")
        if self.usual and self.usual not in keys:
            raise ValueError(f"{self.aspect}: {self.usual} is usual and none of its choices.")
        if self.aspect in VALUES:
            known = {value.value for value in VALUES[self.aspect]}
            if strange := sorted(set(keys) - known):
                raise ValueError(f"{self.aspect}: {strange[0]} is none of {sorted(known)}.")
        for choice in self.choices:
            if bool(choice.kind) != bool(choice.place):
                raise ValueError(
                    f"{self.aspect}: {choice.label} needs both a part kind and the place it goes "
                    "to, or neither."
                )
        return self


class DrawProfile(Record):
    """Typical draw of the unit by use."""

    use: str
    watts: float = Field(gt=0, le=MOST_WATTS)


class Stream(Term):
    """What a unit is sorted into when it is recycled; the place's own rules come first."""

    BOARDS = "boards", "boards and modules"
    PACKS = "packs", "lithium packs"
    DRIVES = "drives"
    METAL = "metal"
    PLASTIC = "plastic"
    DISPLAYS = "displays"
    SMALL = "small", "cables and small parts"


class StreamWeight(Record):
    """How much of a unit goes into one stream."""

    stream: Stream
    grams: int = Field(ge=0)


class TrimPlaces(NamedTuple):
    """What units of one trim have."""

    drives: tuple[DrivePlace, ...]
    packs: tuple[PackPlace, ...]
    parts: tuple[RequiredPart, ...]
    tests: tuple[FunctionTest, ...]


class ModelSheet(Record):
    """All that is known of one model."""

    format: Literal["sortis-sheet-4"] = "sortis-sheet-4"
    key: Key
    version: int
    maker: str
    model: str
    form: MachineForm
    year: int = Field(ge=1990, le=2100)
    summary: str
    written: bool = True
    """False where only the name is known: nobody can inspect by it yet."""
    trims: tuple[Trim, ...] = Field(min_length=1)
    memory: Memory
    drives: tuple[DrivePlace, ...]
    packs: tuple[PackPlace, ...] = ()
    parts: tuple[RequiredPart, ...] = ()
    tests: tuple[FunctionTest, ...] = ()
    boards: tuple[BoardVariant, ...] = ()
    built_with: tuple[BuiltWith, ...] = ()
    """What its units differ in beyond memory and drives."""
    draw: tuple[DrawProfile, ...] = ()
    firmware_switches_pack_off: bool = False
    adapter: str = ""
    """The adapter it runs from, in words: volts, watts, plug."""
    built_in_test: str = ""
    """How the model's own hardware test is started; empty where it has none."""
    seals: tuple[str, ...] = ()
    weights: tuple[StreamWeight, ...] = ()
    """Of a complete unit, by stream; empty where nobody weighed one."""
    route: Route

    @property
    def name(self) -> str:
        """Maker and model as people say it."""
        return f"{self.maker} {self.model}"

    @model_validator(mode="after")
    def _agrees_with_itself(self) -> "ModelSheet":
        keys = [place.key for place in self.places]
        if self.memory.soldered:
            keys.append(self.memory.soldered.key)
        keys += [aspect.value for aspect in Aspect]
        twice = sorted({key for key in keys if keys.count(key) > 1})
        if twice:
            raise ValueError(f"{self.name}: the key {twice[0]} stands for two places.")
        drives = {drive.key for drive in self.drives}
        for part in self.parts:
            if part.only_with_drive_in and part.only_with_drive_in not in drives:
                raise ValueError(
                    f"{self.name}: {part.label} goes with {part.only_with_drive_in}, which is no "
                    "drive place of the sheet."
                )
        aspects = [built.aspect for built in self.built_with]
        if len(set(aspects)) < len(aspects):
            raise ValueError(f"{self.name}: the choices of an aspect are listed twice.")
        processors = {choice.key for choice in self.choices_of(Aspect.PROCESSOR)}
        boards = {board.key for board in self.boards}
        for board in self.boards:
            if board.processor and board.processor not in processors:
                raise ValueError(
                    f"{self.name}: {board.label} carries {board.processor}, which is none of its "
                    "processors."
                )
        if strange := {c.key for c in self.choices_of(Aspect.BOARD)} - boards:
            raise ValueError(f"{self.name}: {sorted(strange)[0]} is none of its boards.")
        steps = {step.key for step in self.route.steps}
        for step in self.route.steps:
            if missing := {*step.after, *step.either} - steps:
                raise ValueError(
                    f"{self.name}: step {step.key} waits for {sorted(missing)[0]}, which the route "
                    "does not have."
                )
        for reach in self.route.reaches:
            if missing := ({*reach.after, *reach.either, reach.carried_by} - {""}) - steps:
                raise ValueError(
                    f"{self.name}: {reach.place} is reached over {sorted(missing)[0]}, which the "
                    "route does not have."
                )
            for over in reach.hands_over:
                if over.place and over.place not in keys:
                    raise ValueError(
                        f"{self.name}: {reach.place} hands over {over.place}, which is no place "
                        "of the sheet."
                    )
        return self

    @cached_property
    def digest(self) -> bytes:
        """Of all that the sheet says: two of the same digest are the same sheet."""
        return hashlib.sha256(self.model_dump_json().encode()).digest()

    @cached_property
    def _by_trim(self) -> "dict[str, TrimPlaces]":
        """Worked out once a sheet: every unit asks for it many times."""
        return {}

    def of_trim(self, trim: str) -> "TrimPlaces":
        """The places that units of this trim have."""
        known = self._by_trim.get(trim)
        if known is None:
            known = self._by_trim[trim] = TrimPlaces(
                drives=tuple(d for d in self.drives if not d.trims or trim in d.trims),
                packs=tuple(p for p in self.packs if not p.trims or trim in p.trims),
                parts=tuple(p for p in self.parts if not p.trims or trim in p.trims),
                tests=tuple(t for t in self.tests if not t.trims or trim in t.trims),
            )
        return known

    def drives_of(self, trim: str) -> tuple[DrivePlace, ...]:
        """Drive places that units of this trim have."""
        return self.of_trim(trim).drives

    def packs_of(self, trim: str) -> tuple[PackPlace, ...]:
        """Pack places that units of this trim have."""
        return self.of_trim(trim).packs

    def parts_of(self, trim: str) -> tuple[RequiredPart, ...]:
        """Required parts of this trim, whether or not its bays are filled."""
        return self.of_trim(trim).parts

    def tests_of(self, trim: str) -> tuple[FunctionTest, ...]:
        """Function tests that apply to this trim."""
        return self.of_trim(trim).tests

    @property
    def places(self) -> tuple[Place, ...]:
        """All slots, drive and pack places, required parts and tests."""
        return (*self.memory.slots, *self.drives, *self.packs, *self.parts, *self.tests)

    def places_of(self, trim: str) -> tuple[Place, ...]:
        """All places that units of this trim have."""
        return (*self.memory.slots, *(p for kind in self.of_trim(trim) for p in kind))

    def choices_of(self, aspect: Aspect, trim: str = "") -> tuple[Choice, ...]:
        """What units may have been built with in this aspect; of one trim, where it is given."""
        known = self._by_aspect.get((aspect, trim))
        if known is None:
            built = next((one.choices for one in self.built_with if one.aspect is aspect), ())
            known = tuple(c for c in built if not (trim and c.trims) or trim in c.trims)
            self._by_aspect[aspect, trim] = known
        return known

    @cached_property
    def _by_aspect(self) -> "dict[tuple[Aspect, str], tuple[Choice, ...]]":
        """Worked out once a sheet, like the places of a trim."""
        return {}

    def choices_at(self, place: str) -> tuple[tuple[Aspect, Choice], ...]:
        """What may be built into a place: four kinds of panel where the panel sits."""
        return tuple(
            (built.aspect, choice)
            for built in self.built_with
            for choice in built.choices
            if choice.kind and choice.place == place
        )

    def choices_of_kind(self, kind: str) -> tuple[tuple[Aspect, Choice], ...]:
        """What a unit is built with once a part of this kind is in it."""
        return self._by_kind.get(kind, ())

    @cached_property
    def _by_kind(self) -> "dict[str, tuple[tuple[Aspect, Choice], ...]]":
        found: dict[str, tuple[tuple[Aspect, Choice], ...]] = {}
        for built in self.built_with:
            for choice in built.choices:
                if choice.kind:
                    found[choice.kind] = (*found.get(choice.kind, ()), (built.aspect, choice))
        return found

    def board_of_kind(self, kind: str) -> BoardVariant | None:
        """The board variant that a part kind is; None where it is no board of this model."""
        return self._boards.get(kind)

    @cached_property
    def _boards(self) -> "dict[str, BoardVariant]":
        return {board.kind: board for board in reversed(self.boards) if board.kind}

    def label_of(self, key: str) -> str:
        """What people call a place, part or test of this sheet."""
        return self._labels.get(key, key)

    @cached_property
    def _labels(self) -> dict[str, str]:
        labels = {place.key: place.label for place in self.places}
        if self.memory.soldered:
            labels[self.memory.soldered.key] = "soldered memory"
        if self.boards:
            labels[BOARD] = "the board"
        labels |= {aspect.value: aspect.label for aspect in Aspect}
        return labels
