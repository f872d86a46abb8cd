"""At least so much memory (docs/rules.md, Memory)."""

from collections.abc import Hashable, Sequence
from itertools import product
from typing import ClassVar, Literal, Self

from pydantic import Field

from sortis_core.actions import Action, Verb
from sortis_core.facts.memory import ceiling, channel_amounts, memory_facts
from sortis_core.findings import Findings, ModuleFinding, PlaceState
from sortis_core.gates.fit_to_leave import FAULTY_MODULE
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Neighbour, half_and_twice
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, NoWay
from sortis_core.policy import BoardSchool, PairSchool, Policy
from sortis_core.sheets import MemorySlot, ModelSheet
from sortis_core.supply import Supply

OUT = "out"
"""In place of a part kind: the module comes out and none goes in."""


class MemoryGate(GateBase):
    """At least so much memory."""

    question: ClassVar[str] = "memory"
    frees: ClassVar[bool] = True
    examples: ClassVar[Examples] = ({"min_gb": 8}, {"min_gb": 16})
    type: Literal["memory"] = "memory"
    min_gb: int = Field(gt=0, le=4096)

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """The soldered amount, and state and size of every slot; makers where they must agree."""
        slots = tuple(slot.key for slot in sheet.memory.slots)
        alike = policy.pair is PairSchool.ONE_MAKER

        def eye(findings: Findings) -> Hashable:
            found = [findings.module(key) for key in slots]
            makers = tuple([there.maker for there in found]) if alike else None
            return findings.soldered_gb, tuple([(there.state, there.gb) for there in found]), makers

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Hold the total against the gate; unknown only while unseen places could decide it."""
        facts = memory_facts(sheet, findings, policy)
        total = f"{facts.total_gb} of {self.min_gb} GB"
        if facts.total_gb >= self.min_gb:
            return self._says(GateState.MET, total)
        if facts.unseen:
            said = f"{total}, {len(facts.unseen)} not looked at"
            return self._says(GateState.UNKNOWN, said, facts.unseen)
        room = f", {sheet.label_of(facts.free_slots[0])} free" if facts.free_slots else ""
        slots = [slot.key for slot in sheet.memory.slots]
        return self._says(GateState.SHORT, f"{total}{room}", slots)

    def ways(self, asked: Asked) -> list[Alternative]:
        """Fillings of the slots that reach the gate within the policy's ceiling.

        A module that sits in one slot may move to another: it comes out and serves the same unit.

        :raises NoWay: with the fact (soldered only, ceiling too low, no module to be had).
        """
        sheet, findings = asked.sheet, asked.findings
        # A board that goes in may bring enough, whatever was short before.
        enough = sum(channel_amounts(sheet, findings).values()) >= self.min_gb
        if enough and not any(_spare(asked, slot) for slot in sheet.memory.slots):
            return NOTHING_TO_DO
        top = ceiling(sheet, asked.policy)
        fixed = findings.soldered_gb or 0
        if not sheet.memory.slots:
            raise NoWay(f"Memory is soldered at {fixed} GB and there is no slot.")
        if top.gb < self.min_gb and not enough:
            raise NoWay(
                f"The ceiling is {top.gb} GB ({top.source}); the gate wants {self.min_gb} GB."
            )
        choices = [_fitting(slot, asked) for slot in sheet.memory.slots]
        found: list[Alternative] = list(NOTHING_TO_DO) if enough else []
        reachable = 0
        mixed = False
        for filling in product(*choices):
            total = fixed + sum(gb for _, gb in filling)
            if total > top.gb or (enough and not _frees(asked, filling)):
                continue
            if asked.policy.pair is PairSchool.ONE_MAKER and _mixes(asked, filling):
                mixed = mixed or total >= self.min_gb
                continue
            reachable = max(reachable, total)
            if total >= self.min_gb and any(kind for kind, _ in filling):
                found.append(
                    tuple(
                        _change(sheet, findings.module(slot.key), slot, kind, asked.supply)
                        for slot, (kind, _) in zip(sheet.memory.slots, filling, strict=True)
                        if kind
                    )
                )
        if not found and mixed:
            raise NoWay(
                "Only modules of several or unknown makers would reach it, and makers are never "
                "mixed in a pair here."
            )
        if not found:
            raise NoWay(
                f"With the modules that can be had the slots reach {reachable} GB; the gate wants "
                f"{self.min_gb} GB."
            )
        return found

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """The ceiling, or soldered memory that cannot grow, unless another board brings more."""
        top = ceiling(sheet, policy)
        fixed = not sheet.memory.slots and findings.soldered_gb is not None
        most = findings.soldered_gb or 0 if fixed else top.gb
        if policy.board is not BoardSchool.NEVER_SWAP:
            most = max([most, *(board.soldered_gb for board in sheet.boards if board.kind)])
        if most >= self.min_gb:
            return ""
        what = "soldered memory is" if fixed else f"memory goes ({top.source})"
        return f"{most} GB is all the {what}, it wants {self.min_gb} GB"

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Count the gigabytes of what works."""
        gigabytes = after.soldered_gb or 0
        for module in after.modules.values():
            gigabytes += module.gb or 0 if module.state is PlaceState.PRESENT else 0
        lacking = self.min_gb - gigabytes
        return Audited(fault=f"memory lacks {lacking} GB" if lacking > 0 else "")

    def neighbours(self) -> tuple[Neighbour, ...]:
        """Half of it and twice of it."""
        return half_and_twice(self, self.min_gb)


