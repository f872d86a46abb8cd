"""Programs killed while people write: what was answered is there, once, and work goes on.

Each writer sends what was not answered again under the same name, as the pages do, until it is.
"""

import os
import random
import shutil
import signal
import subprocess
import tempfile
import threading
import time
from collections import Counter
from pathlib import Path

import house.parts
from bench._database import link_to
from bench._hands import Caller
from bench._many import person_of
from bench.report import Report
from house.commands import running, wait_for
from house.database import free_port, private
from house.parts import Part
from house.place import HOME, PYTHON

WRITERS = 8
KILLS = 24
BETWEEN_SECONDS = 6.0
TEND_SECONDS = 0.1
WORDS = "SELECT reason, COUNT(*) FROM stock_movement WHERE reason LIKE 'writer %' GROUP BY reason"


class Writer(threading.Thread):
    """Books one part in after another, each under a name of its own."""

    def __init__(self, port: int, number: int, over: threading.Event) -> None:
        super().__init__(daemon=True)
        self._caller = Caller(port, person_of(number))
        self._number, self._over = number, over
        self.answered: list[str] = []
        self.again = 0
        self.odd: list[str] = []
        """Answers that are neither done nor a database or server that is away."""

    def run(self) -> None:
        """Write until told that it is over; what was begun is ended."""
        self._caller.sign_in()
        count = 0
        while not self._over.is_set():
            count += 1
            words = f"writer {self._number} write {count}"
            body = {"kind": "sodimm-ddr4-8", "condition": "new", "place": "bin B-1"}
            body |= {"count": 1, "unit_cost_cents": 100, "words": words}
            name = f"bench-{self._number}-{count:06d}"
            while True:
                status, told = self._caller.ask("POST", "/api/stock/received", body, name)
                if status == 200:
                    self.answered.append(words)
                    break
                self.again += 1
                if status not in (0, 502, 503, 504):
                    self.odd.append(f"{status} {str(told)[:200]}")
                    break
                time.sleep(0.2)


class Tending(threading.Thread):
    """Begins again what ended by itself, as the start command does."""

    def __init__(self, parts: list[Part], over: threading.Event) -> None:
        super().__init__(daemon=True)
        self._parts, self._over = parts, over

    def run(self) -> None:
        """Until told that it is over."""
        while not self._over.is_set():
            for part in self._parts:
                part.tend()
            time.sleep(TEND_SECONDS)


def back_after(port: int) -> float:
    """Seconds until a call that reads and writes nothing is answered again."""
    began = time.monotonic()
    caller = Caller(port, person_of(0))
    while caller.ask("GET", "/alive")[0] != 200:
        time.sleep(0.02)
    return time.monotonic() - began


def found(env: dict[str, str]) -> Counter[str]:
    """How often each write stands in the database."""
    link = link_to(env)
    with link.cursor() as cursor:
        cursor.execute(WORDS)
        told = Counter({words: int(count) for words, count in cursor.fetchall()})
    link.close()
    return told


def tell(report: Report, writers: list[Writer], there: Counter[str]) -> None:
    """What became of all that was written."""
    answered = [words for writer in writers for words in writer.answered]
    report.shown("writes answered", str(len(answered)))
    report.shown("sent again for want of an answer", str(sum(one.again for one in writers)))
    lost = [words for words in answered if not there[words]]
    report.at_most("answered and lost", len(lost), 0)
    for words in lost[:5]:
        report.shown("  answered and lost", f"{words} of {len(answered) // len(writers)}")
    report.at_most("doubled", sum(count > 1 for count in there.values()), 0)
    report.at_most("there and never answered", len(set(there) - set(answered)), 0)
    odd = [said for writer in writers for said in writer.odd]
    report.at_most("answers that explain nothing", len(odd), 0)
    for said in odd[:5]:
        report.shown("answer that explains nothing", said)


def main() -> None:
    """Print kills, writes answered, found, doubled, and the time to be back."""
    report = Report()
    # Nobody's machine kills a part every six seconds: each waits as after the first time.
    house.parts.LONGEST_WAIT_SECONDS = house.parts.FIRST_WAIT_SECONDS
    folder = Path(tempfile.mkdtemp(prefix="sortis-faults-"))
    tended: list[Part] = []
    try:
        with private(folder, tended=tended) as env:
            filled = ["-m", "bench._many", "100", str(WRITERS)]
            subprocess.run([PYTHON, *filled], env=env, cwd=HOME, check=True)
            port = free_port()
            with running(env, port) as began:
                wait_for(f"http://127.0.0.1:{port}", began)
                parts = [*tended, *began]
                over = threading.Event()
                tending = Tending(parts, over)
                tending.start()
                writers = [Writer(port, number, over) for number in range(WRITERS)]
                for writer in writers:
                    writer.start()
                dice = random.Random(11)
                slowest: dict[str, float] = {}
                for number in range(KILLS):
                    time.sleep(BETWEEN_SECONDS * (0.5 + dice.random()))
                    part = parts[number % len(parts)]
                    os.killpg(part.process.pid, signal.SIGKILL)
                    time.sleep(3 * TEND_SECONDS)
                    took = back_after(port)
                    slowest[part.name] = max(slowest.get(part.name, 0.0), took)
                over.set()
                for thread in (*writers, tending):
                    thread.join()
                there = found(env)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    report.shown("kills", str(KILLS))
    tell(report, writers, there)
    for name, took in slowest.items():
        report.shown(f"back after the {name} was killed, slowest, s", f"{took:.1f}")
    report.end()


if __name__ == "__main__":
    main()
