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
    """Each pack of the model present and at least this healthy."""

    type: Literal["pack"] = "pack"
    min_health_percent: int
    max_cycles: int | None = None


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


class HarvestSchool(StrEnum):
    """Whether parts taken from donors serve other units."""

    AFTER_TEST = "use after test"
    NEW_ONLY = "new only"


class Policy(Record):
    """What a workshop decided where good people disagree, and what its work costs."""

    memory_ceiling: MemorySchool = MemorySchool.STATED
    bench_proven_from_units: int = 3
    """A bench-proven ceiling counts only from this many units on record."""
    harvest: HarvestSchool = HarvestSchool.AFTER_TEST
    labour_cents_per_hour: int = 2400
    install_minutes: float = 6.0
    """Hands-on minutes to install the operating system on a new drive."""
    hold_cents: int = 300
    """Cost of keeping a unit on the shelf until the next plan."""
    recycle_cents: int = 180
    """Fee for handing one unit to the recycler."""
    cooling_minutes: float = 3.0
