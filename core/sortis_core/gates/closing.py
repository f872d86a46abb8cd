"""Seen at the last check by the releaser (docs/rules.md, Release)."""

from typing import ClassVar, Literal

from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Examples
from sortis_core.gates.last_check import LastCheckGate
from sortis_core.gates.proof import ReleaseGate, Signature, signed
from sortis_core.policy import Policy
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.sheets import ModelSheet
from sortis_core.vocabulary.term import Term


class ClosingCheck(Term):
    """What a person sees at the very end."""

    CLOCK = "clock_set", "clock set"
    FLUSH = "closed_flush", "cover closed flush"
    CLEANED = "cleaned"


class ClosingGate(LastCheckGate):
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

    @property
    def sentence(self) -> str:
        """What is seen."""
        return self.check.heading

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
        return signed(self.name, self.sentence, "See it and sign.", signature, about=seen.words)
