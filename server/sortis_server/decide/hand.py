"""The hand on a dial goes first, of whatever process asks.

Somebody waits with the hand on the dial for a plan that is near enough; nobody's hand waits for its
proof, the curve, or what one more is worth. These stand aside meanwhile, in every process of the
server: what they share is laid down before the processes part.
"""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from multiprocessing.sharedctypes import RawValue

from sortis_core.plan.aside import standing_aside

AT_MOST_SECONDS = 2.0
"""A process that is lost with the hand on it keeps nobody waiting longer."""
ASIDE_SECONDS = 15.0
"""So long one request stands aside in all; then it goes on, however many hands there are."""
LOOK_SECONDS = 0.004

_until = RawValue("d", 0.0)
"""On the clock that all processes of a machine share; past when no hand waits."""


@contextmanager
def hand_waits() -> Iterator[None]:
    """What is solved inside goes first."""
    _until.value = time.monotonic() + AT_MOST_SECONDS
    try:
        yield
    finally:
        # With another hand on a dial this is too early, and costs that one some time.
        _until.value = 0.0


@contextmanager
def after_the_hand() -> Iterator[None]:
    """What is solved inside stands aside while a hand waits."""
    left = ASIDE_SECONDS

    def wait() -> None:
        nonlocal left
        while left > 0 and time.monotonic() < _until.value:
            time.sleep(LOOK_SECONDS)
            left -= LOOK_SECONDS

    wait()
    with standing_aside(wait):
        yield
