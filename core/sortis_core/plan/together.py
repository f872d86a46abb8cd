"""Work in shares that hear of one another: the first in this process, each other in one of its own.

A share is a generator: it yields what it tells, is sent what all of them told together, and returns
what it found; all yield equally often. What is found does not depend on how many processes work.

A process is started anew rather than split off from this one, which may be a server's: what another
of its threads has locked at that moment would stay locked in the copy for good.
"""

import os
import pickle
import subprocess
import sys
from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from tempfile import TemporaryFile
from typing import Any, NamedTuple, Protocol, Self, TypeVar

from sortis_core.plan.uncollected import uncollected

SERVE = "from sortis_core.plan.together import serve; serve({line}, {share})"


class Joined(Protocol):
    """What shares tell."""

    def joined(self, others: Sequence[Self]) -> Self:
        """It, and what these told as well."""
        ...


Told = TypeVar("Told", bound=Joined)
Found = TypeVar("Found")


class Said(NamedTuple):
    """What a share yields, or returns in the end."""

    told: Any
    found: Any
    over: bool


class _Here:
    """A share in this process, spoken to as one in another is."""

    def __init__(self, share: Callable[[], Generator[Any, Any, Any]]) -> None:
        self._work = share()
        self._heard: Any = None

    def send(self, heard: Any) -> None:
        self._heard = heard

    def recv(self) -> Said:
        try:
            return Said(self._work.send(self._heard), None, over=False)
        except StopIteration as end:
            return Said(None, end.value, over=True)


def together(
    part: Callable[[], Sequence[Callable[[], Generator[Told, Told, Found]]]], processes: int
) -> list[Found]:
    """Work all shares, and return what each found.

    Where there is one processor, or another process ends before its share does, all are worked
    in this one.

    :param part: parts the work into shares, while the other processes begin; whatever is in them
        can be pickled.
    :param processes: there are at most so many shares.
    :raises Exception: what a share raises.
    """
    if processes > 1 and len(os.sched_getaffinity(0)) > 1:
        # A share that raises is worked once more here, where it raises again.
        with suppress(EOFError, OSError), _elsewhere(processes - 1) as others:
            first, *shares = part()
            for other, share in zip(others, shares, strict=False):
                other.take(share)
            return _in_step([_Here(first), *[other.line for other in others[: len(shares)]]])
    return _in_step([_Here(share) for share in part()])


def _in_step(lines: Sequence[_Here | Connection]) -> list[Any]:
    """Each works until it tells something, then all hear what all told, until all are over."""
    while True:
        said: list[Said] = [line.recv() for line in lines]
        if all(one.over for one in said):
            return [one.found for one in said]
        first, *others = [one.told for one in said]
        heard = first.joined(others)
        for line in lines:
            line.send(heard)


class _Elsewhere:
    """A process of its own, which begins at once, and the line to it."""

    def __init__(self) -> None:
        self.line, end = Pipe()
        # What it is to do is laid in a file: nobody waits until it can be told.
        self._file = TemporaryFile()  # noqa: SIM115 - closed with the process
        with end:
            its = [end.fileno(), self._file.fileno()]
            command = [sys.executable, "-P", "-c", SERVE.format(line=its[0], share=its[1])]
            paths = os.pathsep.join([path or os.getcwd() for path in sys.path])
            known = {**os.environ, "PYTHONPATH": paths}
            self._process = subprocess.Popen(command, pass_fds=its, env=known)

    def take(self, share: Any) -> None:
        """Work this share.

        :raises OSError: where it is gone already.
        """
        pickle.dump(share, self._file)
        self._file.seek(0)
        self.line.send(None)

    def end(self) -> None:
        """It is gone."""
        self.line.close()
        self._file.close()
        self._process.kill()
        self._process.wait()


@contextmanager
def _elsewhere(count: int) -> Iterator[list[_Elsewhere]]:
    """So many processes; none is left behind.

    :raises OSError: where none can be started.
    """
    with ExitStack() as ends:
        begun: list[_Elsewhere] = []
        for _ in range(count):
            begun.append(_Elsewhere())
            ends.callback(begun[-1].end)
        yield begun


def serve(line: int, share: int) -> None:
    """Work a share for the process at the other end of a line, and end with it.

    :param line: number of the open file.
    :param share: number of the one in which it stands, once a word came by the line.
    """
    with suppress(EOFError, OSError), Connection(line) as other, uncollected():
        other.recv()
        with os.fdopen(share, "rb") as file:
            here = _Here(pickle.load(file))
        other.send(said := here.recv())
        while not said.over:
            here.send(other.recv())
            other.send(said := here.recv())
