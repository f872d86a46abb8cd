"""Where a solve that nobody's hand waits for stands aside for one that somebody's does.

Python lets one thread run at a time, so that a proof under way takes half of a dial's time. What
solves comes by :func:`stand_aside` between its steps, some milliseconds apart; whoever has it solve
in the background says there what it then waits for.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeAlias

Wait: TypeAlias = Callable[[], None]


def _go_on() -> None:
    """Nobody else comes first."""


_wait: ContextVar[Wait] = ContextVar("wait", default=_go_on)


@contextmanager
def standing_aside(wait: Wait) -> Iterator[None]:
    """What is solved inside, by this thread, calls ``wait`` between its steps.

    :param wait: returns when the solve may go on. What it raises ends the solve.
    """
    was = _wait.set(wait)
    try:
        yield
    finally:
        _wait.reset(was)


def stand_aside() -> None:
    """Between two steps of a solve."""
    _wait.get()()
