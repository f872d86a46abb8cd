"""Two hosts with the application and two with workers on one database behind one front: each is
killed in turn, and nobody notices.

Each is a machine in a network of its own, where this one lets us make some, with a data folder of
its own. What was answered is there, once, as in ``bench.faults``; while a host is away the other
answers, and what a worker had begun whose host never comes back goes on at the other one.
"""

import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from bench._database import link_to
from bench._hands import Caller
from bench._machines import HERE, US, Machine, can_be_made, machines
from bench._many import person_of
from bench.faults import WRITERS, Writer, found, tell
from bench.report import Report
from house.database import WAIT_SECONDS, free_port, private
from house.pair import Address, Wanted
from house.place import HOME, PYTHON
from house.processes import end
from house.setup import program

KILLS = 6
NAMES = ("app-a", "app-b", "work-a", "work-b")
BETWEEN_SECONDS = 8.0
READY_SECONDS = 90
PLAN_UNITS = 1_500
"""Planned by whichever worker takes it."""
RUNNING = "SELECT COUNT(*) FROM django_tasks_database_dbtaskresult WHERE status = 'RUNNING'"


class Host:
    """One machine of several, with the application or with workers alone."""

    def __init__(
        self, folder: Path, env: dict[str, str], machine: Machine = HERE, *words: str
    ) -> None:
        self._machine, self._words = machine, words or ("serve",)
        self.port = free_port()
        self.address = f"{machine.address}:{self.port}"
        # One proxy stands before the front of its own.
        self._env = os.environ | env | {"SORTIS_PROXIES": "1"}
        self._env |= {"SORTIS_DATA": str(folder), "SORTIS_PORT": str(self.port)}
        if machine is not HERE:
            self._env |= {"SORTIS_LISTEN": machine.address}
        folder.mkdir()
        self.begin()

    def begin(self) -> None:
        """Start it; it is there once it answers."""
        command = [sys.executable, HOME / "sortis", *self._words]
        self.process = self._machine.started(command, self._env)

    def wait(self) -> None:
        """Until it answers.

        :raises RuntimeError: where it does not.
        """
        until = time.monotonic() + READY_SECONDS
        while time.monotonic() < until:
            with contextlib.suppress(OSError):
                asked = urllib.request.Request(f"http://{self.address}/alive")
                asked.add_header("Host", "localhost")
                urllib.request.urlopen(asked, timeout=2).close()
                return
            time.sleep(0.1)
        raise RuntimeError("a host does not answer")

    def kill(self) -> None:
        """As the power goes: the start command, and with it all that it started."""
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.wait()


def outer_front(folder: Path, port: int, hosts: list[Host]) -> list[str]:
    """The front before all hosts; the command that runs it. A call goes to the next one where one
    is away, also a write: each has a name, and so is done once."""
    servers = "\n".join(f"    server {host.address} max_fails=1 fail_timeout=2s;" for host in hosts)
    folder.mkdir()
    (folder / "run").mkdir()
    user = "user root;" if os.geteuid() == 0 else ""
    (folder / "front.conf").write_text(f"""\
daemon off;
{user}
pid run/nginx.pid;
events {{ worker_connections 1024; }}
http {{
  access_log off;
  client_body_temp_path run/body;
  proxy_temp_path run/proxy;
  fastcgi_temp_path run/fastcgi;
  uwsgi_temp_path run/uwsgi;
  scgi_temp_path run/scgi;
  upstream hosts {{
{servers}
  }}
  server {{
    listen 127.0.0.1:{port};
    proxy_http_version 1.1;
    proxy_set_header Connection "";
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
    proxy_connect_timeout 2s;
    proxy_next_upstream error timeout http_502 http_503 non_idempotent;
    location / {{ proxy_pass http://hosts; }}
  }}
}}
""")
    return [str(program("nginx")), "-p", str(folder), "-c", "front.conf", "-e", "run/error.log"]


class Watching(threading.Thread):
    """Somebody who reads all the time; how long nothing was answered."""

    def __init__(self, port: int, over: threading.Event) -> None:
        super().__init__(daemon=True)
        self._caller, self._over = Caller(port, person_of(0)), over
        self.longest = 0.0
        self._answered = time.monotonic()

    def settle(self, seconds: float = 5.0) -> None:
        """Wait until answers came without a gap for so long."""
        while True:
            before = self.longest
            time.sleep(seconds)
            if self.longest == before and time.monotonic() - self._answered < 1:
                return

    def run(self) -> None:
        """Until told that it is over."""
        while not self._over.is_set():
            if self._caller.ask("GET", "/alive")[0] == 200:
                now = time.monotonic()
                self.longest = max(self.longest, now - self._answered)
                self._answered = now
            time.sleep(0.02)


