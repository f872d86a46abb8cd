"""What every type and every refusal of the core shares."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

MOST_CENTS = 1_000_000_000
MOST_MINUTES = 10_000_000
"""Of one batch: more is a slip of the hand, and no solver reckons with it."""
Cents = Annotated[int, Field(ge=0, le=MOST_CENTS)]
SignedCents = Annotated[int, Field(ge=-MOST_CENTS, le=MOST_CENTS)]
"""A recycler may pay for what is brought; a batch may have spent more than it had."""
Minutes = Annotated[float, Field(ge=0, le=MOST_MINUTES, allow_inf_nan=False)]


LONGEST_TEXT = 1_000_000


class Record(BaseModel):
    """A frozen value; unknown fields are refused so that a misspelt fact is never lost."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        use_attribute_docstrings=True,
        # Far more than any text has. A text with a limit is also looked at for being one: JSON may
        # spell halves of characters, which no database keeps and no paper shows.
        str_max_length=LONGEST_TEXT,
    )

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with other values; what was worked out from the old ones is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        fields = type(self).model_fields
        if update and len(copied.__dict__) > len(fields):
            for name in [name for name in copied.__dict__ if name not in fields]:
                del copied.__dict__[name]
        return copied


class SortisError(Exception):
    """A refusal with a name, a plain sentence (what is so, what to do) and the facts behind it."""

    title: ClassVar[str] = "This cannot be done"

    def __init__(self, sentence: str, **facts: Any) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.facts = facts


def money(cents: int, currency: str = "EUR") -> str:
    """Write cents as people read them: ``money(-1230)`` is ``-€12.30``."""
    sign = "-" if cents < 0 else ""
    mark = {"EUR": "€"}.get(currency, f"{currency} ")
    return f"{sign}{mark}{abs(cents) // 100:,}.{abs(cents) % 100:02d}"


def an(word: str) -> str:
    """A noun with its article: ``an owner``."""
    return f"{'an' if word[:1].lower() in 'aeiou' else 'a'} {word}"


def listed(words: Sequence[str], last: str = "and") -> str:
    """Join words as a sentence does: ``a, b and c``."""
    if len(words) < 2:
        return "".join(words)
    return ", ".join(words[:-1]) + f" {last} {words[-1]}"
