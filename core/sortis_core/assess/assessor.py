"""All facts, verdicts, hazards and open questions of one unit, put together.

Units of one batch are much alike: the same modules, the same drives, all tests passed. What one
side of a unit amounts to is worked out once and looked up for the next unit that is the same on
that side, as the gates themselves say (``GateBase.reads``). What is made anew for every unit is
plain dataclasses, not models that check again what was checked already (``bench/inspect.py`` holds
the time).
"""

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple, TypeVar

from sortis_core.assess.headroom import (
    Room,
    SchoolCeiling,
    ceilings,
    drive_rooms,
    memory_rooms,
    pack_rooms,
)
from sortis_core.assess.unknowns import NOTHING_UNKNOWN, Unknowns, ruled_out, unknowns
from sortis_core.cautions import HAZARD_WORDS, LIT_WORDS
from sortis_core.facts.battery import BatteryFacts, battery_facts, pack_questions
from sortis_core.facts.configuration import aspects_that_tell_parts, configuration_questions
from sortis_core.facts.memory import MemoryFacts, memory_facts, memory_questions
from sortis_core.facts.question import Question
from sortis_core.facts.storage import StorageFacts, storage_facts, storage_questions
from sortis_core.facts.trims import trim_questions
from sortis_core.findings import Findings, HazardKind, PlaceState, TestState
from sortis_core.gates.gate import Eye, GateBase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard, by_type, distinct_gates, is_sold

MOST_REMEMBERED = 4096
"""Different fillings of one side that are remembered; a batch has some dozens."""

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


class _Family(NamedTuple):
    """All distinct gates of one type, which look at the same side of a unit."""

    eye: Eye
    gates: tuple[tuple[int, GateBase], ...]
    """With their numbers among the distinct gates."""


class Assessor:
    """Assesses all units of one model against the same standards and policy."""

    def __init__(self, sheet: ModelSheet, standards: tuple[Standard, ...], policy: Policy) -> None:
        self.sheet, self.standards, self.policy = sheet, standards, policy
        gates = distinct_gates(standards)
        number = {gate: n for n, gate in enumerate(gates)}
        self._numbers = [tuple(number[gate] for gate in s.gates) for s in standards]
        self._families = tuple(
            _Family(kind.reads(alike, sheet, policy), tuple((number[gate], gate) for gate in alike))
            for kind, alike in by_type(gates).items()
        )
        self._ceilings = ceilings(sheet, policy)
        self._built_in = tuple(
            (test.key, tuple({aspect for aspect, _ in choices}))
            for test in sheet.tests
            if (choices := sheet.choices_at(test.key))
        )
        self._sides: dict[Hashable, object] = {}

    def assess(self, findings: Findings) -> Assessment:
        """Facts, shortfalls against every standard, hazards and implausible values of one unit."""
        sheet = self.sheet
        battery = battery_facts(sheet, findings)
        modules = (findings.soldered_gb, *findings.modules.items())
        drives = (findings.trim, *findings.drives.items())
        sides = tuple([family.eye(findings) for family in self._families])
        alike = self._once(
            (modules, drives, sides, self._seen(findings)),
            lambda: self._all_sides(findings, modules, drives, sides),
        )
        hazards = findings.hazards
        return Assessment(
            memory=alike.memory,
            storage=alike.storage,
            battery=battery,
            verdicts=alike.verdicts,
            questions=(
                *alike.asked,
                *storage_questions(sheet, findings),
                *pack_questions(sheet, findings),
                *trim_questions(sheet, findings),
                *configuration_questions(sheet, findings),
            ),
            hazards=hazards,
            hazard_words=_hazard_words(findings) if hazards else "",
            ceilings=self._ceilings,
            headroom=(*alike.rooms, *pack_rooms(sheet, findings)),
            unknowns=self._unknowns(findings, alike),
            sentences=tuple([said for said in (*alike.sentences, battery.sentence) if said]),
        )

    def _all_sides(
        self,
        findings: Findings,
        modules: Hashable,
        drives: Hashable,
        sides: tuple[Hashable, ...],
    ) -> _Alike:
        memory, memory_room, asked = self._once(("memory", modules), lambda: self._memory(findings))
        storage, drive_room = self._once(("storage", drives), lambda: self._storage(findings))
        said: dict[int, GateVerdict] = {}
        for family, side in zip(self._families, sides, strict=True):
            said.update(self._once((family, side), partial(self._verdicts, family, findings)))
        open_gate = any(verdict.unseen for verdict in said.values())
        return _Alike(
            memory=memory,
            storage=storage,
            rooms=(*memory_room, *drive_room),
            asked=asked,
            verdicts=tuple(
                StandardVerdict(
                    standard=standard.key,
                    name=standard.name,
                    gates=tuple(said[number] for number in numbers),
                )
                for standard, numbers in zip(self.standards, self._numbers, strict=True)
            ),
            all_seen=not open_gate and self._all_seen(findings),
        )

    def _once(self, key: Hashable, work: Callable[[], Side]) -> Side:
        known = self._sides.get(key)
        if known is None:
            if len(self._sides) >= MOST_REMEMBERED:
                self._sides.clear()
            known = self._sides[key] = work()
        return known  # type: ignore[return-value]

    def _verdicts(self, family: _Family, findings: Findings) -> dict[int, GateVerdict]:
        return {
            number: gate.verdict(self.sheet, findings, self.policy) for number, gate in family.gates
        }

    def _memory(
        self, findings: Findings
    ) -> tuple[MemoryFacts, tuple[Room, ...], tuple[Question, ...]]:
        facts = memory_facts(self.sheet, findings, self.policy)
        rooms = memory_rooms(self.sheet, findings, facts.total_gb, facts.ceiling_gb)
        return facts, rooms, tuple(memory_questions(self.sheet, facts.total_gb))

    def _storage(self, findings: Findings) -> tuple[StorageFacts, tuple[Room, ...]]:
        return storage_facts(self.sheet, findings), drive_rooms(self.sheet, findings)

    def _seen(self, findings: Findings) -> Hashable:
        """How much was looked at, for what no gate asks about."""
        packs = [findings.pack(p.key).state for p in self.sheet.packs_of(findings.trim)]
        return (
            len(findings.parts),
            len(findings.tests),
            len(findings.packs),
            PlaceState.UNSEEN in packs,
        )

    def _unknowns(self, findings: Findings, alike: _Alike) -> Unknowns:
        if alike.all_seen and findings.grade and not self._untold(findings):
            return NOTHING_UNKNOWN
        gates = tuple(verdict.gates for verdict in alike.verdicts)
        return unknowns(self.sheet, findings, self.standards, gates, self.policy)

    def _untold(self, findings: Findings) -> bool:
        """Whether a unit that no standard can sell may give a part nobody noted which it is.

        Asked of every unit of a long list, so what is quick to tell is told first.
        """
        noted = findings.configuration
        if not any(
            findings.test(test) is TestState.PASSED and any(one not in noted for one in aspects)
            for test, aspects in self._built_in
        ):
            return False
        sheet, policy = self.sheet, self.policy
        sold = is_sold(self.standards, sheet.key, findings)
        return all(
            ruled_out(sheet, findings, standard, policy, sold) for standard in self.standards
        ) and bool(aspects_that_tell_parts(sheet, findings))

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
