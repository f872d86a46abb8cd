"""The policy a batch is decided by: the schools where good people disagree, and what work costs."""

from typing import Literal

from pydantic import Field

from sortis_core.base import Cents, Minutes, Record, SignedCents
from sortis_core.vocabulary.term import Term


class MemorySchool(Term):
    """Which ceiling of memory counts (docs/rules.md, Schools)."""

    STATED = (
        "stated",
        "stated limit only",
        "No plan goes beyond what the maker states.",
    )
    BENCH_PROVEN = (
        "bench_proven",
        "bench-proven limit too",
        "What enough released units were seen running counts as well; the risk is shown.",
    )


class FillingSchool(Term):
    """How free slots are filled."""

    MATCHED = (
        "matched",
        "matched pair",
        "Both channels in full wherever that costs at most the set premium.",
    )
    CAPACITY = (
        "capacity",
        "largest for the money",
        "Most memory for the money, even or not.",
    )


class PairSchool(Term):
    """Whether modules of two makers may run side by side."""

    ANY = "any", "makers may mix", "What agrees in generation and size runs together."
    ONE_MAKER = (
        "one_maker",
        "never mix makers in a pair",
        "Slots are filled so that all modules are of one known maker.",
    )


class HarvestSchool(Term):
    """Whether parts taken from donors serve other units. Packs never do."""

    AFTER_TEST = (
        "after_test",
        "use after test",
        "Tested parts of other units serve like new ones.",
    )
    NEW_FOR_TOP = (
        "new_for_top",
        "new for the top standard",
        "The top standard takes new parts only; the others take tested ones too.",
    )
    NEW_ONLY = "new_only", "new only", "Nothing out of another unit is fitted."


class SpinningSchool(Term):
    """Whether a spinning disk may stay; it never carries the system."""

    NEVER = "never", "never", "Every spinning disk comes out."
    SECOND_IN_LOWEST = (
        "second_in_lowest",
        "second drive in the lowest standard",
        "It may stay beside a solid-state drive in the lowest standard.",
    )


class BatterySchool(Term):
    """What a pack gate looks at."""

    HEALTH = "health", "by health", "Each pack by its own percentage; runtime is shown."
    RUNTIME = (
        "runtime",
        "by hours of runtime",
        "All packs together by hours, where the standard names hours.",
    )


class BoardSchool(Term):
    """What becomes of a unit whose board is dead or too small."""

    BY_CONTRIBUTION = (
        "by_contribution",
        "swapped where it pays",
        "Another board goes in where the unit still leaves more than as a donor.",
    )
    NEVER_SWAP = "never_swap", "never swapped", "A dead board makes a donor or scrap."


class IsolationSchool(Term):
    """How the board is freed of its pack."""

    BY_ROUTE = (
        "by_route",
        "out where the route passes over it",
        "The pack comes out where hands work above it, else it is unplugged.",
    )
    UNPLUG = "unplug", "only unplugged", "The pack stays in and is unplugged."
    TAKE_OUT = "take_out", "always out", "The pack comes out at every opening."


class SwitchOffSchool(Term):
    """What comes before a built-in pack is unplugged."""

    FIRMWARE = (
        "firmware",
        "off in the firmware where the model has it",
        "Switched off by the firmware first; it wakes on the adapter.",
    )
    UNPLUG = "unplug", "just unplugged", "The plug is pulled without switching off first."


class PryingSchool(Term):
    """Where a clipped cover is opened first, where the sheet knows that way."""

    SHEET = "sheet", "as on the model sheet"
    HINGE = "hinge", "hinge side"
    CAPTIVE = "captive", "lifted by captive screws"
    FAR_CORNER = "far_corner", "far corner"


class ScrewSchool(Term):
    """How screws that are out are laid down."""

    WHERE_LENGTHS_DIFFER = (
        "where_lengths_differ",
        "a well for each set where lengths differ",
        "Else sorted by kind.",
    )
    LEDGER = "ledger", "a well for each set", "Also where all are alike."
    BY_KIND = "by_kind", "sorted by kind", "Equal screws lie together wherever they came from."


