"""All facts, verdicts, hazards and open questions of one unit, put together.

Units of one batch are much alike: the same modules, the same drives, all tests passed. What one
side of a unit amounts to is worked out once and looked up for the next unit that is the same on
that side. What is made anew for every unit is plain dataclasses, not models that check again what
was checked already (``bench/inspect.py`` holds the time).
"""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import NamedTuple, TypeVar

from sortis_core.assess.battery import (
    BatteryFacts,
    PackFacts,
    battery_facts,
    by_runtime,
    pack_questions,
    pack_verdict,
)
from sortis_core.assess.completeness import parts_verdict
from sortis_core.assess.functions import tests_verdict
from sortis_core.assess.headroom import (
    Room,
    SchoolCeiling,
    ceilings,
    drive_rooms,
    memory_rooms,
    pack_rooms,
)
from sortis_core.assess.memory import (
    MemoryFacts,
    memory_facts,
    memory_questions,
    memory_verdict,
)
from sortis_core.assess.storage import StorageFacts, storage_facts, storage_verdict
from sortis_core.assess.unknowns import NOTHING_UNKNOWN, Unknowns, unknowns
from sortis_core.assess.verdict import GateState, GateVerdict, Question
from sortis_core.cautions import HAZARD_WORDS, LIT_WORDS
from sortis_core.findings import Findings, HazardKind, PlaceState
from sortis_core.sheets import ModelSheet
from sortis_core.standards import (
    ClosingGate,
    Gate,
    MemoryGate,
    PackGate,
    PartsGate,
    Policy,
    SanitisedGate,
    SolidDriveGate,
    Standard,
    TestsGate,
)

MOST_REMEMBERED = 4096
"""Different fillings of one side that are remembered; a batch has some dozens."""

Verdicts = tuple[tuple[int, GateVerdict], ...]
"""Number of a gate among the distinct gates, and what it says."""
Side = TypeVar("Side")


@dataclass(frozen=True, slots=True, kw_only=True)
class StandardVerdict:
    """All gates of one standard held against one unit."""

    standard: str
    name: str
    gates: tuple[GateVerdict, ...]

    def in_state(self, state: GateState) -> tuple[GateVerdict, ...]:
        """The gates in this state."""
        return tuple(gate for gate in self.gates if gate.state is state)


@dataclass(frozen=True, slots=True, kw_only=True)
class Assessment:
    """What the findings of one unit amount to."""

    memory: MemoryFacts
    storage: StorageFacts
    battery: BatteryFacts
    verdicts: tuple[StandardVerdict, ...]
    questions: tuple[Question, ...]
    hazards: tuple[str, ...]
    """Places that must not be touched; the unit is blocked while there are any."""
    hazard_words: str
    ceilings: tuple[SchoolCeiling, ...]
    headroom: tuple[Room, ...]
    unknowns: Unknowns
    sentences: tuple[str, ...]


class _Alike(NamedTuple):
    """What units amount to that are the same in all that gates see."""

    memory: MemoryFacts
    storage: StorageFacts
    rooms: tuple[Room, ...]
    asked: tuple[Question, ...]
    verdicts: tuple[StandardVerdict, ...]
    all_seen: bool

    @property
    def sentences(self) -> tuple[str, str]:
        """What memory and storage amount to, in words."""
        return self.memory.sentence, self.storage.sentence


