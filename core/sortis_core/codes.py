"""Codes that Sortis prints: tags of units, lots, badges, words (docs/rules.md, Codes).

All but tags are known by their form alone, so that none is ever taken for a machine's label.
"""

import re

from sortis_core.intake.benchline import SCANNED
from sortis_core.vocabulary.states import CodeKind

_NUMBERED = {CodeKind.LOT: "LOT", CodeKind.PERSON: "BADGE"}
TAG_DIGITS = 4
"""The workshop's own tags have so many at least."""
_LEAST, _MOST = 3, 7
_TAG = re.compile(rf"[A-Z]{{1,4}}-[0-9]{{{_LEAST},{_MOST}}}")
_TYPED = re.compile(rf"([A-Z]{{0,4}})-?(0*([0-9]{{1,{_MOST}}}))")
_FORM = re.compile(r"\s*([A-Z]+)-0*([0-9]{1,9})\s*", re.IGNORECASE)


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


def tag_numbered(prefix: str, number: int) -> str:
    """A tag as the workshop prints it: ``TW-0412``."""
    return f"{prefix}-{number:0{TAG_DIGITS}d}"


def is_tag(code: str) -> bool:
    """Whether a code has the form of a tag and is none of the other codes."""
    return bool(_TAG.fullmatch(code)) and own_kind(code) is None


def bare_tag(tag: str) -> str:
    """A tag as it is compared: zeros before its number make no difference, as in ``tw412``."""
    found = _typed(tag)
    return f"{found[1]}-{int(found[3])}" if found else tag


def tag_spellings(typed: str, prefix: str) -> tuple[str, ...]:
    """Every tag that somebody can mean who types this, the likeliest first.

    ``tw412`` means ``TW-0412``, and ``TW-412`` where a list brought it so; ``TW-412`` the other
    way round.

    :param prefix: of the workshop's own tags, where only a number is typed.
    """
    found = _typed(typed)
    if found is None:
        return ("".join(typed.split()).upper(),)
    letters, number = found[1] or prefix, int(found[3])
    widths = (TAG_DIGITS, *range(_LEAST, _MOST + 1))
    same = [f"{letters}-{number:0{width}d}" for width in widths]
    written = f"{letters}-{found[2]}"
    first = (written, *same) if "-" in typed else (same[0], written, *same)
    return tuple(dict.fromkeys(first))


def _typed(code: str) -> re.Match[str] | None:
    return _TYPED.fullmatch("".join(code.split()).upper())
