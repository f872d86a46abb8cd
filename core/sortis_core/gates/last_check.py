"""What gates have in common that are seen at the last check alone (docs/rules.md, Release)."""

from abc import abstractmethod
from collections.abc import Hashable, Sequence
from typing import Self

from sortis_core.findings import Findings
from sortis_core.gates.gate import Audited, Eye, GateBase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet


class LastCheckGate(GateBase):
    """Decides nothing before the last check; no plan can close it and none can break it."""

    @property
    @abstractmethod
    def sentence(self) -> str:
        """What is so once it is met."""

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Nothing: it is seen at the end alone."""

        def eye(findings: Findings) -> Hashable:
            return None

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Waits for the last check."""
        return self._says(GateState.AT_RELEASE, self.sentence)

    def ways(self, asked: Asked) -> list[Alternative]:
        """Nothing is fitted for it."""
        return NOTHING_TO_DO

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing does."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """A plan cannot break it."""
        return Audited(fault="")
