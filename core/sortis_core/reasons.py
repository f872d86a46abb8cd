"""Reasons and records that people write: how much says something (docs/rules.md, Reasons)."""

LEAST_LETTERS = 4
"""Fewer letters and figures name no method, no cause and no place."""


def says_something(words: str) -> bool:
    """Whether words say something: dots and blanks do not count."""
    return sum(letter.isalnum() for letter in words) >= LEAST_LETTERS
