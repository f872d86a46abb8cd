"""What tools print, read softly: what stands where a figure or a word should is one, or nothing.

Nothing here raises. A figure that no real machine has, a figure that is no figure, a list where a
word should be: all become None or empty, and the reader goes on.
"""

import math
from collections.abc import Iterator
from typing import Any

LONGEST_WORD = 200
MOST_ROWS = 2_000


def table(value: Any) -> dict[str, Any]:
    """A JSON object; empty where it is none."""
    return value if isinstance(value, dict) else {}


def tables(value: Any) -> Iterator[dict[str, Any]]:
    """The objects of a list, as many as any machine has; nothing where it is no list."""
    if isinstance(value, list):
        for one in value[:MOST_ROWS]:
            if isinstance(one, dict):
                yield one


def figure(value: Any, least: float, most: float) -> float | None:
    """A figure within what can be, truth values and texts left out; None where it is none."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return float(value) if least <= value <= most else None


def whole(value: Any, least: int, most: int) -> int | None:
    """A whole figure within what can be."""
    found = figure(value, least, most)
    return int(found) if found is not None and found == int(found) else None


def word(value: Any) -> str:
    """A short text; empty where it is no text or figure."""
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        return ""
    text = value if isinstance(value, str) else f"{value:.15g}" if isinstance(value, float) else ""
    if isinstance(value, int):
        text = str(value) if abs(value) < 10**30 else ""
    return text.encode("utf-8", "ignore").decode()[:LONGEST_WORD]


def true(value: Any) -> bool:
    """Whether a tool says yes, in one of the ways that tools do."""
    return value is True or (not isinstance(value, bool) and word(value) in ("1", "true"))
