"""Function tests (docs/rules.md, Function tests)."""

from sortis_core.assess.verdict import GateState, GateVerdict
from sortis_core.findings import Findings, TestState
from sortis_core.sheets import ModelSheet
from sortis_core.standards import TestsGate


def tests_verdict(sheet: ModelSheet, findings: Findings, gate: TestsGate) -> GateVerdict:
    """All tests of the sheet passed; one failure is short, one not run is unknown."""
    tests = sheet.tests_of(findings.trim)
    failed = [test for test in tests if findings.test(test.key) is TestState.FAILED]
    unseen = [test for test in tests if findings.test(test.key) is TestState.UNSEEN]
    if failed:
        return GateVerdict(
            gate=gate.type,
            state=GateState.SHORT,
            sentence=", ".join(f"{test.label} failed" for test in failed),
            places=tuple(test.key for test in failed),
        )
    if unseen:
        more = f" and {len(unseen) - 1} more" if len(unseen) > 1 else ""
        return GateVerdict(
            gate=gate.type,
            state=GateState.UNKNOWN,
            sentence=f"{unseen[0].label}{more} not run",
            places=tuple(test.key for test in unseen),
        )
    return GateVerdict(
        gate=gate.type,
        state=GateState.MET,
        sentence=f"{len(tests)} of {len(tests)} tests passed",
    )
