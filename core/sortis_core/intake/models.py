"""Which model sheet a maker and model name of somebody's list means (docs/rules.md, Model names).

Lists write one model in many ways: with the maker in the model's column, in capitals, with dashes,
sizes and processors behind it. Names are compared word by word; figures must agree, since
``Folio 14`` and ``Folio 15`` differ in nothing else.
"""

import re
from collections.abc import Iterable
from typing import Literal

from rapidfuzz import fuzz

from sortis_core.base import Record
from sortis_core.sheets import ModelSheet

SURE = 90
"""From this score, and this far ahead of the next, a name is taken for the sheet's."""
AHEAD = 8
NEAR = 55
"""Below this score a sheet is not even offered."""
MOST_OFFERED = 4
SAME_WORD = 80
"""Two words this alike are one word with a slip."""
NO_MAKER = 70
"""What a name without a maker counts for it."""


class Likeness(Record):
    """One sheet that a name may mean, and how alike they are (0 to 100)."""

    sheet: str
    name: str
    score: int


class ModelMatch(Record):
    """What a name was taken for."""

    state: Literal["known", "likely", "unclear"]
    """known: the same name; likely: taken for it, shown; unclear: a person must choose."""
    sheet: str
    alternatives: tuple[Likeness, ...]


def plain(name: str) -> str:
    """Lower case, words and figures apart: ``FOLIO-15`` and ``Folio 15`` are the same."""
    parted = re.sub(r"(?<=[a-z])(?=\d)|(?<=\d)(?=[a-z])", " ", name.lower())
    return " ".join(re.findall(r"[^\W_]+", parted))


def _figures(name: str) -> set[str]:
    return set(re.findall(r"\d+", name))


def _words(name: str) -> list[str]:
    return [word for word in plain(name).split() if len(word) > 1 and not word.isdigit()]


def _nearest(word: str, words: list[str]) -> float:
    return max((fuzz.ratio(word, other) for other in words), default=0)


def likeness(name: str, sheet: ModelSheet, makers: frozenset[str] = frozenset()) -> int:
    """How alike a name is to a sheet's, 0 to 100.

    Three quarters by the words of the model, one by the maker. A name without any known maker may
    be of this one; a name with another maker is not. A figure of the model that the name lacks
    costs a third.

    :param makers: plain names of all known makers.
    """
    words = _words(name)
    model = _words(sheet.model) or [plain(sheet.model)]
    by_model = sum(_nearest(word, words) for word in model) / len(model)
    maker = plain(sheet.maker)
    by_maker = _nearest(maker, words)
    if by_maker < SAME_WORD:
        others = max((_nearest(other, words) for other in makers - {maker}), default=0)
        by_maker = 0 if others >= SAME_WORD else NO_MAKER
    wrong = _figures(plain(sheet.model)) - _figures(plain(name))
    return round(max(0.0, 0.75 * by_model + 0.25 * by_maker - 30 * len(wrong)))


class ModelNames:
    """Matches names against sheets; every different name is looked at once."""

    def __init__(self, sheets: Iterable[ModelSheet], chosen: dict[str, str] | None = None) -> None:
        """:param chosen: plain name -> sheet key that a person chose before."""
        self.sheets = tuple(sheets)
        self.chosen = chosen or {}
        self._exact = {plain(sheet.name): sheet.key for sheet in self.sheets}
        self._makers = frozenset(plain(sheet.maker) for sheet in self.sheets)
        self._found: dict[str, ModelMatch] = {}

    def match(self, maker: str, model: str) -> ModelMatch:
        """What maker and model of one row mean."""
        name = f"{maker} {model}".strip()
        key = plain(name)
        if key not in self._found:
            self._found[key] = self._match(name, key)
        return self._found[key]

    def _match(self, name: str, key: str) -> ModelMatch:
        near = sorted(
            (
                Likeness(
                    sheet=sheet.key, name=sheet.name, score=likeness(name, sheet, self._makers)
                )
                for sheet in self.sheets
            ),
            key=lambda one: (-one.score, one.sheet),
        )
        offered = tuple(one for one in near if one.score >= NEAR)[:MOST_OFFERED]
        known = self.chosen.get(key) or self._exact.get(key, "")
        if known in {sheet.key for sheet in self.sheets}:
            return ModelMatch(state="known", sheet=known, alternatives=offered)
        ahead = near[0].score - (near[1].score if len(near) > 1 else 0) if near else 0
        if near and near[0].score >= SURE and ahead >= AHEAD:
            return ModelMatch(state="likely", sheet=near[0].sheet, alternatives=offered)
        return ModelMatch(state="unclear", sheet="", alternatives=offered)
