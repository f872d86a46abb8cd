"""The shelf on which the server's processes lay groups for each other: files of one run of it."""

import logging

from django.core.cache import caches

from sortis_core.plan.grouping import Group

NAME = "shelf"
"""Of the cache in the settings. Its folder is emptied when the server starts, and nobody else may
write there: what lies in it is read as the objects it was."""
logger = logging.getLogger(__name__)


class FilesOfThisRun:
    """See :class:`sortis_core.plan.shelf.Shelf`."""

    def take(self, digest: str) -> tuple[Group, ...] | None:
        try:
            return caches[NAME].get(digest)
        except Exception:  # Half a file says so in many ways; a plan wants none of them.
            logger.warning("Groups on the shelf could not be read; they are found again.")
            return None

    def lay(self, digest: str, groups: tuple[Group, ...]) -> None:
        try:
            caches[NAME].set(digest, groups)
        except OSError as error:
            logger.warning("Groups could not be laid on the shelf: %s", error)
