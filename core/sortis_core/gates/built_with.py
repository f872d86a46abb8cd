"""The unit was built with one of some things, in one aspect (docs/rules.md, Configuration)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from pydantic import Field, field_validator

from sortis_core.actions import Action, Verb
from sortis_core.base import listed
from sortis_core.configuration import Aspect
from sortis_core.facts.configuration import built_with, possible, value_label
from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, came_with
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, LookFirst, NeedsBoard, NoWay
from sortis_core.policy import BoardSchool, Policy
from sortis_core.sheets import Choice, ModelSheet


class BuiltWithGate(GateBase):
    """What sits in the unit, in one aspect, is one of a list: a touch panel, a lit keyboard."""

    question: ClassVar[str] = "what it is built with"
    examples: ClassVar[Examples] = (
        {"aspect": "built_panel", "any_of": ["touch"]},
        {"aspect": "built_processor", "any_of": ["high"]},
        {"aspect": "keyboard_light", "any_of": ["lit"]},
    )
    type: Literal["built_with"] = "built_with"
    aspect: Aspect
    any_of: tuple[str, ...] = Field(min_length=1)
    """Codes of the sheets."""

    @field_validator("aspect")
    @classmethod
    def _has_no_gate_of_its_own(cls, aspect: Aspect) -> Aspect:
        if aspect is Aspect.KEYBOARD:
            raise ValueError("the keyboard's language has a gate of its own, keyboard_language")
        return aspect

    @property
    def name(self) -> str:
        """A standard may ask about several aspects."""
        return f"{self.type}: {self.aspect.value}"

    @property
    def side(self) -> Hashable:
        """Each aspect is changed by itself."""
        return type(self), self.aspect

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """What the unit has, in every aspect that some gate asks about."""
        aspects = tuple(dict.fromkeys(gate.aspect for gate in gates))

        def eye(findings: Findings) -> Hashable:
            found = tuple([built_with(sheet, findings, aspect) for aspect in aspects])
            return findings.trim, found

        return eye

    def asks_about(self) -> tuple[Aspect, ...]:
        """Its aspect; without it nobody knows."""
        return (self.aspect,)

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """On the list, not on it, or not looked at."""
        heading, place = self.aspect.heading, (self.aspect.value,)
        if not possible(sheet, self.aspect, findings.trim):
            said = f"The sheet of {sheet.name} names no {self.aspect}"
            return self._says(GateState.SHORT, said, place)
        found = built_with(sheet, findings, self.aspect)
        if not found:
            return self._says(GateState.UNKNOWN, f"{heading} not looked at", place)
        wanted = listed([value_label(sheet, self.aspect, code) for code in self.any_of], "or")
        sentence = f"{heading} is {value_label(sheet, self.aspect, found)}, wanted {wanted}"
        met = found in self.any_of
        return self._says(GateState.MET if met else GateState.SHORT, sentence, place)

    def ways(self, asked: Asked) -> list[Alternative]:
        """The parts that make a unit so, each with what must go in along with it.

        A processor that sits on the board comes with another board.

        :raises LookFirst: where nobody noted what the unit has.
        :raises NeedsBoard: where only another board makes it so, and none goes in.
        :raises NoWay: where no part does, or none is to be had.
        """
        verdict = self.verdict(asked.sheet, asked.findings, asked.policy)
        if verdict.state is GateState.UNKNOWN:
            raise LookFirst(f"{verdict.sentence}: look first.")
        if verdict.state is GateState.MET:
            return NOTHING_TO_DO
        fitting = self._fitting(asked.sheet)
        found: list[Alternative] = []
        lacking: list[str] = []
        for choice in fitting:
            kinds = (choice.kind, *choice.with_kinds)
            if gone := [kind for kind in kinds if not asked.supply.has(kind)]:
                lacking.append(asked.supply.none_of(gone[0]))
                continue
            action = Action(
                verb=Verb.FIT,
                place=choice.place,
                kind=choice.kind,
                takes_out_label=f"old {self.aspect}",
                extras=choice.with_kinds,
            )
            found.append((action,))
        if found:
            return found
        if self._by_board(asked.sheet) and not asked.board:
            raise NeedsBoard(f"{verdict.sentence}; it comes with another board.")
        if lacking:
            raise NoWay(f"{verdict.sentence}; {lacking[0]}.")
        raise NoWay(f"{verdict.sentence}; no part of this model changes it.")

    def _fitting(self, sheet: ModelSheet) -> list[Choice]:
        """Choices of the list that a part makes a unit into."""
        choices = sheet.choices_of(self.aspect)
        return [choice for choice in choices if choice.kind and choice.key in self.any_of]

    def _by_board(self, sheet: ModelSheet) -> bool:
        """Whether some board of the model brings it."""
        if self.aspect not in (Aspect.PROCESSOR, Aspect.BOARD):
            return False
        boards = [board for board in sheet.boards if board.kind]
        return any({board.key, board.processor} & set(self.any_of) for board in boards)

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Something else, which no part and no board changes."""
        verdict = self.verdict(sheet, findings, policy)
        board = policy.board is not BoardSchool.NEVER_SWAP and self._by_board(sheet)
        if verdict.state is not GateState.SHORT or self._fitting(sheet) or board:
            return ""
        return verdict.sentence

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Whether something of the list was noted, or is all that the trim comes with."""
        has = came_with(sheet, after, self.aspect)
        return Audited(fault="" if has in self.any_of else f"the {self.aspect} is another one")
