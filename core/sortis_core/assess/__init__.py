"""Hold what was found on a unit against the sheet and the standards."""

from sortis_core.assess.battery import (
    BatteryFacts,
    battery_facts,
    pack_questions,
    pack_verdict,
)
from sortis_core.assess.completeness import parts_verdict
from sortis_core.assess.functions import tests_verdict
from sortis_core.assess.memory import MemoryFacts, memory_facts, memory_verdict
from sortis_core.assess.storage import StorageFacts, storage_facts, storage_verdict
from sortis_core.assess.verdict import GateState, GateVerdict, Question
from sortis_core.base import Record
from sortis_core.cautions import HAZARD_WORDS
from sortis_core.findings import Findings
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
    sentences: tuple[str, ...]


def assess(
    sheet: ModelSheet, findings: Findings, standards: tuple[Standard, ...], policy: Policy
) -> Assessment:
    """Facts, shortfalls against every standard, hazards and implausible values of one unit."""
    memory = memory_facts(sheet, findings, policy)
    storage = storage_facts(sheet, findings)
    battery = battery_facts(sheet, findings)
    verdicts = tuple(
        StandardVerdict(
            standard=standard.key,
            name=standard.name,
            gates=tuple(
                _verdict(sheet, findings, memory, storage, battery, gate) for gate in standard.gates
            ),
        )
        for standard in standards
    )
    return Assessment(
        memory=memory,
        storage=storage,
        battery=battery,
        verdicts=verdicts,
        questions=tuple(pack_questions(sheet, findings)),
        hazards=findings.hazards,
        hazard_words=HAZARD_WORDS if findings.hazards else "",
        sentences=tuple(
            sentence
            for sentence in (memory.sentence, storage.sentence, battery.sentence)
            if sentence
        ),
    )


def _verdict(
    sheet: ModelSheet,
    findings: Findings,
    memory: MemoryFacts,
    storage: StorageFacts,
    battery: BatteryFacts,
    gate: Gate,
) -> GateVerdict:
    match gate:
        case MemoryGate():
            return memory_verdict(sheet, memory, gate)
        case SolidDriveGate():
            return storage_verdict(sheet, storage, gate)
        case PackGate():
            return pack_verdict(sheet, battery, gate)
        case PartsGate():
            return parts_verdict(sheet, findings, gate)
        case TestsGate():
            return tests_verdict(sheet, findings, gate)
        case SanitisedGate():
            return GateVerdict(
                gate=gate.type,
                state=GateState.AT_RELEASE,
                sentence="Drives that held data sanitised",
            )
        case ClosingGate():
            return GateVerdict(
                gate=f"{gate.type}: {gate.check}",
                state=GateState.AT_RELEASE,
                sentence=gate.check[0].upper() + gate.check[1:],
            )
