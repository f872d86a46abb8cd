"""All facts, verdicts, hazards and open questions of one unit, put together.

Units of one batch are much alike: the same modules, the same drives, all tests passed. What one
side of a unit amounts to is worked out once and looked up for the next unit that is the same on
that side (``bench/inspect.py`` holds the time).
"""

from collections.abc import Callable, Hashable
from typing import TypeVar

from sortis_core.assess.battery import (
    BatteryFacts,
    battery_facts,
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
from sortis_core.base import Record
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


class StandardVerdict(Record):
    """All gates of one standard held against one unit."""

    standard: str
    name: str
    gates: tuple[GateVerdict, ...]

    def in_state(self, state: GateState) -> tuple[GateVerdict, ...]:
        """The gates in this state."""
        return tuple(gate for gate in self.gates if gate.state is state)


class Assessment(Record):
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
        self._pack_gates = tuple(
            (number, gate) for number, gate in enumerate(self._gates) if isinstance(gate, PackGate)
        )
        self._sides: dict[Hashable, object] = {}

    def assess(self, findings: Findings) -> Assessment:
        """Facts, shortfalls against every standard, hazards and implausible values of one unit."""
        sheet, trim = self.sheet, findings.trim
        modules = (findings.soldered_gb, *findings.modules.items())
        drives = tuple(findings.drives.items())
        memory, memory_said, memory_room, memory_asked = self._once(
            ("memory", modules), lambda: self._memory(findings)
        )
        storage, storage_said, drive_room = self._once(
            ("storage", trim, drives), lambda: self._storage(findings)
        )
        held = tuple(
            key for key, drive in findings.drives.items() if drive.state is PlaceState.PRESENT
        )
        parts_said = self._once(
            ("parts", trim, held, *findings.parts.items()), lambda: self._parts(findings)
        )
        tests_said = self._once(
            ("tests", trim, *findings.tests.items()), lambda: self._tests(findings)
        )
        battery = battery_facts(sheet, findings)
        packs_said = [
            (number, pack_verdict(sheet, battery, gate)) for number, gate in self._pack_gates
        ]
        said = dict(self._at_release)
        for side in (memory_said, storage_said, parts_said, tests_said, packs_said):
            said.update(side)
        gates = tuple(tuple([said[n] for n in numbers]) for numbers in self._numbers)
        return Assessment(
            memory=memory,
            storage=storage,
            battery=battery,
            verdicts=tuple(
                StandardVerdict(standard=standard.key, name=standard.name, gates=verdicts)
                for standard, verdicts in zip(self.standards, gates, strict=True)
            ),
            questions=(*memory_asked, *pack_questions(sheet, findings)),
            hazards=findings.hazards,
            hazard_words=_hazard_words(findings),
            ceilings=self._ceilings,
            headroom=(*memory_room, *drive_room, *pack_rooms(sheet, findings)),
            unknowns=self._unknowns(findings, gates, list(said.values())),
            sentences=tuple(
                sentence
                for sentence in (memory.sentence, storage.sentence, battery.sentence)
                if sentence
            ),
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

    def _unknowns(
        self,
        findings: Findings,
        gates: tuple[tuple[GateVerdict, ...], ...],
        distinct: list[GateVerdict],
    ) -> Unknowns:
        # A finished unit has an entry for everything; the walk over all places is for the others.
        seen = len(findings.parts) + len(findings.tests) + len(findings.packs)
        places = self.sheet.of_trim(findings.trim)
        needed = len(places.parts) + len(places.tests) + len(places.packs)
        open_gate = any([verdict.state is GateState.UNKNOWN for verdict in distinct])
        if seen >= needed and not open_gate and findings.grade and not _any_unseen(findings):
            return NOTHING_UNKNOWN
        return unknowns(self.sheet, findings, self.standards, gates, self.policy)


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
    if not findings.hazards:
        return ""
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
