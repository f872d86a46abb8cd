"""What was seen on one unit. Nothing here is a guess: what nobody looked at says so."""

from enum import StrEnum

from sortis_core.base import Record
from sortis_core.sheets import Generation, Interface


class PlaceState(StrEnum):
    """What was seen at a place for a module, a drive or a pack."""

    UNSEEN = "unseen"
    EMPTY = "empty"
    PRESENT = "present"
    FAULTY = "faulty"
    """What sits there does not work."""
    DEAD = "dead"
    """The slot or socket itself does not work; nothing goes in."""
    HAZARD = "hazard"


class PartState(StrEnum):
    """What was seen of a required part."""

    UNSEEN = "unseen"
    PRESENT = "present"
    MISSING = "missing"
    BROKEN = "broken"


class TestState(StrEnum):
    """What a function test showed."""

    UNSEEN = "unseen"
    PASSED = "passed"
    FAILED = "failed"


class Grade(StrEnum):
    """Cosmetic grade: A like new, B worn, C marked."""

    A = "A"
    B = "B"
    C = "C"


class HazardKind(StrEnum):
    """What makes a unit dangerous."""

    SWOLLEN = "swollen"
    LEAKING = "leaking"
    HOT = "hot"
    DENTED = "dented or punctured"
    SMELLING = "smelling or hissing"
    LIT = "lights up while open"
    UNNAMED = "dangerous"


STARTS = "starts"
"""Key of the function test that shows whether a unit starts."""
UNIT = "unit"
"""Key of a hazard that is seen on the unit and not yet known to be one pack's."""


class ModuleFinding(Record):
    """One slot as found."""

    state: PlaceState = PlaceState.UNSEEN
    gb: int | None = None
    generation: Generation | None = None
    mts: int | None = None


class DriveFinding(Record):
    """One bay or socket as found."""

    state: PlaceState = PlaceState.UNSEEN
    interface: Interface | None = None
    spinning: bool = False
    gb: int | None = None
    length_mm: int | None = None
    life_percent: int | None = None


class PackFinding(Record):
    """One pack as found; ``full`` and ``design`` are in the same unit, ``measured_in``."""

    state: PlaceState = PlaceState.UNSEEN
    full: float | None = None
    design: float | None = None
    measured_in: str = "Wh"
    volts: float | None = None
    cycles: int | None = None
    hazard: HazardKind | None = None

    @property
    def health_percent(self) -> float | None:
        """Full charge against design, in percent (docs/rules.md, Pack)."""
        if self.full is None or not self.design:
            return None
        return self.full / self.design * 100

    def in_wh(self, amount: float | None, volts: float | None) -> float | None:
        """``amount`` in Wh; mAh turn into Wh by the volts on the label, else by ``volts``."""
        if amount is None or self.measured_in == "Wh":
            return amount
        across = self.volts or volts
        return None if across is None else across * amount / 1000


NO_MODULE_SEEN, NO_DRIVE_SEEN, NO_PACK_SEEN = ModuleFinding(), DriveFinding(), PackFinding()


class Findings(Record):
    """Everything seen on one unit at one moment, by the sheet it was read against."""

    sheet: str
    trim: str
    soldered_gb: int | None = None
    modules: dict[str, ModuleFinding] = {}
    drives: dict[str, DriveFinding] = {}
    packs: dict[str, PackFinding] = {}
    parts: dict[str, PartState] = {}
    tests: dict[str, TestState] = {}
    grade: Grade | None = None
    unit_hazard: HazardKind | None = None
    """Seen on the unit as a whole: it lights up while open, or nobody knows which pack smells."""

    def module(self, key: str) -> ModuleFinding:
        """The slot as found; unseen where nobody looked."""
        return self.modules.get(key, NO_MODULE_SEEN)

    def drive(self, key: str) -> DriveFinding:
        """The bay or socket as found."""
        return self.drives.get(key, NO_DRIVE_SEEN)

    def pack(self, key: str) -> PackFinding:
        """The pack as found."""
        return self.packs.get(key, NO_PACK_SEEN)

    def part(self, key: str) -> PartState:
        """The required part as found."""
        return self.parts.get(key, PartState.UNSEEN)

    def test(self, key: str) -> TestState:
        """The function test as run."""
        return self.tests.get(key, TestState.UNSEEN)

    @property
    def starts(self) -> bool:
        """Whether the unit was seen starting; what sits in it was seen working with it."""
        return self.test(STARTS) is TestState.PASSED

    @property
    def hazards(self) -> tuple[str, ...]:
        """Keys of the pack places that must not be touched; ``unit`` for the whole unit."""
        packs = [key for key, pack in self.packs.items() if pack.state is PlaceState.HAZARD]
        return tuple([*sorted(packs), UNIT] if self.unit_hazard else sorted(packs))

    def hazard_kind(self, place: str) -> HazardKind:
        """What was seen at a place that stands among :attr:`hazards`."""
        if place == UNIT:
            return self.unit_hazard or HazardKind.UNNAMED
        return self.pack(place).hazard or HazardKind.UNNAMED
