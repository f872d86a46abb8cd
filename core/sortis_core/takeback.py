"""Big keys are taken back instead of asked about: until when (docs/rules.md, Taking back).

Both stay on record: what was done, and that it was taken back. What somebody built on stays.
"""

from collections.abc import Sequence

from sortis_core.base import SortisError, listed
from sortis_core.stages import Stage
from sortis_core.vocabulary.states import PurchaseState
from sortis_core.vocabulary.term import Term

COUNT_MINUTES = 15
"""Units counted in by mistake go back so long, where nobody looked at them."""
MOST_NAMED = 3


class StayedDone(SortisError):
    """It cannot be taken back any more."""

    title = "It stays done"


class StoreAct(Term):
    """What was done in the store with one key."""

    RECEIVED = "received", "booked in"
    ARRIVED = "arrived", "booked in from a supplier"
    SETTLED = "settled", "tried or sanitised"
    COUNTED = "counted", "set right after a count"
    ORDERED = "ordered", "noted as ordered by hand"


def require_unbegun(number: int, begun: Sequence[str], sent: int, changed: Sequence[str]) -> None:
    """A plan's approval goes back until something of it began.

    :param begun: tags whose work somebody took to the bench.
    :param sent: purchases of it that were ordered.
    :param changed: tags whose earlier work orders the plan withdrew.
    :raises StayedDone: with what began.
    """
    if begun:
        named = listed(begun[:MOST_NAMED])
        more = f" and {len(begun) - MOST_NAMED} more" if len(begun) > MOST_NAMED else ""
        raise StayedDone(
            f"Plan {number} stays approved: work on {named}{more} has begun. Plan again; what is "
            "begun is not planned over."
        )
    if sent:
        raise StayedDone(
            f"Plan {number} stays approved: parts of it are ordered. Plan again; the new plan "
            "counts them as on their way."
        )
    if changed:
        raise StayedDone(
            f"Plan {number} stays approved: it withdrew the earlier work orders of "
            f"{listed(changed[:MOST_NAMED])}. Plan again to change it."
        )


def require_signing(tag: str, stage: Stage) -> None:
    """A signature goes back until the unit is released.

    :raises StayedDone: where it is, or never came to the last check.
    """
    if stage is not Stage.RELEASE:
        raise StayedDone(
            f"{tag} is in {stage.heading}; signatures go back only at the last check. Take the "
            "release back first."
            if stage is Stage.RELEASED
            else f"{tag} is in {stage.heading}, not at the last check. Nothing was taken back."
        )


def require_unsold(tag: str, stage: Stage, *, promised: bool = False) -> None:
    """A release goes back until the unit is sold.

    :param promised: a buyer is to get it.
    :raises StayedDone: where it is not released (any more), or somebody is to get it.
    """
    if promised:
        raise StayedDone(f"{tag} is promised to a buyer. Cancel the sale first.")
    if stage is not Stage.RELEASED:
        raise StayedDone(f"{tag} is in {stage.heading}, not released. Nothing was taken back.")


def require_unsent(state: PurchaseState) -> None:
    """An order noted by hand goes back until its parts are here; one that was sent does not.

    :raises StayedDone: where it went on.
    """
    if state is not PurchaseState.ORDERED:
        raise StayedDone(f"The purchase is {state}. Nothing was taken back.")


def require_untouched(same: bool, label: str) -> None:
    """What was done in the store goes back until somebody used or was promised any of it.

    :param same: whether everything lies as it was left.
    :raises StayedDone: where it does not.
    """
    if not same:
        raise StayedDone(
            f"{label}: some of it was used, promised or moved since. Set the lot right with a "
            "count instead."
        )
