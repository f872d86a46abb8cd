"""Two databases, one following the other, under two hosts on which people write: each machine one
of its own in a network of its own.

The written one gives way as planned, loses its power, and is unplugged while it runs; each time the
other is promoted by one command. What was answered is there, once, as in ``bench.faults``.
"""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bench._machines import Machine, can_be_made, machines
from bench.faults import WRITERS, found
from bench.hosts import AtWork, Host, tell_each
from bench.report import Report
from house.database import kept_secrets, socket_of
from house.pair import own, seen
from house.place import HOME, PYTHON, paths

PORT = 3306
ROUNDS = 2
BETWEEN_SECONDS = 6.0
READY_SECONDS = 60


class Database:
    """A machine with nothing but the database on it."""

    def __init__(self, machine: Machine, folder: Path) -> None:
        self.machine, self.folder = machine, folder
        self.at = f"{machine.address}:{PORT}"
        self._env = os.environ | {"SORTIS_DATA": str(folder), "SORTIS_DB_LISTEN": self.at}
        folder.mkdir()

    def begin(self, follow: "Database | None" = None) -> None:
        """Start it, written or following."""
        role = ["--follow", follow.at] if follow else []
        command = [sys.executable, HOME / "sortis", "database", *role]
        self.process = self.machine.started(command, self._env)

    def sortis(self, *words: str) -> str:
        """A command on its folder.

        :raises RuntimeError: with what it says where it fails.
        """
        lead = ["ip", "netns", "exec", self.machine.name, sys.executable, str(HOME / "sortis")]
        told = subprocess.run([*lead, *words], env=self._env, capture_output=True, text=True)
        if told.returncode:
            raise RuntimeError(f"{' '.join(words)}: {told.stderr}")
        return told.stdout

    def said(self) -> str:
        """What it is to the other, in its own words; empty while it does not answer."""
        try:
            password = kept_secrets(self.folder)["db_password"]
            told = seen(self.folder, own(socket_of(self.folder), password))
        except Exception:
            return ""
        return told.words if told else "alone"

    def until(self, words: str) -> None:
        """Wait until it says so.

        :raises RuntimeError: where it does not.
        """
        end_at = time.monotonic() + READY_SECONDS
        while words not in self.said():
            if time.monotonic() > end_at:
                raise RuntimeError(f"{self.at} says {self.said()!r}, not {words!r}")
            time.sleep(0.2)

    def follow_anew(self, written: "Database") -> None:
        """Follow from a new copy of what is written."""
        copy = self.folder.parent / "copy.tar.gz"
        copy.unlink(missing_ok=True)
        written.sortis("backup", str(copy))
        self.sortis("restore", str(copy))
        for former in self.folder.glob("before-*"):
            shutil.rmtree(former)
        self.begin(follow=written)
        written.until("confirms")


class Pair:
    """Which of the two is written."""

    def __init__(self, written: Database, standby: Database) -> None:
        self.written, self.standby = written, standby

    def swap(self) -> None:
        """The other is written from now on."""
        self.standby.sortis("promote")
        self.written, self.standby = self.standby, self.written

    def as_planned(self) -> None:
        """The written one gives way, and follows."""
        self.swap()

    def again_as_planned(self) -> None:
        """What gave way follows, without a copy."""
        self.standby.sortis("stop")
        self.standby.begin(follow=self.written)
        self.written.until("confirms")

    def without_power(self) -> None:
        """The written one is gone from one moment to the next."""
        self.written.machine.off()
        self.swap()

    def unplugged(self) -> None:
        """The written one runs, and nobody reaches it."""
        self.written.machine.unplugged(away=True)
        self.swap()

    def again_unplugged(self) -> None:
        """It comes back, and may not be written; it follows from a copy."""
        self.standby.machine.unplugged(away=False)
        self.standby.until("gave way")
        self.standby.sortis("stop")
        self.again_anew()

    def again_anew(self) -> None:
        """What was lost follows from a copy of what is written."""
        self.standby.follow_anew(self.written)


Round = tuple[str, Callable[[], None], Callable[[], None]]


def rounds(pair: Pair) -> list[Round]:
    """(What happens, how, how the pair is made whole again) of each kind."""
    return [
        ("gives way as planned", pair.as_planned, pair.again_as_planned),
        ("loses its power", pair.without_power, pair.again_anew),
        ("is unplugged", pair.unplugged, pair.again_unplugged),
    ]


def main() -> None:
    """Print writes answered, lost, doubled, and how long nothing was answered in each case."""
    report = Report()
    if not can_be_made():
        report.shown("two databases", "not run: needs root and the program ip (iproute2)")
        report.end()
        return
    folder = Path(tempfile.mkdtemp(prefix="sortis-pair-"))
    slowest: dict[str, float] = {}
    people: AtWork | None = None
    try:
        with machines("host-a", "host-b", "db-a", "db-b") as (host_a, host_b, db_a, db_b):
            first, second = Database(db_a, folder / "db-a"), Database(db_b, folder / "db-b")
            first.begin()
            first.until("alone")
            known = kept_secrets(first.folder)
            env = {
                "SORTIS_DB_HOST": f"{first.at},{second.at}",
                "SORTIS_DB_PASSWORD": known["db_password"],
                "SORTIS_SECRET_KEY": known["secret_key"],
            }
            filled = [PYTHON, "-m", "bench._many", "100", str(WRITERS)]
            subprocess.run(filled, env=paths() | env, cwd=HOME, check=True)
            second.follow_anew(first)
            hosts = [Host(folder / machine.name, env, machine) for machine in (host_a, host_b)]
            people = AtWork(folder, hosts)
            pair = Pair(first, second)
            for _ in range(ROUNDS):
                for name, happens, again in rounds(pair):
                    time.sleep(BETWEEN_SECONDS)
                    took = people.without_answer(happens)
                    slowest[name] = max(slowest.get(name, 0.0), took)
                    again()
            people.over()
            host, _, at = pair.written.at.partition(":")
            there = found(env | {"SORTIS_DB_HOST": host, "SORTIS_DB_PORT": at})
    finally:
        if people:
            people.end()
        shutil.rmtree(folder, ignore_errors=True)
    report.shown("hosts, databases, times that the other was promoted", f"2, 2, {3 * ROUNDS}")
    tell_each(report, people, there, slowest)
    report.end()


if __name__ == "__main__":
    main()
