"""Actions: single changes to one unit, and what the unit is like afterwards."""

from collections.abc import Mapping
from functools import cached_property
from typing import assert_never

from sortis_core.base import Record
from sortis_core.facts.configuration import with_board
from sortis_core.findings import (
    DriveFinding,
    Findings,
    ModuleFinding,
    Origin,
    OriginKind,
    PackFinding,
    PartState,
    PlaceState,
    TestState,
)
from sortis_core.sheets import BOARD, Attempt, ModelSheet
from sortis_core.stock import DriveFacts, ModuleFacts, PackFacts, PartKind
from sortis_core.vocabulary.term import Term


class Verb(Term):
    """What an action does."""

    FIT = "fit"
    TAKE_OUT = "take_out", "take out"
    MEND = "mend"
    """Without a part."""
    SEAT = "seat", "seat again"
    """What is there comes out and goes in again; the last check asked for it, no plan does."""


FROM_STOCK = Origin(kind=OriginKind.FITTED)


EXTRA = ":"
"""Between a place and the kind of what goes in along with its part."""


def main_place(place: str) -> str:
    """The place of the sheet that a part of an action goes to, extras to that of their part."""
    return place.partition(EXTRA)[0]


class Action(Record):
    """One change: fit a part into a place, or take one out."""

    verb: Verb
    place: str
    """Key of a slot, bay, socket, pack place, required part or function test of the sheet, or
    ``board``."""
    kind: str = ""
    """Part kind that goes in; empty for taking out."""
    takes_out: str = ""
    """Part kind that comes out, where the store has one."""
    takes_out_label: str = ""
    """What comes out, in words; empty where nothing does."""
    installs_system: bool = False
    extras: tuple[str, ...] = ()
    """Part kinds that go in with it: a bracket that holds a shorter drive, screws of a pack."""

    @cached_property
    def parts(self) -> tuple[tuple[str, str], ...]:
        """(place, kind) of everything that goes in; extras have places of their own."""
        if not self.kind:
            return ()
        extras = ((f"{self.place}{EXTRA}{kind}", kind) for kind in self.extras)
        return ((self.place, self.kind), *extras)

    @cached_property
    def key(self) -> str:
        """Short stable name, for keys of options."""
        if self.kind:
            return "+".join([self.place, self.kind, *self.extras])
        match self.verb:
            case Verb.MEND:
                return f"{self.place}~"
            case Verb.SEAT:
                return f"{self.place}="
            case Verb.FIT | Verb.TAKE_OUT:
                return f"{self.place}-"
            case _:
                assert_never(self.verb)


def action_words(sheet: ModelSheet, action: Action, kinds: dict[str, PartKind]) -> str:
    """The action as people say it: ``8 GB DDR4 SODIMM into slot 2``."""
    label = sheet.label_of(action.place)
    if action.verb is Verb.MEND:
        attempt = attempt_at(sheet, action.place)
        return attempt.words if attempt else f"mend {label}"
    if action.verb is Verb.SEAT:
        return f"seat what is in {label} again"
    if action.verb is Verb.TAKE_OUT and action.place in {part.key for part in sheet.parts}:
        return f"take out {label}"
    if action.verb is Verb.TAKE_OUT:
        return f"take {action.takes_out_label or 'the part'} out of {label}"
    part = " with ".join(
        kinds[kind].label if kind in kinds else kind for kind in (action.kind, *action.extras)
    )
    if action.place in {BOARD, *(p.key for p in sheet.parts), *(t.key for t in sheet.tests)}:
        return f"{part}{_in_place_of(sheet, action, kinds)}"
    return f"{part} into {label}"


def _in_place_of(sheet: ModelSheet, action: Action, kinds: dict[str, PartKind]) -> str:
    """What the sheet names there, where another kind goes in its place."""
    named = [part.kind for part in sheet.parts if part.key == action.place]
    named += [t.repair.kind for t in sheet.tests if t.key == action.place and t.repair]
    part = kinds.get(action.kind)
    if part is None or not named or part.key == named[0] or not part.serves_as(named[0]):
        return ""
    return f" in place of {kinds[named[0]].label if named[0] in kinds else named[0]}"


