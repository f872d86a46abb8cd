"""What was seen on one unit. Nothing here is a guess: what nobody looked at says so."""

from collections.abc import Iterable
from functools import cached_property
from typing import Literal, assert_never

from sortis_core.base import Record
from sortis_core.configuration import Aspect
from sortis_core.facts.figures import exact
from sortis_core.sheets import Generation, Interface
from sortis_core.vocabulary.term import Term


class PlaceState(Term):
    """What was seen at a place for a module, a drive or a pack."""

    UNSEEN = "unseen", "not looked at"
    EMPTY = "empty"
    PRESENT = "present", "there"
    FAULTY = "faulty"
    """What sits there does not work."""
    DEAD = "dead", "dead, takes nothing"
    """The slot or socket itself does not work; nothing goes in."""
    RADIO = "radio", "radio card"
    """A socket meant for either: no drive goes in while the card sits there."""
    HAZARD = "hazard", "dangerous, do not touch"

    @property
    def held(self) -> bool:
        """Whether a module, a drive or a pack may sit there."""
        return self not in (PlaceState.EMPTY, PlaceState.DEAD, PlaceState.RADIO)


class PartState(Term):
    """What was seen of a required part."""

    UNSEEN = "unseen", "not looked at"
    PRESENT = "present", "there"
    MISSING = "missing"
    BROKEN = "broken"


class TestState(Term):
    """What a function test showed."""

    UNSEEN = "unseen", "not run"
    PASSED = "passed"
    FAILED = "failed"
    STILL_FAILS = "still_fails", "still fails after the first attempt"

    @property
    def bad(self) -> bool:
        """Whether somebody saw it not working."""
        return self in (TestState.FAILED, TestState.STILL_FAILS)


class Grade(Term):
    """Cosmetic grade: A like new, B worn, C marked."""

    A = "A", "A", "like new"
    B = "B", "B", "worn"
    C = "C", "C", "marked"


class SealState(Term):
    """What became of a warranty or tamper seal."""

    WHOLE = "whole"
    LIFTED_BEFORE = "lifted_before", "lifted before it came"
    LIFTED_HERE = "lifted_here", "lifted here"


class HazardKind(Term):
    """What makes a unit dangerous."""

    SWOLLEN = "swollen"
    LEAKING = "leaking"
    HOT = "hot"
    DENTED = "dented", "dented or punctured"
    SMELLING = "smelling", "smelling or hissing"
    LIT = "lit", "lights up while open"
    UNNAMED = "unnamed", "dangerous"


STARTS = "starts"
"""Key of the function test that shows whether a unit starts."""
SEAL = "seal"
"""Entry of what became of the seals."""
ARRAY = "array"
"""Entry of whether the firmware binds the drives."""
UNIT = "unit"
"""Key of a hazard that is seen on the unit and not yet known to be one pack's."""


class OriginKind(Term):
    """How a part came to be where it sits."""

    FOUND = "found"
    """It sat there when the unit came, with whoever's data."""
    FITTED = "fitted"
    """Fitted here, from stock."""
    MOVED = "moved"
    """Taken out of a unit here, this one or another."""


class Origin(Record):
    """Where the part in one place came from, noted when it was put there."""

    kind: OriginKind
    lot: int | None = None
    """Number of the stock lot it was taken from; None in a plan, which has not taken it yet."""
    unit: str = ""
    """Tag of the unit it was taken out of, where it came from one."""
    record: str = ""
    """How a drive was sanitised before it went in; a new one needs no record."""


FOUND = Origin(kind=OriginKind.FOUND)


class ModuleFinding(Record):
    """One slot as found."""

    state: PlaceState = PlaceState.UNSEEN
    gb: int | None = None
    generation: Generation | None = None
    mts: int | None = None
    maker: str = ""
    """Who made it, in small letters; empty where nobody read it."""


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
    uncounted: bool = False
    """Somebody looked for the cycles, and this pack tells none."""
    hazard: HazardKind | None = None

    @cached_property
    def health_percent(self) -> float | None:
        """Full charge against design, in percent (docs/rules.md, Pack)."""
        if self.full is None or not self.design:
            return None
        return float(exact(self.full) * 100 / exact(self.design))

    def in_wh(self, amount: float | None, volts: float | None) -> float | None:
        """``amount`` in Wh; mAh turn into Wh by the volts on the label, else by ``volts``."""
        if amount is None or self.measured_in == "Wh":
            return amount
        across = self.volts or volts
        return None if across is None else float(exact(across) * exact(amount) / 1000)


NO_MODULE_SEEN, NO_DRIVE_SEEN, NO_PACK_SEEN = ModuleFinding(), DriveFinding(), PackFinding()


class Findings(Record):
    """Everything seen on one unit at one moment, by the sheet it was read against."""

    format: Literal["sortis-findings-4"] = "sortis-findings-4"
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
    configuration: dict[Aspect, str] = {}
    """What it was built with beyond memory and drives; an aspect nobody read is not in it."""
    remarks: dict[str, str] = {}
    """Parts and tests that work, but poorly: how, in the inspector's words."""
    drive_array: bool | None = None
    """Whether the firmware binds the drives to an array; None where nobody looked."""
    seal: SealState | None = None
    """Of the seals that the sheet names; None where nobody looked."""
    origins: dict[str, Origin] = {}
    """Provenance of what was put into a place here; whatever has none was found in the unit."""

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

    def origin(self, place: str) -> Origin:
        """Where the part in a place came from; without a record it was found there."""
        return self.origins.get(place, FOUND)

    def came_with_data(self, place: str) -> bool:
        """Whether a drive in this place may hold somebody's data (docs/rules.md, Release)."""
        origin = self.origin(place)
        match origin.kind:
            case OriginKind.FITTED:
                return False
            case OriginKind.MOVED | OriginKind.FOUND:
                return not origin.record
            case _:
                assert_never(origin.kind)

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


def carry_origins(before: Findings, now: Findings) -> Findings:
    """``now`` with the provenance of all that still sits where it was put.

    An inspection never says where a part came from: what was fitted here stays so while its place
    holds something like it, or was not looked at. Something else there was found there.
    """
    kept = {
        place: origin
        for place, origin in before.origins.items()
        if _still_there(before, now, place)
    }
    return now if kept == now.origins else now.model_copy(update={"origins": kept})


def _still_there(before: Findings, now: Findings, place: str) -> bool:
    then_drive, drive = before.drive(place), now.drive(place)
    if place in before.drives or place in now.drives:
        if then_drive.state is PlaceState.UNSEEN and drive.state is not PlaceState.UNSEEN:
            # Nobody looked in between: it may be another drive, with somebody's data.
            return False
        same = _same(then_drive.gb, drive.gb) and _same(then_drive.interface, drive.interface)
        return drive.state.held and same and then_drive.spinning is drive.spinning
    if place in before.modules:
        module = now.module(place)
        return module.state.held and _same(before.module(place).gb, module.gb)
    if place in before.packs:
        return now.pack(place).state.held
    return now.part(place) is not PartState.MISSING


def _same(one: object, two: object) -> bool:
    """Equal as far as both were read."""
    return one is None or two is None or one == two


def safe_again(findings: Findings, places: Iterable[str]) -> Findings:
    """The findings once a danger at ``places`` was dealt with: a dangerous pack is out and gone."""
    packs = dict(findings.packs)
    for place in places:
        if place != UNIT:
            packs[place] = PackFinding(state=PlaceState.EMPTY)
    return findings.model_copy(update={"packs": packs, "unit_hazard": None})
