"""Resale standards: named lists of gates with prices. And the policy a batch is decided by."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field

from sortis_core.base import Record
from sortis_core.findings import Grade


class MemoryGate(Record):
    """At least so much memory."""

    type: Literal["memory"] = "memory"
    min_gb: int


class SolidDriveGate(Record):
    """A solid-state drive of at least this size; eMMC and spinning disks do not count."""

    type: Literal["solid_drive"] = "solid_drive"
    min_gb: int


class PackGate(Record):
    """Each pack of the model present and at least this healthy.

    Under the school of runtime the packs together must last ``min_runtime_hours`` at the sheet's
    typical draw instead; where the standard names no hours, health decides.
    """

    type: Literal["pack"] = "pack"
    min_health_percent: int
    max_cycles: int | None = None
    min_runtime_hours: float | None = None


class PartsGate(Record):
    """Nothing on the sheet's required list is missing or broken."""

    type: Literal["parts"] = "parts"


class TestsGate(Record):
    """All function tests of the sheet passed."""

    type: Literal["tests"] = "tests"


class SanitisedGate(Record):
    """Each drive that held data has a record of how it was sanitised."""

    type: Literal["sanitised"] = "sanitised"


class ClosingGate(Record):
    """Seen at the last check by the releaser: clock set, cover closed flush."""

    type: Literal["closing"] = "closing"
    check: Literal["clock set", "cover closed flush", "cleaned"]


Gate = Annotated[
    MemoryGate | SolidDriveGate | PackGate | PartsGate | TestsGate | SanitisedGate | ClosingGate,
    Field(discriminator="type"),
]


class Price(Record):
    """What a unit of one model and grade sells for at this standard."""

    sheet: str
    grade: Grade
    price_cents: int


class Standard(Record):
    """A named list of gates, with a price for each model and grade."""

    key: str
    version: int
    name: str
    rank: int = 0
    """Order of the standards, the lowest first; schools speak of the lowest and of the top one."""
    gates: tuple[Gate, ...]
    prices: tuple[Price, ...]

    def price_cents(self, sheet: str, grade: Grade) -> int | None:
        """Expected price; None where this standard is not sold for the model and grade."""
        for price in self.prices:
            if price.sheet == sheet and price.grade is grade:
                return price.price_cents
        return None


class MemorySchool(StrEnum):
    """Which ceiling of memory counts (docs/rules.md, Schools)."""

    STATED = "stated"
    BENCH_PROVEN = "bench-proven"


class FillingSchool(StrEnum):
    """How free slots are filled."""

    MATCHED = "matched pair"
    """Both channels in full wherever that costs at most the set premium."""
    CAPACITY = "largest for the money"


class HarvestSchool(StrEnum):
    """Whether parts taken from donors serve other units. Packs never do."""

    AFTER_TEST = "use after test"
    NEW_FOR_TOP = "new for the top standard"
    NEW_ONLY = "new only"


class SpinningSchool(StrEnum):
    """Whether a spinning disk may stay; it never carries the system."""

    NEVER = "never"
    SECOND_IN_LOWEST = "second drive in the lowest standard"


class BatterySchool(StrEnum):
    """What a pack gate looks at."""

    HEALTH = "health"
    RUNTIME = "runtime"


class BoardSchool(StrEnum):
    """What becomes of a unit whose board is dead or too small."""

    BY_CONTRIBUTION = "by contribution"
    NEVER_SWAP = "never swap"


class IsolationSchool(StrEnum):
    """How the board is freed of its pack."""

    BY_ROUTE = "out where the route passes over it"
    UNPLUG = "only unplugged"
    TAKE_OUT = "always out"


class SwitchOffSchool(StrEnum):
    """What comes before a built-in pack is unplugged."""

    FIRMWARE = "off in the firmware where the model has it"
    UNPLUG = "just unplugged"


class PryingSchool(StrEnum):
    """Where a clipped cover is opened first, where the sheet knows that way."""

    SHEET = "as on the model sheet"
    HINGE = "hinge side"
    CAPTIVE = "lifted by captive screws"
    FAR_CORNER = "far corner"


class ScrewSchool(StrEnum):
    """How screws that are out are laid down."""

    WHERE_LENGTHS_DIFFER = "a well for each set where lengths differ"
    LEDGER = "a well for each set"
    BY_KIND = "sorted by kind"


class Policy(Record):
    """What a workshop decided where good people disagree, and what its work costs."""

    memory_ceiling: MemorySchool = MemorySchool.STATED
    bench_proven_from_units: int = 3
    """A bench-proven ceiling counts only from this many units on record."""
    filling: FillingSchool = FillingSchool.MATCHED
    matched_premium_cents: int = 300
    """Both channels in full are worth at most so much more than an uneven filling."""
    harvest: HarvestSchool = HarvestSchool.AFTER_TEST
    spinning: SpinningSchool = SpinningSchool.NEVER
    battery: BatterySchool = BatterySchool.HEALTH
    board: BoardSchool = BoardSchool.BY_CONTRIBUTION
    isolation: IsolationSchool = IsolationSchool.BY_ROUTE
    switch_off: SwitchOffSchool = SwitchOffSchool.FIRMWARE
    prying: PryingSchool = PryingSchool.SHEET
    screws: ScrewSchool = ScrewSchool.WHERE_LENGTHS_DIFFER
    labour_cents_per_hour: int = 2400
    install_minutes: float = 6.0
    """Hands-on minutes to install the operating system on a new drive."""
    part_test_minutes: float = 2.0
    """To try one part out of a unit that does not start, before it serves another."""
    cleaning_minutes: float = 2.0
    """To clean one unit for sale, where its standard asks for it."""
    pack_disposal_cents: int = 60
    """Fee for handing one replaced pack to whoever is licensed to take it."""
    hold_cents: int = 300
    """Cost of keeping a unit on the shelf until the next plan."""
    recycle_cents: int = 180
    """Fee for handing one unit to the recycler."""
    cooling_minutes: float = 3.0
    """Wait before a laptop that was running is opened; 0 opens at once."""
