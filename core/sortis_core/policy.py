"""The policy a batch is decided by: the schools where good people disagree, and what work costs."""

from enum import StrEnum

from sortis_core.base import Record


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
