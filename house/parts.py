"""The programs an application consists of; one that ends by itself is begun again."""

import contextlib
import os
import signal
import subprocess
import time
from collections.abc import Callable
from typing import Protocol

from house.place import LOGS, say
from house.processes import end

FIRST_WAIT_SECONDS = 1.0
LONGEST_WAIT_SECONDS = 30.0
STEADY_SECONDS = 60.0
"""What ran that long starts with the first wait again when it ends."""

Begin = Callable[[], subprocess.Popen]


class Tended(Protocol):
    """What is looked after while the application runs."""

    def tend(self) -> None:
        """Do what is to be done about it now."""


class Part:
    """One program, with how it is begun."""

    def __init__(self, name: str, begin: Begin) -> None:
        self.name = name
        self._begin = begin
        self.process = begin()
        self._since = time.monotonic()
        self._wait = FIRST_WAIT_SECONDS
        self._again: float | None = None

    def is_over(self) -> bool:
        """Whether it has ended. It is not reaped, so that its number stays its own."""
        if self.process.returncode is not None:
            return True
        with contextlib.suppress(ChildProcessError):
            over = os.waitid(os.P_PID, self.process.pid, os.WEXITED | os.WNOHANG | os.WNOWAIT)
            return over is not None
        return True

    def tend(self) -> None:
        """Begin it again where it ended by itself, after a wait that grows with each time."""
        now = time.monotonic()
        if self._again is None:
            if self.is_over():
                self._plan_again(now)
        elif now >= self._again:
            self._begin_again(now)

    def _begin_again(self, now: float) -> None:
        try:
            self.process = self._begin()
        except OSError as error:  # A full disk, or no memory: another time.
            _tell(f"The {self.name} could not be begun: {error.strerror}.")
            self._later(now)
        else:
            self._again, self._since = None, now
            _tell(f"The {self.name} was begun again.")

    def _later(self, now: float) -> None:
        self._again = now + self._wait
        self._wait = min(2 * self._wait, LONGEST_WAIT_SECONDS)

    def _plan_again(self, now: float) -> None:
        # Its children may outlive it and hold its port.
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGKILL)
        status = self.process.wait()
        if now - self._since >= STEADY_SECONDS:
            self._wait = FIRST_WAIT_SECONDS
        _tell(
            f"The {self.name} ended by itself (status {status}); "
            f"it is begun again in {self._wait:.0f} s. Its log is {LOGS / self.name}.log."
        )
        self._later(now)

    def end(self) -> None:
        """End it for good."""
        end(self.process)


def _tell(words: str) -> None:
    # The terminal may be gone, or its words go to a disk that is full: the parts are tended all
    # the same.
    with contextlib.suppress(OSError):
        say(f"  {time.strftime('%H:%M:%S')} {words}")
