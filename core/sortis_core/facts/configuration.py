"""What a unit was built with, as far as anybody knows (docs/rules.md, Configuration)."""

from sortis_core.configuration import VALUES, Aspect
from sortis_core.facts.question import Question
from sortis_core.findings import Findings, TestState
from sortis_core.sheets import BoardVariant, FunctionTest, ModelSheet


def built_with(sheet: ModelSheet, findings: Findings, aspect: Aspect) -> str:
    """Code of what was noted, or of the one thing that all units of the trim have; else empty.

    The memory on the board tells which board it is where no other board of the sheet has so much.
    What most units of a model have is no knowledge of this one.
    """
    noted = findings.configuration.get(aspect, "")
    if noted:
        return noted
    choices = sheet.choices_of(aspect, findings.trim)
    if len(choices) == 1:
        return choices[0].key
    by_board = _by_board(sheet, findings, aspect)
    return by_board if any(choice.key == by_board for choice in choices) else ""


def _by_board(sheet: ModelSheet, findings: Findings, aspect: Aspect) -> str:
    """What the boards with as much soldered memory as was seen all bring; empty where they differ.

    :returns: a code of the board variant, or of the processor on it.
    """
    if aspect not in (Aspect.BOARD, Aspect.PROCESSOR) or not findings.soldered_gb:
        return ""
    boards = [board for board in sheet.boards if board.soldered_gb == findings.soldered_gb]
    told = {board.key if aspect is Aspect.BOARD else board.processor for board in boards}
    return told.pop() if len(told) == 1 else ""


def configuration_questions(sheet: ModelSheet, findings: Findings) -> list[Question]:
    """Ask again where what was noted does not sit on a board with the memory that was seen."""
    asked: list[Question] = []
    for aspect in (Aspect.BOARD, Aspect.PROCESSOR):
        told = _by_board(sheet, findings, aspect)
        noted = findings.configuration.get(aspect, "")
        if noted and told and noted != told:
            asked.append(
                Question(
                    place=aspect.value,
                    sentence=f"{findings.soldered_gb} GB are soldered to the board with "
                    f"{value_label(sheet, aspect, told)}, noted is "
                    f"{value_label(sheet, aspect, noted)}. Look at one of the two again.",
                )
            )
    return asked


def possible(sheet: ModelSheet, aspect: Aspect, trim: str) -> dict[str, str]:
    """Code -> what people call it, of all that may be found in units of the trim."""
    choices = sheet.choices_of(aspect, trim)
    if choices or aspect not in VALUES:
        return {choice.key: choice.label for choice in choices}
    return {value.value: value.label for value in VALUES[aspect]}


def value_label(sheet: ModelSheet, aspect: Aspect, code: str) -> str:
    """What people call a value of an aspect; also of one that another trim has."""
    return possible(sheet, aspect, "").get(code, code)


def usual_words(sheet: ModelSheet, findings: Findings, aspect: Aspect) -> str:
    """What most units of the model have, where nobody noted what this one has; else empty."""
    if built_with(sheet, findings, aspect):
        return ""
    built = next((one for one in sheet.built_with if one.aspect is aspect), None)
    usual = built.usual if built else ""
    return possible(sheet, aspect, findings.trim).get(usual, "")


def configuration_words(sheet: ModelSheet, findings: Findings) -> tuple[str, ...]:
    """What the unit is known to be built with, in words; what is only usual is no claim."""
    return tuple(
        value_label(sheet, aspect, code)
        for aspect in Aspect
        if aspect is not Aspect.BOARD and (code := built_with(sheet, findings, aspect))
    )


def part_in(sheet: ModelSheet, findings: Findings, place: str, kind: str) -> str:
    """Part kind of what sits in a place that units are built with different parts in.

    :param kind: what the sheet names for the place; what a choice without a part of its own has.
    :returns: empty where it may be one of several and nobody noted which.
    """
    at: dict[Aspect, dict[str, str]] = {}
    for aspect, choice in sheet.choices_at(place):
        at.setdefault(aspect, {})[choice.key] = choice.kind
    found = kind
    for aspect, kinds in at.items():
        noted = built_with(sheet, findings, aspect)
        codes = (noted,) if noted else possible(sheet, aspect, findings.trim)
        sitting = {kinds.get(code, kind) for code in codes}
        if len(sitting) > 1:
            return ""
        found = found if found != kind else sitting.pop()
    return found


def _unnoted(sheet: ModelSheet, findings: Findings) -> list[FunctionTest]:
    """Tests that passed by a part of which nobody noted which one it is."""
    return [
        test
        for test in sheet.tests_of(findings.trim)
        if test.repair
        and findings.test(test.key) is TestState.PASSED
        and not part_in(sheet, findings, test.key, test.repair.kind)
    ]


def aspects_that_tell_parts(sheet: ModelSheet, findings: Findings) -> tuple[Aspect, ...]:
    """Aspects that nobody noted, and that tell which working part a donor gives."""
    found = [
        aspect
        for test in _unnoted(sheet, findings)
        for aspect, _ in sheet.choices_at(test.key)
        if not built_with(sheet, findings, aspect)
    ]
    return tuple(dict.fromkeys(found))


def unnoted_parts(sheet: ModelSheet, findings: Findings) -> frozenset[str]:
    """Kinds of which one makes a test pass in this unit, and nobody noted which of them it is."""
    tests = _unnoted(sheet, findings)
    chosen = [choice.kind for test in tests for _, choice in sheet.choices_at(test.key)]
    return frozenset((*chosen, *(test.repair.kind for test in tests if test.repair)))


def with_board(
    sheet: ModelSheet, configuration: dict[Aspect, str], board: BoardVariant
) -> dict[Aspect, str]:
    """The configuration once a board is in: its variant, and the processor that sits on it."""
    changed = dict(configuration)
    if any(choice.key == board.key for choice in sheet.choices_of(Aspect.BOARD)):
        changed[Aspect.BOARD] = board.key
    if board.processor:
        changed[Aspect.PROCESSOR] = board.processor
    return changed