def attempt_at(sheet: ModelSheet, place: str) -> Attempt | None:
    """What may mend the test of this key without a part."""
    return next((test.attempt for test in sheet.tests if test.key == place), None)


def board_tests(sheet: ModelSheet) -> tuple[str, ...]:
    """Keys of the function tests whose repair is another board."""
    return tuple(
        test.key
        for test in sheet.tests
        if test.repair and sheet.board_of_kind(test.repair.kind) is not None
    )


def after_actions(
    sheet: ModelSheet,
    findings: Findings,
    actions: tuple[Action, ...],
    kinds: dict[str, PartKind],
    origins: Mapping[str, Origin] = {},
) -> Findings:
    """The findings of the unit once all ``actions`` are done and seen working.

    :param origins: where the parts that went in came from, by place; in a plan nobody knows yet
        more than that stock gives them.
    """
    modules, drives = dict(findings.modules), dict(findings.drives)
    packs, parts, tests = dict(findings.packs), dict(findings.parts), dict(findings.tests)
    slots = {slot.key for slot in sheet.memory.slots}
    bays = {drive.key for drive in sheet.drives}
    pack_keys = {pack.key for pack in sheet.packs}
    test_keys = {test.key for test in sheet.tests}
    part_keys = {part.key for part in sheet.parts_of(findings.trim)}
    configuration, remarks = dict(findings.configuration), dict(findings.remarks)
    came = dict(findings.origins)
    soldered_gb = findings.soldered_gb
    for action in (action for action in actions if action.verb is not Verb.SEAT):
        place = action.place
        came.pop(place, None)
        if action.kind:
            came[place] = origins.get(place, FROM_STOCK)
        facts = kinds[action.kind].facts if action.kind else None
        for aspect, choice in sheet.choices_of_kind(action.kind):
            configuration[aspect] = choice.key
        remarks.pop(place, None)
        if place == BOARD:
            board = sheet.board_of_kind(action.kind)
            if board:
                soldered_gb = board.soldered_gb or soldered_gb
                configuration = with_board(sheet, configuration, board)
            tests |= {key: TestState.PASSED for key in board_tests(sheet) if key in tests}
        elif place in slots:
            modules[place] = (
                ModuleFinding(
                    state=PlaceState.PRESENT,
                    gb=facts.gb,
                    generation=facts.generation,
                    mts=facts.mts,
                    maker=facts.maker,
                )
                if isinstance(facts, ModuleFacts)
                else ModuleFinding(state=PlaceState.EMPTY)
            )
        elif place in bays:
            drives[place] = (
                DriveFinding(
                    state=PlaceState.PRESENT,
                    interface=facts.interface,
                    spinning=facts.spinning,
                    gb=facts.gb,
                    length_mm=facts.length_mm,
                )
                if isinstance(facts, DriveFacts)
                else DriveFinding(state=PlaceState.EMPTY)
            )
        elif place in pack_keys:
            packs[place] = (
                PackFinding(
                    state=PlaceState.PRESENT,
                    full=facts.design_wh,
                    design=facts.design_wh,
                    cycles=0,
                )
                if isinstance(facts, PackFacts)
                else PackFinding(state=PlaceState.EMPTY)
            )
        elif place in test_keys:
            tests[place] = TestState.PASSED
        elif place in part_keys:
            parts[place] = PartState.PRESENT if action.verb is Verb.FIT else PartState.MISSING
            # What was missing may be why a test failed; then the part mends that, too.
            tests |= {
                test.key: TestState.PASSED
                for test in sheet.tests
                if test.repair
                and action.kind
                and kinds[action.kind].serves_as(test.repair.kind)
                and findings.test(test.key).bad
            }
    return findings.model_copy(
        update={
            "modules": modules,
            "drives": drives,
            "packs": packs,
            "parts": parts,
            "tests": tests,
            "soldered_gb": soldered_gb,
            "origins": came,
            "configuration": configuration,
            "remarks": remarks,
        }
    )
