"""Codes that Sortis prints beside those of units: lots, badges, words (docs/rules.md, Codes).

They are known by their form alone, so that none of them is ever taken for a machine's label.
"""

import re

from sortis_core.intake.benchline import SCANNED
from sortis_core.vocabulary.states import CodeKind

_NUMBERED = {CodeKind.LOT: "LOT", CodeKind.PERSON: "BADGE"}
_FORM = re.compile(r"\s*([A-Z]+)-0*(\d{1,9})\s*", re.IGNORECASE)


def numbered_code(kind: CodeKind, number: int) -> str:
    """What stands on the label of a lot or on a badge.

    :raises KeyError: for a kind whose codes are no numbers.
    """
    return f"{_NUMBERED[kind]}-{number}"


def number_in(kind: CodeKind, code: str) -> int | None:
    """The number in a code of a kind; None where it is none of that kind."""
    found = _FORM.fullmatch(code)
    return int(found[2]) if found and found[1].upper() == _NUMBERED[kind] else None


def own_kind(code: str) -> CodeKind | None:
    """What a code must be by its form; None for whatever else somebody scans."""
    if code.startswith(SCANNED) and len(code) > len(SCANNED):
        return CodeKind.WORD
    kinds = (kind for kind in _NUMBERED if number_in(kind, code) is not None)
    return next(kinds, None)
