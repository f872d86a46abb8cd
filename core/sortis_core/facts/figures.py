"""Figures: exact for limits, rounded for the eye.

Rounding never carries one across a limit that it is read beside.
"""

from fractions import Fraction
from functools import lru_cache
from math import floor

MOST_DIGITS = 3
"""Further decimals say nothing that a pack's own gauge could know."""


@lru_cache(maxsize=4096)
def exact(figure: float) -> Fraction:
    """The decimal as somebody wrote it: what is met exactly is met, whatever binary makes of it.

    81.809 of 89.9 is 91 %; as floats it comes out a hair below.
    """
    return Fraction(str(figure))


def short_of(figure: float, limit: float, digits: int = 0) -> str:
    """``figure`` with as few decimals as tell it from a ``limit`` it lies below.

    ``short_of(79.96, 80)`` is ``79.96``, ``short_of(71.6, 80)`` is ``72``. A figure that no
    sensible number of decimals tells apart is cut off instead of rounded up.
    """
    for places in range(digits, MOST_DIGITS + 1):
        shown = f"{figure:.{places}f}"
        if figure >= limit or float(shown) < limit:
            return shown
    return f"{at_least(figure, MOST_DIGITS):.{MOST_DIGITS}f}"


def at_least(figure: float, digits: int = 0) -> float:
    """``figure`` cut off after so many decimals: what a label may claim without saying too much."""
    scale = 10.0**digits
    return floor(figure * scale + 1e-9) / scale
