"""Logs keep to their room: what grew too long is laid aside, and the oldest goes.

The programs append to files that they opened once, so that a file is copied and emptied under
them; what is written in that moment may be lost from the log, and from nowhere else.
"""

import contextlib
import os
import shutil
import time
from collections.abc import Iterable
from pathlib import Path

LONGEST_BYTES = 8_000_000
EARLIER = 4
"""So many that were laid aside are kept of each."""
EVERY_SECONDS = 60.0


class Logs:
    """The logs of what runs, looked at now and then.

    :param folders: hold nothing else that ends on ``.log``.
    """

    def __init__(self, folders: Iterable[Path]) -> None:
        self._folders = tuple(folders)
        self._next = 0.0

    def tend(self) -> None:
        """Lay aside what grew too long, once in a while."""
        now = time.monotonic()
        if now < self._next:
            return
        self._next = now + EVERY_SECONDS
        for folder in self._folders:
            for file in folder.glob("*.log"):
                # A full disk, or a file that just went: another time.
                with contextlib.suppress(OSError):
                    keep_short(file)


def keep_short(file: Path) -> bool:
    """Lay a log aside where it is too long; whether it was."""
    if file.stat().st_size <= LONGEST_BYTES:
        return False
    for number in range(EARLIER, 1, -1):
        before = _earlier(file, number - 1)
        if before.exists():
            before.replace(_earlier(file, number))
    shutil.copyfile(file, _earlier(file, 1))
    os.truncate(file, 0)
    return True


def _earlier(file: Path, number: int) -> Path:
    return file.with_name(f"{file.name}.{number}")