class Assessor:
    """Assesses all units of one model against the same standards and policy."""

    def __init__(self, sheet: ModelSheet, standards: tuple[Standard, ...], policy: Policy) -> None:
        self.sheet, self.standards, self.policy = sheet, standards, policy
        self._gates: list[Gate] = []
        self._numbers: list[tuple[int, ...]] = []
        for standard in standards:
            numbers = []
            for gate in standard.gates:
                if gate not in self._gates:
                    self._gates.append(gate)
                numbers.append(self._gates.index(gate))
            self._numbers.append(tuple(numbers))
        self._ceilings = ceilings(sheet, policy)
        self._at_release: Verdicts = tuple(
            (number, _at_release(gate))
            for number, gate in enumerate(self._gates)
            if isinstance(gate, SanitisedGate | ClosingGate)
        )
        packs = [gate for gate in self._gates if isinstance(gate, PackGate)]
        self._healths = tuple(gate.min_health_percent for gate in packs)
        self._fewest_cycles = min(
            (gate.max_cycles for gate in packs if gate.max_cycles is not None), default=10**6
        )
        self._by_runtime = any(by_runtime(sheet, gate, policy) for gate in packs)
        self._sides: dict[Hashable, object] = {}

    def assess(self, findings: Findings) -> Assessment:
        """Facts, shortfalls against every standard, hazards and implausible values of one unit."""
        sheet = self.sheet
        battery = battery_facts(sheet, findings)
        sides = (
            findings.trim,
            (findings.soldered_gb, *findings.modules.items()),
            tuple(findings.drives.items()),
            tuple(findings.parts.items()),
            tuple(findings.tests.items()),
            tuple([self._seen_by_gates(pack) for pack in battery.packs]),
        )
        alike = self._once(sides, lambda: self._all_sides(findings, battery, sides))
        hazards = findings.hazards
        return Assessment(
            memory=alike.memory,
            storage=alike.storage,
            battery=battery,
            verdicts=alike.verdicts,
            questions=(*alike.asked, *pack_questions(sheet, findings)),
            hazards=hazards,
            hazard_words=_hazard_words(findings) if hazards else "",
            ceilings=self._ceilings,
            headroom=(*alike.rooms, *pack_rooms(sheet, findings)),
            unknowns=self._unknowns(findings, alike),
            sentences=tuple([said for said in (*alike.sentences, battery.sentence) if said]),
        )

    def _all_sides(
        self, findings: Findings, battery: BatteryFacts, sides: tuple[Hashable, ...]
    ) -> _Alike:
        trim, modules, drives, parts, tests, packs = sides
        memory, memory_said, memory_room, asked = self._once(
            ("memory", modules), lambda: self._memory(findings)
        )
        storage, storage_said, drive_room = self._once(
            ("storage", trim, drives), lambda: self._storage(findings)
        )
        # Kit is required only where its bay holds a drive.
        held = frozenset(
            key for key, drive in findings.drives.items() if drive.state is PlaceState.PRESENT
        )
        verdicts, open_gate = self._verdicts(
            memory_said,
            storage_said,
            self._once(("parts", trim, held, parts), lambda: self._parts(findings)),
            self._once(("tests", trim, tests), lambda: self._tests(findings)),
            self._once(("packs", packs), lambda: self._packs(battery)),
        )
        return _Alike(
            memory=memory,
            storage=storage,
            rooms=(*memory_room, *drive_room),
            asked=asked,
            verdicts=verdicts,
            all_seen=not open_gate and self._all_seen(findings),
        )

    def _once(self, key: Hashable, work: Callable[[], Side]) -> Side:
        known = self._sides.get(key)
        if known is None:
            if len(self._sides) >= MOST_REMEMBERED:
                self._sides.clear()
            known = self._sides[key] = work()
        return known  # type: ignore[return-value]

    def _memory(
        self, findings: Findings
    ) -> tuple[MemoryFacts, Verdicts, tuple[Room, ...], tuple[Question, ...]]:
        facts = memory_facts(self.sheet, findings, self.policy)
        return (
            facts,
            tuple(
                (number, memory_verdict(self.sheet, facts, gate))
                for number, gate in enumerate(self._gates)
                if isinstance(gate, MemoryGate)
            ),
            memory_rooms(self.sheet, findings, facts.total_gb, facts.ceiling_gb),
            tuple(memory_questions(self.sheet, facts.total_gb)),
        )

    def _storage(self, findings: Findings) -> tuple[StorageFacts, Verdicts, tuple[Room, ...]]:
        facts = storage_facts(self.sheet, findings)
        return (
            facts,
            tuple(
                (number, storage_verdict(self.sheet, facts, gate))
                for number, gate in enumerate(self._gates)
                if isinstance(gate, SolidDriveGate)
            ),
            drive_rooms(self.sheet, findings),
        )

    def _parts(self, findings: Findings) -> Verdicts:
        return tuple(
            (number, parts_verdict(self.sheet, findings, gate))
            for number, gate in enumerate(self._gates)
            if isinstance(gate, PartsGate)
        )

    def _tests(self, findings: Findings) -> Verdicts:
        return tuple(
            (number, tests_verdict(self.sheet, findings, gate))
            for number, gate in enumerate(self._gates)
            if isinstance(gate, TestsGate)
        )

    def _packs(self, facts: BatteryFacts) -> Verdicts:
        return tuple(
            (number, pack_verdict(self.sheet, facts, gate, self.policy))
            for number, gate in enumerate(self._gates)
            if isinstance(gate, PackGate)
        )

    def _seen_by_gates(self, pack: PackFacts) -> Hashable:
        """All that a pack gate's verdict and its words depend on."""
        health = pack.health_percent
        above = health is not None and tuple([health >= percent for percent in self._healths])
        cycles = pack.cycles if pack.cycles and pack.cycles > self._fewest_cycles else None
        lasts = pack.full_wh if self._by_runtime else None
        said = None if health is None else f"{health:.0f}"
        return pack.place, pack.state, said, above, cycles, lasts

    def _verdicts(self, *sides: Verdicts) -> tuple[tuple[StandardVerdict, ...], bool]:
        """The verdict of every standard, and whether any gate is still unknown."""
        said = dict(self._at_release)
        for side in sides:
            said.update(side)
        return (
            tuple(
                StandardVerdict(
                    standard=standard.key,
                    name=standard.name,
                    gates=tuple(said[number] for number in numbers),
                )
                for standard, numbers in zip(self.standards, self._numbers, strict=True)
            ),
            any(verdict.state is GateState.UNKNOWN for verdict in said.values()),
        )

    def _unknowns(self, findings: Findings, alike: _Alike) -> Unknowns:
        if alike.all_seen and findings.grade:
            return NOTHING_UNKNOWN
        gates = tuple(verdict.gates for verdict in alike.verdicts)
        return unknowns(self.sheet, findings, self.standards, gates, self.policy)

    def _all_seen(self, findings: Findings) -> bool:
        """Whether a finished unit has an entry for everything but its grade."""
        places = self.sheet.of_trim(findings.trim)
        needed = len(places.parts) + len(places.tests) + len(places.packs)
        seen = len(findings.parts) + len(findings.tests) + len(findings.packs)
        return seen >= needed and not _any_unseen(findings)


def _any_unseen(findings: Findings) -> bool:
    if findings.soldered_gb is None and not findings.modules:
        return True
    states = [module.state for module in findings.modules.values()]
    states += [drive.state for drive in findings.drives.values()]
    states += [pack.state for pack in findings.packs.values()]
    return PlaceState.UNSEEN in states


def assess(
    sheet: ModelSheet, findings: Findings, standards: tuple[Standard, ...], policy: Policy
) -> Assessment:
    """One unit alone; for many of one model keep an :class:`Assessor`."""
    return Assessor(sheet, standards, policy).assess(findings)


def _hazard_words(findings: Findings) -> str:
    kinds = {findings.hazard_kind(place) for place in findings.hazards}
    return LIT_WORDS if kinds == {HazardKind.LIT} else HAZARD_WORDS


def _at_release(gate: SanitisedGate | ClosingGate) -> GateVerdict:
    if isinstance(gate, SanitisedGate):
        return GateVerdict(
            gate=gate.type, state=GateState.AT_RELEASE, sentence="Drives that held data sanitised"
        )
    return GateVerdict(
        gate=f"{gate.type}: {gate.check}",
        state=GateState.AT_RELEASE,
        sentence=gate.check[0].upper() + gate.check[1:],
    )
