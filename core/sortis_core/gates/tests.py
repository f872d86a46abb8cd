"""All function tests of the sheet passed (docs/rules.md, Function tests)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.actions import Action, Verb, board_tests
from sortis_core.base import listed
from sortis_core.facts.completeness import lacking_parts
from sortis_core.facts.configuration import built_with, part_in
from sortis_core.facts.functions import board_failed
from sortis_core.findings import Findings, TestState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Phase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import Alternative, Asked, NeedsBoard, NoWay, picks
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet


class TestsGate(GateBase):
    """All function tests of the sheet passed."""

    phase: ClassVar[Phase] = Phase.COMPLETE
    question: ClassVar[str] = "function tests"
    examples: ClassVar[Examples] = ({},)
    type: Literal["tests"] = "tests"

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Every test of the trim, and the parts that go in as a set with a repair."""
        in_sets: set[str] = set()
        for part in sheet.parts:
            if part.goes_with:
                in_sets |= {part.key, *part.goes_with}

        def eye(findings: Findings) -> Hashable:
            places = sheet.of_trim(findings.trim)
            return (
                findings.trim,
                tuple([findings.test(test.key) for test in places.tests]),
                tuple([p.key for p in lacking_parts(sheet, findings) if p.key in in_sets])
                if in_sets
                else (),
                tuple([built_with(sheet, findings, built.aspect) for built in sheet.built_with]),
            )

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """One failure is short, one not run is unknown."""
        tests = sheet.tests_of(findings.trim)
        failed = [test for test in tests if findings.test(test.key).bad]
        unseen = [test for test in tests if findings.test(test.key) is TestState.UNSEEN]
        if failed:
            sentence = ", ".join(f"{test.label} failed" for test in failed)
            return self._says(
                GateState.SHORT,
                sentence,
                [test.key for test in failed],
                [test.key for test in unseen],
            )
        if unseen:
            more = f" and {len(unseen) - 1} more" if len(unseen) > 1 else ""
            sentence = f"{unseen[0].label}{more} not run"
            return self._says(GateState.UNKNOWN, sentence, [test.key for test in unseen])
        return self._says(GateState.MET, f"{len(tests)} of {len(tests)} tests passed")

    def ways(self, asked: Asked) -> list[Alternative]:
        """The repair of every failed test; what only another board mends is the board's to mend.

        A first attempt without a part comes before one with a part, where the sheet knows one. A
        part that goes in as a set (a touch panel and its cable) brings the rest of the set.

        :raises NeedsBoard: where a test failed that only a board mends, and none goes in.
        :raises NoWay: where the sheet says a repair is not worth it, or its part cannot be had.
        """
        sheet, findings, supply = asked.sheet, asked.findings, asked.supply
        if board_failed(sheet, findings) and not asked.board:
            raise NeedsBoard("The board failed.")
        actions: list[tuple[Action, ...]] = []
        lost: list[str] = []
        lacking: list[str] = []
        boards = board_tests(sheet)
        for test in sheet.tests_of(findings.trim):
            state = findings.test(test.key)
            if not state.bad or test.key in boards or test.key in asked.filled:
                continue
            if test.attempt and state is TestState.FAILED:
                actions.append((Action(verb=Verb.MEND, place=test.key),))
                continue
            if test.repair is None:
                lost.append(test.label)
                continue
            # Like for like, where it is known what was built in.
            kind = part_in(sheet, findings, test.key, test.repair.kind) or test.repair.kind
            # What a unit was built with is told by the part that makes it so: nothing else is it.
            own = bool(sheet.choices_of_kind(kind))
            kinds = tuple(one for one in supply.serving(kind) if one == kind or not own)
            if not kinds:
                lacking.append(f"{test.label} failed and {supply.none_of(kind)}.")
                continue
            along = _rest_of_set(asked, kind)
            actions.append(
                tuple(
                    Action(
                        verb=Verb.FIT,
                        place=test.key,
                        kind=fits,
                        takes_out_label=f"old {test.label.lower()}",
                        extras=along,
                    )
                    for fits in kinds
                )
            )
        # What no part mends is the fact, whatever part is not to be had besides.
        if lost:
            raise NoWay(f"{listed(lost)} failed; the sheet says a repair is not worth it.")
        if lacking:
            raise NoWay(lacking[0])
        return picks(actions)

    def heeds(self, sheet: ModelSheet, findings: Findings) -> frozenset[str]:
        """What failed: another part there is its repair."""
        tests = sheet.tests_of(findings.trim)
        return frozenset([test.key for test in tests if findings.test(test.key).bad])

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """A test that failed and is not worth its repair."""
        for test in sheet.tests_of(findings.trim):
            state = findings.test(test.key)
            tried = test.attempt is None or state is TestState.STILL_FAILS
            if test.repair is None and state.bad and tried:
                return f"{test.label} failed and is not worth a repair"
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Go down the list of the trim."""
        for test in sheet.tests:
            if test.trims and after.trim not in test.trims:
                continue
            if after.tests.get(test.key) is not TestState.PASSED:
                return Audited(fault=f"{test.label} was not seen working")
        return Audited(fault="")


def _rest_of_set(asked: Asked, kind: str) -> tuple[str, ...]:
    """Kinds that must go in along with a part of this kind and are not missing anyway."""
    sheet, findings = asked.sheet, asked.findings
    lacking = {part.key for part in lacking_parts(sheet, findings)}
    labels = {part.key: part for part in sheet.parts}
    along: list[str] = [
        other
        for _, choice in sheet.choices_of_kind(kind)
        if any(choice.place == test.key for test in sheet.tests)
        for other in choice.with_kinds
    ]
    along = [_one_of(other, asked.supply.label(other), asked) for other in along]
    for part in sheet.parts_of(findings.trim):
        if part.kind != kind:
            continue
        for key in part.goes_with:
            if key in lacking:
                continue
            along.append(_one_of(labels[key].kind, labels[key].label, asked))
    return tuple(dict.fromkeys(along))


def _one_of(kind: str, label: str, asked: Asked) -> str:
    """The kind that goes in along: the one named, else the first that goes in its place."""
    kinds = asked.supply.serving(kind)
    if not kinds:
        raise NoWay(f"{label} goes with it and there is none in stock or on offer.")
    return kinds[0]
