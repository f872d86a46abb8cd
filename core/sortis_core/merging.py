"""A sheet of another workshop beside ours: one question a fact, and what the answers make of it.

Nothing is ever overwritten: what nobody answered is not merged (docs/rules.md, Sheets merged).
"""

from collections.abc import Iterator, Mapping
from typing import Any

from sortis_core.base import Record, SortisError
from sortis_core.sheets import FactSource, MemoryCeiling, ModelSheet
from sortis_core.sheetwork import Difference, differences, in_words, named
from sortis_core.vocabulary.term import Term

OWN = (("format",), ("key",), ("version",), ("written",))
"""What every workshop has for itself."""
AS_ONE = ("stated", "proven", "soldered", "repair", "attempt")
"""Facts that are of no use in part: a proof is its figure with its units."""
FIGURE, SOURCE = "limit_gb", "source"
"""Of a socket: what it takes, and where that is known from; one question where both differ."""
UNITS = {"gb": "GB", "mm": "mm", "mts": "MT/s", "wh": "Wh", "cents": "cents"}
BESIDE = "/"
"""Between the steps of a question's key; no key and no field holds one."""


class Whose(Term):
    """Whose fact the sheet is to hold."""

    OURS = "ours", "as here"
    THEIRS = "theirs", "as there"


class SheetQuestion(Record):
    """One fact in which their sheet differs from ours."""

    key: str
    where: str
    ours: str
    """In words; empty where ours has nothing there."""
    theirs: str
    ours_source: str = ""
    """Where the fact comes from, where the sheet says it."""
    theirs_source: str = ""


class NotAnswered(SortisError):
    """A question is open, or an answer is to none of them."""

    title = "The sheets were not merged"


def questions(ours: ModelSheet, theirs: ModelSheet) -> tuple[SheetQuestion, ...]:
    """Every fact that differs, in the order of the sheet.

    :param theirs: of the same model.
    """
    here, there = ours.model_dump(), theirs.model_dump()
    return tuple(
        SheetQuestion(
            key=_key(one),
            where=_where(one, ours, theirs, (here, there)),
            ours=_said(one.was),
            theirs=_said(one.now),
            ours_source=_source(here, one.path),
            theirs_source=_source(there, one.path),
        )
        for one in _differences(here, there)
    )


def merged(ours: ModelSheet, theirs: ModelSheet, answers: Mapping[str, Whose]) -> dict[str, Any]:
    """The document that the answers make; it may have faults where they do not go together.

    :param answers: key of a question -> whose fact; every question has one.
    :raises NotAnswered: where a question has no answer, or there is none any more.
    """
    here, there = ours.model_dump(), theirs.model_dump()
    asked = {_key(one): one for one in _differences(here, there)}
    if open_ones := [key for key in asked if key not in answers]:
        count = len(open_ones)
        raise NotAnswered(
            f"{count} of {len(asked)} questions {'is' if count == 1 else 'are'} still open. Say of "
            "each whose fact the sheet is to hold.",
            open=open_ones[:50],
        )
    if strange := sorted(set(answers) - set(asked)):
        raise NotAnswered(
            "The sheet was changed after the questions were asked. Look at them again.",
            strange=strange[:50],
        )
    for key, one in asked.items():
        if answers[key] is Whose.THEIRS:
            here = _with(here, there, one, one.path)
            source = (*one.path[:-1], SOURCE)
            if one.path[-1] == FIGURE and _at(there, source) is not None:
                # A figure comes with where it is known from.
                here = _with(here, there, one, source)
    document: dict[str, Any] = here
    return document


def _differences(here: dict[str, Any], there: dict[str, Any]) -> Iterator[Difference]:
    """What differs, facts that are of no use in part as one."""
    whole: set[tuple[str, ...]] = set()
    for one in differences(here, there):
        if one.path[:1] in OWN:
            continue
        if one.path[-1] == SOURCE and _of_figure(here, there, one.path):
            continue
        cut = next((n for n, step in enumerate(one.path, 1) if step in AS_ONE), len(one.path))
        path = one.path[:cut]
        if path == one.path:
            yield one
        elif path not in whole:
            whole.add(path)
            yield Difference(path, _at(here, path), _at(there, path))


def _of_figure(here: Any, there: Any, path: tuple[str, ...]) -> bool:
    """Whether a source that differs is that of a figure which does, too."""
    figure = (*path[:-1], FIGURE)
    mine, theirs = _at(here, figure), _at(there, figure)
    return mine is not None and theirs is not None and mine != theirs


def _key(one: Difference) -> str:
    return BESIDE.join(one.path) + (BESIDE if one.order else "")


def _at(document: Any, path: tuple[str, ...]) -> Any:
    for step in path:
        if isinstance(document, dict):
            document = document.get(step)
        else:
            document = (named(document or ()) or {}).get(step)
    return document


def _with(here: Any, there: Any, one: Difference, path: tuple[str, ...]) -> Any:
    """``here`` with what ``there`` has at a path; everything beside it as it was."""
    if not path and one.order:
        items = named(here) or {}
        # What was added or left out meanwhile stays where it is, at the end.
        first = [items.pop(name) for name in one.now if name in items]
        return (*first, *items.values())
    if not path:
        return there
    step, rest = path[0], path[1:]
    if isinstance(here, dict):
        return here | {step: _with(here.get(step), there[step], one, rest)}
    mine, theirs = named(here) or {}, named(there) or {}
    if step not in theirs:
        return tuple(item for name, item in mine.items() if name != step)
    changed = theirs[step] if step not in mine else _with(mine[step], theirs[step], one, rest)
    if step in mine:
        return tuple(changed if name == step else item for name, item in mine.items())
    # After what stands before it there, as far as that is here.
    before = list(theirs)[: list(theirs).index(step)]
    names = list(mine)
    at = max((names.index(name) + 1 for name in before if name in mine), default=0)
    stay = tuple(mine.values())
    return (*stay[:at], changed, *stay[at:])


def _source(document: Any, path: tuple[str, ...]) -> str:
    """The source that stands beside the fact, or above it."""
    found = ""
    for end in range(len(path) + 1):
        record = _at(document, path[:end])
        if isinstance(record, dict) and isinstance(record.get("source"), FactSource):
            found = record["source"].label
    return found


def _said(value: Any) -> str:
    if isinstance(value, dict) and "units_on_record" in value:
        ceiling = MemoryCeiling.model_validate(value)
        seen = f", seen by {ceiling.seen_by}" if ceiling.seen_by else ""
        units = "unit" if ceiling.units_on_record == 1 else "units"
        proof = f" on {ceiling.units_on_record} {units}" if ceiling.units_on_record else ""
        return f"{ceiling.gb} GB{proof}{seen}"
    return in_words(value)


def _where(
    one: Difference, ours: ModelSheet, theirs: ModelSheet, documents: tuple[Any, Any]
) -> str:
    """The path as people say it: places by their labels, fields by their words."""
    titles = {step.key: step.title for step in (*theirs.route.steps, *ours.route.steps)}
    said: list[str] = []
    for depth, step in enumerate(one.path):
        around = [_at(document, one.path[:depth]) for document in documents]
        if any(isinstance(one_of, tuple) for one_of in around):
            label = ours.label_of(step)
            label = theirs.label_of(step) if label == step else label
            said.append(titles.get(step, label) if label == step else label)
        else:
            said.append(_field(step))
    return ", ".join(said) + (": their order" if one.order else "")


def _field(name: str) -> str:
    *words, last = name.split("_")
    if words and last in UNITS:
        return f"{' '.join(words)} ({UNITS[last]})"
    return name.replace("_", " ")