def planned(port: int, slug: str, over: threading.Event) -> str:
    """Have the large batch planned; how it ended, whichever worker ended it."""
    caller = Caller(port, person_of(0))
    caller.sign_in()
    status, told = caller.ask("POST", f"/api/batches/{slug}/plan", {}, "bench-plan")
    if status != 200:
        return f"refused: {status} {told}"
    path = f"/api/batches/{slug}/plan/{told['number']}"
    while not over.wait(0.5):
        status, told = caller.ask("GET", path)
        if status == 200 and told["state"] != "solving":
            return str(told["state"])
    return "not ended"


class AtWork:
    """People who write through a front before all hosts, and one who only reads."""

    def __init__(self, folder: Path, hosts: list[Host]) -> None:
        for host in hosts:
            host.wait()
        self.port = free_port()
        self._front = subprocess.Popen(outer_front(folder / "front", self.port, hosts))
        time.sleep(1)
        self._over = threading.Event()
        self.writers = [Writer(self.port, number, self._over) for number in range(WRITERS)]
        self.watching = Watching(self.port, self._over)
        for thread in (*self.writers, self.watching):
            thread.start()

    def without_answer(self, happens: Callable[[], None]) -> float:
        """How many seconds nothing was answered at the longest, around something that happens."""
        self.watching.longest = 0.0
        happens()
        self.watching.settle()
        return self.watching.longest

    def over(self) -> None:
        """What was begun is ended, and no more begun."""
        self._over.set()
        for thread in (*self.writers, self.watching):
            thread.join()

    def end(self) -> None:
        """End the front, and whoever still writes."""
        self._over.set()
        end(self._front)


def tell_each(
    report: Report, people: AtWork, there: Counter[str], slowest: dict[str, float]
) -> None:
    """What became of all that was written, and how long nothing was answered in each case."""
    tell(report, people.writers, there)
    for name, took in slowest.items():
        report.shown(f"without an answer when the written one {name}, longest, s", f"{took:.1f}")


def until_running(env: dict[str, str]) -> None:
    """Wait until a worker has begun a task.

    :raises RuntimeError: where none does.
    """
    until = time.monotonic() + READY_SECONDS
    while time.monotonic() < until:
        link = link_to(env)
        with link.cursor() as cursor:
            cursor.execute(RUNNING)
            ((count,),) = cursor.fetchall()
        link.close()
        if count:
            return
        time.sleep(0.1)
    raise RuntimeError("no worker takes what waits")


def killed(hosts: list[Host]) -> None:
    """One host after another loses its power and comes back."""
    dice = random.Random(5)
    for number in range(KILLS):
        time.sleep(BETWEEN_SECONDS * (0.5 + dice.random()))
        host = hosts[number % len(hosts)]
        host.kill()
        time.sleep(2)
        host.begin()
        host.wait()


def main() -> None:
    """Print kills, writes answered, lost, doubled, and the longest time without an answer."""
    report = Report()
    folder = Path(tempfile.mkdtemp(prefix="sortis-hosts-"))
    began: list[Host] = []
    people: AtWork | None = None
    ended: list[tuple[str, float]] = []
    """How the plan ended, and when."""
    try:
        with contextlib.ExitStack() as stack:
            apart = can_be_made()
            made = stack.enter_context(machines(*NAMES)) if apart else [HERE] * len(NAMES)
            reached = Wanted(Address(US, free_port()), None, WAIT_SECONDS) if apart else None
            env = stack.enter_context(private(folder / "database", wanted=reached))
            filled = ["-m", "bench._many", "100", str(WRITERS), str(PLAN_UNITS)]
            subprocess.run([PYTHON, *filled], env=env, cwd=HOME, check=True)
            none = env | {"SORTIS_WORKERS": "0"}
            hosts = [Host(folder / n, none, m) for n, m in zip(NAMES[:2], made[:2], strict=True)]
            began += hosts
            work_a = Host(folder / NAMES[2], env, made[2], "work")
            began.append(work_a)
            people = AtWork(folder, hosts)
            over = threading.Event()

            def plan_it() -> None:
                ended.append((planned(people.port, "clearance-1", over), time.monotonic()))

            plan = threading.Thread(target=plan_it, daemon=True)
            plan.start()
            until_running(env)
            # It never comes back.
            work_a.kill()
            lost = time.monotonic()
            began.append(Host(folder / NAMES[3], env, made[3], "work"))
            killed(hosts)
            plan.join(2 * READY_SECONDS)
            people.over()
            over.set()
            plan.join(5)
            there = found(env)
    finally:
        for host in began:
            end(host.process)
        if people:
            people.end()
        shutil.rmtree(folder, ignore_errors=True)
    report.shown("hosts with the application, with workers", "2, 2")
    report.shown("kills of a host", str(KILLS + 1))
    tell(report, people.writers, there)
    report.at_most("longest time without an answer, s", people.watching.longest, 3)
    for how, at in ended:
        report.shown(f"a plan of {PLAN_UNITS} units, at the other worker", how)
        report.shown("ended after its worker was gone, s", f"{at - lost:.0f}")
    report.at_least("plans that ended", len(ended), 1)
    report.end()


if __name__ == "__main__":
    main()
