"""Function tests (docs/rules.md, Function tests)."""

from sortis_core.assess.verdict import GateState, GateVerdict
from sortis_core.base import Record
from sortis_core.findings import Findings, TestState
from sortis_core.sheets import ModelSheet
from sortis_core.standards import TestsGate
from sortis_core.stock import PartKind


class RepairFact(Record):
    """What a failure of one test means."""

    test: str
    label: str
    words: str
    """The part that goes in and the minutes at it, or that it is not worth a repair."""
    worth_it: bool


def repair_facts(
    sheet: ModelSheet, trim: str, kinds: dict[str, PartKind]
) -> tuple[RepairFact, ...]:
    """For every test of the trim what its failure would mean."""
    facts: list[RepairFact] = []
    for test in sheet.tests_of(trim):
        if test.repair is None:
            words = "not worth a repair: no standard can be reached"
        else:
            kind = kinds.get(test.repair.kind)
            reach = sheet.route.reach(test.key)
            minutes = reach.minutes_out + reach.minutes_in if reach else 0
            at_it = f", {minutes:g} min at it" if minutes else ""
            words = f"{kind.label if kind else test.repair.kind}{at_it}"
        facts.append(
            RepairFact(
                test=test.key, label=test.label, words=words, worth_it=test.repair is not None
            )
        )
    return tuple(facts)


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
