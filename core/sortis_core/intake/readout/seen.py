"""What a running unit says of itself, whichever tool said it."""

from datetime import datetime
from typing import Literal

from sortis_core.base import Record
from sortis_core.sheets import Generation, Interface


class MachineSeen(Record):
    """The unit as its firmware names it; empty where it does not say."""

    maker: str = ""
    product: str = ""
    serial: str = ""
    processor: str = ""
    virtual: bool = False
    """A virtual machine: nothing below is real hardware."""


class ModuleSeen(Record):
    """One memory place as the firmware lists it."""

    label: str
    soldered: bool = False
    gb: int | None = None
    """None: empty."""
    generation: Generation | None = None
    mts: int | None = None
    """Rated speed in MT/s; None where the module does not say."""


class DriveSeen(Record):
    """One drive."""

    name: str
    model: str = ""
    serial: str = ""
    gb: int | None = None
    interface: Interface | None = None
    spinning: bool = False
    in_bay: bool | None = None
    """True for a 2.5-inch drive, False for a card; None where no tool says its form."""
    life_percent: int | None = None
    """Life left; None where the drive does not say."""
    hours: int | None = None
    failing: bool = False
    self_test_passed: bool | None = None
    """How the newest test that the drive made of itself ended; None where it tells of none."""
    self_test_hours: int | None = None
    """Hours the drive had run by then."""


class PackSeen(Record):
    """One pack; energies in Wh."""

    name: str
    family: str = ""
    full_wh: float
    design_wh: float
    cycles: int | None = None
    now_wh: float | None = None
    """What it holds at the moment."""


class ReadOut(Record):
    """All that could be read, what could not, and where two tools disagree."""

    format: Literal["sortis-readout-4"] = "sortis-readout-4"
    machine: MachineSeen = MachineSeen()
    memory: tuple[ModuleSeen, ...] = ()
    memory_read: bool = False
    """Whether any tool listed memory places; otherwise an empty list means nothing."""
    ceiling_gb: int | None = None
    """Most memory by the firmware; it can be wrongly low."""
    drives: tuple[DriveSeen, ...] = ()
    drives_read: bool = False
    packs: tuple[PackSeen, ...] = ()
    packs_read: bool = False
    radios: int | None = None
    """Wireless interfaces that are listed; None where nothing listed the hardware."""
    fans_rpm: tuple[int, ...] | None = None
    """Turns a minute of every fan; None where nothing says."""
    hottest_celsius: float | None = None
    load: float | None = None
    """Load average of the last five minutes."""
    clock: datetime | None = None
    """The hardware clock, UTC, as it stood when the unit was read out."""
    not_read: tuple[str, ...] = ()
    """Sentences: which tool's output could not be read, and why."""
    questions: tuple[str, ...] = ()
    """Sentences: where two tools say different things."""

    @property
    def total_gb(self) -> int:
        """Sum of what the firmware lists."""
        return sum(module.gb or 0 for module in self.memory)
