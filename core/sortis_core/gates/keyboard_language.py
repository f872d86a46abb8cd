"""The letters on the keyboard are those of one of some languages (docs/rules.md, Configuration)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from pydantic import Field

from sortis_core.configuration import Aspect, KeyboardLanguage
from sortis_core.facts.configuration import built_with
from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, came_with
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, LookFirst, NoWay
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet

ASPECT = Aspect.KEYBOARD


class KeyboardLanguageGate(GateBase):
    """The keyboard's language is one of a list."""

    question: ClassVar[str] = ASPECT.label
    examples: ClassVar[Examples] = ({"languages": ["en"]}, {"languages": ["da", "no", "sv"]})
    type: Literal["keyboard_language"] = "keyboard_language"
    languages: tuple[KeyboardLanguage, ...] = Field(min_length=1)

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """The language as it was noted, or as all of the trim have it."""

        def eye(findings: Findings) -> Hashable:
            return built_with(sheet, findings, ASPECT)

        return eye

    def asks_about(self) -> tuple[Aspect, ...]:
        """The language; without it nobody knows."""
        return (ASPECT,)

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """On the list, not on it, or not looked at."""
        found = built_with(sheet, findings, ASPECT)
        if not found:
            sentence = f"{ASPECT.heading} not looked at"
            return self._says(GateState.UNKNOWN, sentence, (ASPECT.value,))
        sentence = f"Keyboard is {KeyboardLanguage(found)}, wanted {self._wanted}"
        met = found in self.languages
        return self._says(GateState.MET if met else GateState.SHORT, sentence, (ASPECT.value,))

    @property
    def _wanted(self) -> str:
        return " or ".join(language.label for language in self.languages)

    def ways(self, asked: Asked) -> list[Alternative]:
        """Met as it is; no part of a sheet says which language it has.

        :raises LookFirst: where nobody noted the language.
        :raises NoWay: where it is another one.
        """
        verdict = self.verdict(asked.sheet, asked.findings, asked.policy)
        if verdict.state is GateState.UNKNOWN:
            raise LookFirst(f"{verdict.sentence}: look first.")
        if verdict.state is GateState.SHORT:
            raise NoWay(f"{verdict.sentence}; no keyboard of another language is known for it.")
        return NOTHING_TO_DO

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """A language that is not on the list."""
        verdict = self.verdict(sheet, findings, policy)
        return verdict.sentence if verdict.state is GateState.SHORT else ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Whether a language of the list was noted, or is all that the trim comes with."""
        has = came_with(sheet, after, ASPECT)
        noted = any(has == language for language in self.languages)
        return Audited(fault="" if noted else "the keyboard has none of the languages wanted")
