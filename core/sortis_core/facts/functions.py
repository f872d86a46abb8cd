"""Function tests (docs/rules.md, Function tests)."""

from sortis_core.actions import board_tests
from sortis_core.base import Record
from sortis_core.findings import Findings, TestState
from sortis_core.sheets import ModelSheet
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


def board_failed(sheet: ModelSheet, findings: Findings) -> bool:
    """Whether a test failed that only another board mends."""
    return any(findings.test(test) is TestState.FAILED for test in board_tests(sheet))
