"""Where parts of a plan come from, as one key that the core keeps and one row that it stands for.

The only place that writes such a key or reads one.
"""

from typing import NamedTuple

from sortis_core.documents import DocumentRefused
from sortis_core.vocabulary.term import Term


class SourceKind(Term):
    """Which table a source stands in."""

    LOT = "lot"
    PURCHASE = "purchase", "purchase on its way"
    OFFER = "offer"
    CUSTOMER_ORDER = "order", "order of a customer"


class Source(NamedTuple):
    """One row that a plan names."""

    kind: SourceKind
    id: int

    @property
    def key(self) -> str:
        """As cases and plans write it: ``lot-12``."""
        return f"{self.kind.value}-{self.id}"


def source_of(key: str) -> Source:
    """The row behind a key of a case or a plan.

    :raises DocumentRefused: where the key was not made here.
    """
    kind, _, number = key.partition("-")
    if kind not in set(SourceKind) or not number.isdecimal():
        raise DocumentRefused(f"“{key}” names no lot, purchase, offer or order of this workshop.")
    return Source(SourceKind(kind), int(number))
