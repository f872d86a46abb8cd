"""Function tests (docs/rules.md, Function tests)."""

from sortis_core.actions import board_tests
from sortis_core.base import Record
from sortis_core.findings import Findings
from sortis_core.sheets import FunctionTest, ModelSheet
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
        if test.repair is None and test.attempt is None:
            words = "not worth a repair: no standard can be reached"
        else:
            words = _words(sheet, test, kinds)
        worth_it = test.repair is not None or test.attempt is not None
        facts.append(RepairFact(test=test.key, label=test.label, words=words, worth_it=worth_it))
    return tuple(facts)


def _words(sheet: ModelSheet, test: FunctionTest, kinds: dict[str, PartKind]) -> str:
    said: list[str] = []
    if test.attempt:
        said.append(f"first {test.attempt.words}, {test.attempt.minutes:g} min")
    if test.repair:
        kind = kinds.get(test.repair.kind)
        reach = sheet.route.reach(test.key)
        minutes = reach.minutes_out + reach.minutes_in if reach else 0
        at_it = f", {minutes:g} min at it" if minutes else ""
        said.append(f"{kind.label if kind else test.repair.kind}{at_it}")
    return "; then ".join(said)


def board_failed(sheet: ModelSheet, findings: Findings) -> bool:
    """Whether a test failed that only another board mends."""
    return any(findings.test(test).bad for test in board_tests(sheet))
