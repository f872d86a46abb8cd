"""Machines of a network of our own: namespaces with an address each, joined by a bridge.

Needs the rights of root and the program ``ip``; all of it is gone afterwards.
"""

import contextlib
import os
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path

from house.setup import program

BRIDGE = "sortis-bench"
NETWORK = "10.77.31"
"""Made up for this bench; nothing leads out of it."""
US = f"{NETWORK}.1"
"""Where those machines reach this one."""


class Machine:
    """Where programs run: this machine, or one in a network of its own."""

    def __init__(self, name: str = "", address: str = "127.0.0.1") -> None:
        self.name, self.address = name, address

    def started(self, command: list, env: dict[str, str]) -> subprocess.Popen:
        """Start a program on it."""
        lead = ["ip", "netns", "exec", self.name] if self.name else []
        return subprocess.Popen(
            [*lead, *map(str, command)],
            env=env,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )

    def off(self) -> None:
        """As the power goes: everything on it at once."""
        told = _ip("netns", "pids", self.name)
        for number in reversed(told.split()):
            with contextlib.suppress(ProcessLookupError):
                os.kill(int(number), signal.SIGKILL)

    def unplugged(self, *, away: bool) -> None:
        """Pull its cable, or put it in again."""
        _ip("link", "set", f"{self.name}-up", "down" if away else "up")


HERE = Machine()


def can_be_made() -> bool:
    """Whether this machine lets us make networks."""
    return os.geteuid() == 0 and program("ip") is not None


@contextlib.contextmanager
def machines(*names: str) -> Iterator[list[Machine]]:
    """Machines by these names that reach each other and us."""
    _clear(names)
    try:
        _ip("link", "add", BRIDGE, "type", "bridge")
        _ip("address", "add", f"{US}/24", "dev", BRIDGE)
        _ip("link", "set", BRIDGE, "up")
        made = []
        for number, name in enumerate(names, start=11):
            address = f"{NETWORK}.{number}"
            _ip("netns", "add", name)
            cable = ("type", "veth", "peer", "name", "eth0", "netns", name)
            _ip("link", "add", f"{name}-up", *cable)
            _ip("link", "set", f"{name}-up", "master", BRIDGE, "up")
            _ip("-n", name, "address", "add", f"{address}/24", "dev", "eth0")
            _ip("-n", name, "link", "set", "eth0", "up")
            _ip("-n", name, "link", "set", "lo", "up")
            made.append(Machine(name, address))
        yield made
    finally:
        _clear(names)


def _clear(names: tuple[str, ...]) -> None:
    for name in names:
        if Path("/run/netns", name).exists():
            Machine(name).off()
            _ip("netns", "del", name)
    # A cable goes with its network, but only in a while.
    for link in (*(f"{name}-up" for name in names), BRIDGE):
        if Path("/sys/class/net", link).exists():
            _ip("link", "del", link)


def _ip(*words: str) -> str:
    return subprocess.run(["ip", *words], check=True, capture_output=True, text=True).stdout
