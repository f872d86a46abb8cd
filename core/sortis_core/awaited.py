"""Parts of a work order that are not here yet (docs/rules.md, Parts awaited)."""

from typing import assert_never

from sortis_core.base import SortisError, listed
from sortis_core.vocabulary.states import FetchState


class PartsAwaited(SortisError):
    """The order waits for parts and was not begun on purpose."""

    title = "The order was not begun"


def is_here(state: FetchState) -> bool:
    """Whether a part can be laid ready now, or is in the unit already."""
    match state:
        case FetchState.READY | FetchState.CONFIRMED | FetchState.FITTED:
            return True
        case (
            FetchState.TO_BE_TRIED
            | FetchState.IN_UNIT
            | FetchState.TO_BE_ORDERED
            | FetchState.ON_ORDER
            | FetchState.LOST
        ):
            return False
        case _:
            assert_never(state)


def require_here(tag: str, awaited: list[str], *, on_purpose: bool) -> None:
    """An order of which parts are not here is begun only by somebody who wants just that.

    :param awaited: what is not here, each with where it is.
    :raises PartsAwaited: where something is not, and nobody said so.
    """
    if awaited and not on_purpose:
        raise PartsAwaited(
            f"{tag} waits for {listed(awaited)}. Begin it all the same only if it is to lie open "
            "until then."
        )