def _fitting(slot: MemorySlot, asked: Asked) -> list[tuple[str, int]]:
    """(part kind, GB) that the slot may hold afterwards; no kind: as it is."""
    there = asked.findings.module(slot.key)
    usable = there.state in (PlaceState.PRESENT, PlaceState.EMPTY, PlaceState.FAULTY)
    held = there.gb or 0 if there.state is PlaceState.PRESENT else 0
    spare = _spare(asked, slot)
    fitting = [
        (key, facts.gb)
        for key, facts in asked.supply.modules
        if usable
        and asked.supply.has(key)
        and (facts.gb > held or (spare and facts.gb < held))
        and not facts.refusal(asked.sheet.memory, slot)
    ]
    return [("", held), *([(OUT, 0)] if spare else []), *fitting]


def _spare(asked: Asked, slot: MemorySlot) -> str:
    """Kind of the working module in the slot, where other units want such a one."""
    there = asked.findings.module(slot.key)
    if not asked.spare or there.state is not PlaceState.PRESENT:
        return ""
    kind = asked.supply.module_kind(there, asked.sheet)
    return kind if kind in asked.spare else ""


def _frees(asked: Asked, filling: tuple[tuple[str, int], ...]) -> bool:
    """Whether a filling that nothing asks for frees what others want: two of 8 GB for one of 16."""
    return any(
        kind and _spare(asked, slot)
        for slot, (kind, _) in zip(asked.sheet.memory.slots, filling, strict=True)
    )


def _mixes(asked: Asked, filling: tuple[tuple[str, int], ...]) -> bool:
    """Whether a filling would run modules of several makers, or of unknown ones, side by side."""
    makers: list[str] = []
    modules = dict(asked.supply.modules)
    for slot, (kind, held) in zip(asked.sheet.memory.slots, filling, strict=True):
        if kind and kind != OUT:
            makers.append(modules[kind].maker)
        elif held and not kind:
            makers.append(asked.findings.module(slot.key).maker)
    return len(makers) > 1 and (len(set(makers)) > 1 or not makers[0])


def _change(
    sheet: ModelSheet, there: ModuleFinding, slot: MemorySlot, kind: str, supply: Supply
) -> Action:
    """Another module into the slot, or none."""
    displaced = there.state is PlaceState.PRESENT
    label = f"{there.gb} GB {sheet.memory.generation}" if displaced else ""
    if there.state is PlaceState.FAULTY:
        label = FAULTY_MODULE
    return Action(
        verb=Verb.TAKE_OUT if kind == OUT else Verb.FIT,
        place=slot.key,
        kind="" if kind == OUT else kind,
        takes_out=supply.module_kind(there, sheet) if displaced else "",
        takes_out_label=label,
    )