class ReleaseSchool(Term):
    """Who may check and release what was fitted."""

    ANYBODY = "anybody", "whoever may release", "Also who fitted it."
    ANOTHER = (
        "another",
        "another than who fitted it",
        "Who did a step of its work order neither signs its gates nor releases it.",
    )


class Policy(Record):
    """What a workshop decided where good people disagree, and what its work costs."""

    format: Literal["sortis-policy-4"] = "sortis-policy-4"
    memory_ceiling: MemorySchool = MemorySchool.STATED
    bench_proven_from_units: int = Field(default=3, ge=0, le=10_000)
    """A bench-proven ceiling counts only from this many units on record."""
    filling: FillingSchool = FillingSchool.MATCHED
    matched_premium_cents: Cents = 300
    """Both channels in full are worth at most so much more than an uneven filling."""
    pair: PairSchool = PairSchool.ANY
    harvest: HarvestSchool = HarvestSchool.AFTER_TEST
    spinning: SpinningSchool = SpinningSchool.NEVER
    battery: BatterySchool = BatterySchool.HEALTH
    board: BoardSchool = BoardSchool.BY_CONTRIBUTION
    isolation: IsolationSchool = IsolationSchool.BY_ROUTE
    switch_off: SwitchOffSchool = SwitchOffSchool.FIRMWARE
    prying: PryingSchool = PryingSchool.SHEET
    screws: ScrewSchool = ScrewSchool.WHERE_LENGTHS_DIFFER
    release: ReleaseSchool = ReleaseSchool.ANYBODY
    labour_cents_per_hour: Cents = 2400
    install_minutes: Minutes = 6.0
    """Hands-on minutes to install the operating system on a new drive."""
    part_test_minutes: Minutes = 2.0
    """To try one part out of a unit that does not start, before it serves another."""
    cleaning_minutes: Minutes = 2.0
    """To clean one unit for sale, where its standard asks for it."""
    pack_disposal_cents: SignedCents = 60
    """Fee for handing one replaced pack to whoever is licensed to take it."""
    hold_cents: SignedCents = 300
    """Cost of keeping a unit on the shelf until the next plan."""
    recycle_cents: SignedCents = 180
    """Fee for handing one unit to the recycler."""
    cooling_minutes: Minutes = 3.0
    """Wait before a laptop that was running is opened; 0 opens at once."""


class SchoolQuestion(Record):
    """One question where good people disagree, with its schools."""

    field: str
    """Of the policy."""
    question: str
    schools: str
    """Name of their enumeration in the vocabulary."""
    opening: bool
    """It is about how units are opened, more than about what becomes of them."""


SCHOOLS: dict[str, tuple[str, type[Term]]] = {
    "memory_ceiling": ("memory ceiling", MemorySchool),
    "filling": ("filling slots", FillingSchool),
    "pair": ("makers in a pair", PairSchool),
    "harvest": ("harvested parts", HarvestSchool),
    "spinning": ("spinning disks", SpinningSchool),
    "battery": ("battery gate", BatterySchool),
    "board": ("dead or small board", BoardSchool),
    "isolation": ("isolating power", IsolationSchool),
    "switch_off": ("switching the pack off", SwitchOffSchool),
    "prying": ("where to begin prying", PryingSchool),
    "screws": ("laying screws down", ScrewSchool),
    "release": ("who releases", ReleaseSchool),
}
"""Field of the policy -> the question and its schools, in the order people are asked them."""
OPENING = ("isolation", "switch_off", "prying", "screws")
UNSEEN_BY_DECISIONS = ("prying", "screws", "release")
"""They change neither parts nor minutes."""


def school_questions() -> tuple[SchoolQuestion, ...]:
    """All questions of the policy."""
    return tuple(
        SchoolQuestion(
            field=field, question=question, schools=schools.__name__, opening=field in OPENING
        )
        for field, (question, schools) in SCHOOLS.items()
    )
