"""A counting round: the store counted place by place, against the books (docs/rules.md, Counting).

Whoever counts does not see the books. What nobody counted stays as it is: only what was counted,
and be it none, is set right; and all of it together or nothing.
"""

from collections.abc import Sequence

from pydantic import Field

from sortis_core.base import Record, SortisError, listed


class RoundRefused(SortisError):
    """The round cannot be kept as it was counted."""

    title = "The count was not kept"


class LotInRound(Record):
    """One lot as it was counted, and as the books have it."""

    lot: int
    code: str
    label: str
    place: str
    counted: int = Field(ge=0, le=100_000)
    on_hand: int
    promised: int
    moved_since: bool
    """Parts of it moved after it was laid open to be counted."""


class Difference(Record):
    """A lot whose books were wrong."""

    lot: int
    code: str
    label: str
    place: str
    books: int
    counted: int

    @property
    def more(self) -> int:
        """So many are to be added to the books; below nothing, taken off."""
        return self.counted - self.books


MOST_NAMED = 4


def differences(lots: Sequence[LotInRound]) -> tuple[Difference, ...]:
    """The lots that the round sets right, as they were given.

    :raises RoundRefused: where nothing was counted, a lot moved meanwhile, or more is promised of
        it than was found.
    """
    if not lots:
        raise RoundRefused("No lot was counted. Scan the lots, or type how many there are.")
    moved = [lot.code for lot in lots if lot.moved_since]
    if moved:
        raise RoundRefused(
            f"Parts of {_named(moved)} moved while you counted. Count "
            f"{'it' if len(moved) == 1 else 'them'} again; the others are kept here."
        )
    short = [lot for lot in lots if lot.counted < lot.promised]
    if short:
        said = [f"{lot.code} ({lot.counted} found, {lot.promised} promised)" for lot in short]
        raise RoundRefused(
            f"More is promised to work orders than was found: {_named(said)}. Look again, or stop "
            "one of these orders first, so that it is planned again."
        )
    return tuple(
        Difference(
            lot=lot.lot,
            code=lot.code,
            label=lot.label,
            place=lot.place,
            books=lot.on_hand,
            counted=lot.counted,
        )
        for lot in lots
        if lot.counted != lot.on_hand
    )


def _named(codes: Sequence[str]) -> str:
    if len(codes) <= MOST_NAMED:
        return listed(codes)
    return f"{', '.join(codes[:MOST_NAMED])} and {len(codes) - MOST_NAMED} more"
