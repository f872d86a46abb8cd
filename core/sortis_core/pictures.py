"""Pictures of the closed unit for its buyer, with marks of damage (docs/rules.md, Pictures)."""

from collections.abc import Collection, Sequence

from pydantic import Field, field_validator

from sortis_core.base import Record, SortisError
from sortis_core.reasons import says_something

MOST_SHOWN = 8
MOST_MARKS = 12


class PictureRefused(SortisError):
    """The pictures for the buyer cannot be so."""

    title = "The pictures were not changed"


class PictureMark(Record):
    """Where on a picture damage is, as a share of its sides, and what it is."""

    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    words: str = Field(max_length=80)

    @field_validator("words")
    @classmethod
    def _says_what(cls, words: str) -> str:
        if not says_something(words):
            raise ValueError("Say in a few words what is there.")
        return words.strip()


class ShownPicture(Record):
    """One picture that the buyer sees; the first is the one in the listing."""

    number: int = Field(ge=1)
    words: str = Field(default="", max_length=200)
    """Which side it shows."""
    marks: tuple[PictureMark, ...] = Field(default=(), max_length=MOST_MARKS)


def require_showable(
    shown: Sequence[ShownPicture], there: Collection[int], now: Sequence[int], known: Sequence[int]
) -> None:
    """Refuse an order of pictures that is none.

    :param there: numbers of the unit's pictures. :param now: those shown, in their order.
    :param known: those that whoever changes it saw shown.
    :raises PictureRefused: with what is so.
    """
    numbers = [one.number for one in shown]
    if list(now) != list(known):
        raise PictureRefused(
            "Somebody else changed the pictures meanwhile. Look at them again, then change yours."
        )
    if len(numbers) > MOST_SHOWN:
        raise PictureRefused(f"A buyer sees {MOST_SHOWN} pictures at most. Take one off first.")
    if len(set(numbers)) < len(numbers):
        raise PictureRefused("A picture stands twice. Each is shown once.")
    if strange := [number for number in numbers if number not in there]:
        raise PictureRefused(f"Picture {strange[0]} is not there any more. Look at them again.")


def told_marks(shown: Sequence[ShownPicture]) -> tuple[str, ...]:
    """The marks of all pictures, numbered through in the order in which the buyer sees them."""
    words = [mark.words for one in shown for mark in one.marks]
    return tuple(f"{number} {said}" for number, said in enumerate(words, start=1))
