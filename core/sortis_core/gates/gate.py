"""What every gate answers. One file a gate; :mod:`sortis_core.gates` closes the list.

Nothing else in the core knows of a gate by its type: what the assessor remembers by, what the plan
groups by, verdicts, ways to close, what rules out, notches, the proof at release and the second
reckoning of :mod:`sortis_core.plan.verify` are all asked of the gate. An answer that a new gate
does not give keeps it from being made at all.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar, Self

from sortis_core.base import Record
from sortis_core.configuration import Aspect
from sortis_core.findings import Findings
from sortis_core.gates.proof import ReleaseGate, Signature
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import Alternative, Asked
from sortis_core.policy import Policy
from sortis_core.route.minutes import SkillMinutes
from sortis_core.sheets import ModelSheet

Eye = Callable[[Findings], Hashable]
"""Looks at findings; units that look the same to it are the same to whoever looks through it."""


Examples = tuple[dict[str, Any], ...]


class Phase(IntEnum):
    """When a gate is asked for its ways."""

    FILL = 1
    """First, each for itself: memory, drives, packs."""
    CLEAR = 2
    """Then, knowing what those fill: what is faulty comes out."""
    COMPLETE = 3
    """Last, knowing what all others fill and empty: the kit of a bay that gets a drive."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Notch:
    """Where the gate lies on the strip's packs: at which share of the full width."""

    at: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Neighbour:
    """The same gate one notch milder or stricter, to see what that would change."""

    gate: "GateBase"
    now: str
    then: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Audited:
    """The gate's second reckoning, which shares nothing with the first."""

    fault: str
    """Why the unit does not pass, in words; empty where it does."""
    minutes: float = 0.0
    """Work that the gate asks for on top of the work order."""


class GateBase(Record, ABC):
    """One demand of a standard."""

    type: str
    phase: ClassVar[Phase] = Phase.FILL
    question: ClassVar[str]
    """What the gate is about, as a planner asks for it: ``pack health``."""
    may_be_waived: ClassVar[bool] = True
    """Whether whoever is answerable may let a unit leave without it."""
    frees: ClassVar[bool] = False
    """Whether its ways depend on what other units want, and on all that sits in the slots."""
    examples: ClassVar[Examples]
    """Figures as standards give them; documentation shows and tests try each."""

    @property
    def name(self) -> str:
        """Name of the gate within its standard."""
        return self.type

    @property
    def title(self) -> str:
        """What the gate is about, in words for people."""
        return self.question

    @property
    def side(self) -> Hashable:
        """Gates of one side change the same of a unit, and none of another side changes that."""
        return type(self)

    @classmethod
    @abstractmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """All of the findings that the verdicts and their words depend on, for all ``gates``."""

    @classmethod
    def sees(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """All of the findings that state, ways and facts against them depend on.

        The plan groups by it. Coarser than :meth:`reads` where only words differ: 71 and 72 % are
        the same under a gate of 80 %.
        """
        return cls.reads(gates, sheet, policy)

    @abstractmethod
    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Hold one unit against the gate. What nobody looked at is unknown, never met."""

    @abstractmethod
    def ways(self, asked: Asked) -> list[Alternative]:
        """Sets of actions that close the gate; one empty set where it is met as it is.

        :raises NoWay: with the fact against it.
        """

    def heeds(self, sheet: ModelSheet, findings: Findings) -> frozenset[str]:
        """Places that other gates may fill or empty and on which its ways hang: all, if need be.

        Asked only of who is not the first to be asked. Equal for units that look the same to it.
        """
        return frozenset([place.key for place in sheet.places_of(findings.trim)])

    @abstractmethod
    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """The fact that keeps the unit from the gate whatever the places not looked at hold."""

    @abstractmethod
    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Hold the unit as it will be against the gate, by arithmetic of its own.

        May use nothing that :meth:`verdict` or :meth:`ways` use to decide.
        """

    def asks_about(self) -> tuple[Aspect, ...]:
        """What of a unit's configuration must be known for it; asked of nobody else."""
        return ()

    def notch(self) -> Notch | None:
        """Where the strip draws it; None where it has no place there."""
        return None

    def neighbours(self) -> tuple[Neighbour, ...]:
        """One notch milder, one stricter; none where the gate knows no figures."""
        return ()

    def work(self, policy: Policy) -> tuple[SkillMinutes, ...]:
        """What the gate wants done to every unit, apart from the work order."""
        return ()

    def proof(
        self,
        sheet: ModelSheet,
        findings: Findings,
        policy: Policy,
        seen: Signature,
        signature: Signature | None,
    ) -> ReleaseGate:
        """The gate at the last check. A measured one is met by findings alone.

        :param seen: who made the newest findings.
        :param signature: who signed this gate, if anybody did.
        """
        verdict = self.verdict(sheet, findings, policy)
        met = verdict.state is GateState.MET
        return ReleaseGate(
            gate=self.name,
            sentence=verdict.sentence,
            met=met,
            evidence=f"{seen.words}, {seen.by}" if met else "",
            asks="" if met else "Back to inspection: this gate is not met.",
        )

    def _says(
        self,
        state: GateState,
        sentence: str,
        places: Sequence[str] = (),
        unseen: Sequence[str] | None = None,
    ) -> GateVerdict:
        """A verdict; unless told, all that makes a gate unknown is what nobody saw."""
        if unseen is None:
            unseen = places if state is GateState.UNKNOWN else ()
        return GateVerdict(
            gate=self.name,
            state=state,
            sentence=sentence,
            places=tuple(places),
            unseen=tuple(unseen),
        )


def came_with(sheet: ModelSheet, findings: Findings, aspect: Aspect) -> str:
    """Code of what was noted, or of all that the trim and the memory on the board leave.

    Empty where neither says.

    Read from the sheet alone, beside what verdicts go by, for the second reckoning.
    """
    came = [
        choice.key
        for one in sheet.built_with
        if one.aspect is aspect
        for choice in one.choices
        if not choice.trims or findings.trim in choice.trims
    ]
    if noted := findings.configuration.get(aspect):
        return noted
    like = [one for one in sheet.boards if one.soldered_gb == findings.soldered_gb]
    if len(came) > 1 and like:
        brings = {Aspect.BOARD: {one.key for one in like}}
        if all(one.processor for one in like):
            brings[Aspect.PROCESSOR] = {one.processor for one in like}
        came = [key for key in came if key in brings.get(aspect, came)]
    return came[0] if len(came) == 1 else ""


def half_and_twice(gate: GateBase, min_gb: int) -> tuple[Neighbour, ...]:
    """The neighbours of a gate that asks for at least ``min_gb``."""
    return tuple(
        Neighbour(gate=gate.model_copy(update={"min_gb": gb}), now=f"{min_gb} GB", then=f"{gb} GB")
        for gb in (min_gb // 2, min_gb * 2)
    )
