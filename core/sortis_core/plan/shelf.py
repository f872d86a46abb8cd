"""Where the processes of one program lay down the groups that they found, for each other.

To find the groups of a batch takes longer than to solve it. Who turns a dial may be answered by a
process that has not met the batch yet; it finds them here. What lies here is only ever a saving:
without it, or where it cannot be read, they are found again.
"""

from typing import Protocol

from sortis_core.plan.grouping import Group


class Shelf(Protocol):
    """Holds groups by the digest of what they depend on, of one and the same program."""

    def take(self, digest: str) -> tuple[Group, ...] | None:
        """Those that were laid down, or None."""

    def lay(self, digest: str, groups: tuple[Group, ...]) -> None:
        """Lay them down; may be left undone."""


class _Bare:
    """Nobody else is there."""

    def take(self, digest: str) -> None:
        """Nothing."""

    def lay(self, digest: str, groups: tuple[Group, ...]) -> None:
        """Is left undone."""


_shelf: Shelf = _Bare()


def shared_by(shelf: Shelf) -> None:
    """From now on groups are looked for on this shelf first, and laid down there."""
    global _shelf
    _shelf = shelf


def shelf() -> Shelf:
    """The one that this process looks on."""
    return _shelf
