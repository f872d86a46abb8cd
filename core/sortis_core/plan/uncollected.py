"""Work without garbage collection: what a plan makes by the hundred thousand is never a circle."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

MUCH = 2_000_000
"""Objects: more of them take about a second to walk."""

_lock = Lock()
_working = 0
_was_on = True


@contextmanager
def uncollected() -> Iterator[None]:
    """Switch the collector off while any thread is inside; references alone free what is done."""
    global _working, _was_on
    with _lock:
        if not _working:
            _was_on = gc.isenabled()
            gc.disable()
        _working += 1
    try:
        yield
    finally:
        with _lock:
            _working -= 1
            if not _working and _was_on:
                _take_as_old()
                gc.enable()


def _take_as_old() -> None:
    """Put very much that was made among what has long been there, unseen.

    As something new it would all be walked at the next chance, for seconds, in which no thread of
    this process goes on. Little is walked as ever, so that circles in it are gone soon. What
    somebody else keeps from the collector stays so.
    """
    if gc.get_count()[0] > MUCH and not gc.get_freeze_count():
        gc.freeze()
        gc.unfreeze()
