"""Nothing, or none of some things, works poorly (docs/rules.md, Remarks)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.base import listed
from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, NoWay
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet


class NoRemarksGate(GateBase):
    """No remark stands on parts and tests, or on those of a list."""

    question: ClassVar[str] = "remarks"
    examples: ClassVar[Examples] = ({}, {"about": ["screen", "keyboard"]})
    type: Literal["no_remarks"] = "no_remarks"
    about: tuple[str, ...] = ()
    """Keys of parts and tests; empty means all."""

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Every remark."""

        def eye(findings: Findings) -> Hashable:
            return tuple(sorted(findings.remarks.items()))

        return eye

    @classmethod
    def sees(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """What has a remark; how poorly it works is told, and counts the same."""

        def eye(findings: Findings) -> Hashable:
            return tuple(sorted(findings.remarks))

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Short of it with any remark; what fails altogether is for the tests' own gate."""
        places = [key for key in sorted(findings.remarks) if not self.about or key in self.about]
        if not places:
            return self._says(GateState.MET, "Nothing works poorly")
        said = listed([f"{sheet.label_of(key)} is {findings.remarks[key]}" for key in places])
        return self._says(GateState.SHORT, said, places)

    def ways(self, asked: Asked) -> list[Alternative]:
        """Met as it is.

        :raises NoWay: with the remarks.
        """
        verdict = self.verdict(asked.sheet, asked.findings, asked.policy)
        if verdict.state is GateState.MET:
            return NOTHING_TO_DO
        labels = listed([asked.sheet.label_of(place) for place in verdict.places])
        raise NoWay(f"Works poorly: {labels}.")

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Whatever works poorly."""
        verdict = self.verdict(sheet, findings, policy)
        return "" if verdict.state is GateState.MET else verdict.sentence

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Count the remarks."""
        count = sum(1 for place in after.remarks if not self.about or place in self.about)
        return Audited(fault=f"{count} remarks stand on it" if count else "")
