"""Seen at the last check by the releaser (docs/rules.md, Release)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase
from sortis_core.gates.proof import ReleaseGate, Signature, signed
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked
from sortis_core.policy import Policy
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.sheets import ModelSheet
from sortis_core.vocabulary.term import Term


class ClosingCheck(Term):
    """What a person sees at the very end."""

    CLOCK = "clock_set", "clock set"
    FLUSH = "closed_flush", "cover closed flush"
    CLEANED = "cleaned"


class ClosingGate(GateBase):
    """Seen at the last check by the releaser."""

    question: ClassVar[str] = "closing check"
    examples: ClassVar[Examples] = ({"check": "clock_set"}, {"check": "cleaned"})
    type: Literal["closing"] = "closing"
    check: ClosingCheck

    @property
    def name(self) -> str:
        """A standard may ask for several of these."""
        return f"{self.type}: {self.check.value}"

    @property
    def title(self) -> str:
        """What is seen."""
        return self.check.label

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Nothing: it is seen at the end alone."""

        def eye(findings: Findings) -> Hashable:
            return None

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Waits for the last check."""
        return self._says(GateState.AT_RELEASE, self._sentence)

    @property
    def _sentence(self) -> str:
        return self.check.heading

    def ways(self, asked: Asked) -> list[Alternative]:
        """Nothing is fitted for it."""
        return NOTHING_TO_DO

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing does."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """A plan cannot break it; cleaning takes its minutes."""
        cleaning = self.check is ClosingCheck.CLEANED
        return Audited(fault="", minutes=policy.cleaning_minutes if cleaning else 0.0)

    def work(self, policy: Policy) -> tuple[SkillMinutes, ...]:
        """A unit that must be clean is cleaned."""
        if self.check is not ClosingCheck.CLEANED or not policy.cleaning_minutes:
            return ()
        return (SkillMinutes(skill=Skill.CLEANING, minutes=policy.cleaning_minutes),)

    def proof(
        self,
        sheet: ModelSheet,
        findings: Findings,
        policy: Policy,
        seen: Signature,
        signature: Signature | None,
    ) -> ReleaseGate:
        """Signed by whoever saw it, and anew after whatever was done to the unit since."""
        return signed(self.name, self._sentence, "See it and sign.", signature, about=seen.words)
