"""Two hosts on one database behind one front: each is killed in turn, and nobody notices.

A host is a whole ``./sortis serve`` with a data folder of its own, an application, a stream and a
worker; the database is one that they share. What was answered is there, once, as in
``bench.faults``; while a host is away the other answers.
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
from pathlib import Path

from bench._hands import Caller
from bench._machines import HERE, Machine
from bench._many import person_of
from bench.faults import WRITERS, Writer, found, tell
from bench.report import Report
from house.database import free_port, private
from house.place import HOME, PYTHON
from house.processes import end
from house.setup import program

HOSTS = 2
KILLS = 6
BETWEEN_SECONDS = 8.0
READY_SECONDS = 90
PLAN_UNITS = 1_500
"""Planned by whichever worker takes it."""


class Host:
    """One machine of several."""

    def __init__(self, folder: Path, env: dict[str, str], machine: Machine = HERE) -> None:
        self._machine = machine
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
        self.process = self._machine.started([sys.executable, HOME / "sortis", "serve"], self._env)

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


def main() -> None:
    """Print kills, writes answered, lost, doubled, and the longest time without an answer."""
    report = Report()
    folder = Path(tempfile.mkdtemp(prefix="sortis-hosts-"))
    hosts: list[Host] = []
    front: subprocess.Popen | None = None
    try:
        with private(folder / "database") as env:
            filled = ["-m", "bench._many", "100", str(WRITERS), str(PLAN_UNITS)]
            subprocess.run([PYTHON, *filled], env=env, cwd=HOME, check=True)
            for number in range(HOSTS):
                hosts.append(Host(folder / f"host-{number}", env))
                # The first brings the tables up to date, the others find them so.
                hosts[-1].wait()
            port = free_port()
            front = subprocess.Popen(outer_front(folder / "front", port, hosts))
            over, done = threading.Event(), threading.Event()
            writers = [Writer(port, number, over) for number in range(WRITERS)]
            watching = Watching(port, over)
            time.sleep(1)
            for thread in (*writers, watching):
                thread.start()
            ended: list[str] = []
            plan = threading.Thread(
                target=lambda: ended.append(planned(port, "clearance-1", done)), daemon=True
            )
            plan.start()
            dice = random.Random(5)
            for number in range(KILLS):
                time.sleep(BETWEEN_SECONDS * (0.5 + dice.random()))
                host = hosts[number % HOSTS]
                host.kill()
                time.sleep(2)
                host.begin()
                host.wait()
            over.set()
            for thread in (*writers, watching):
                thread.join()
            plan.join(READY_SECONDS)
            done.set()
            plan.join(5)
            there = found(env)
    finally:
        for host in hosts:
            end(host.process)
        if front:
            end(front)
        shutil.rmtree(folder, ignore_errors=True)
    report.shown("hosts, and kills of one of them", f"{HOSTS}, {KILLS}")
    tell(report, writers, there)
    report.at_most("longest time without an answer, s", watching.longest, 3)
    report.shown(f"a plan of {PLAN_UNITS} units meanwhile", ended[0] if ended else "not ended")
    report.end()


if __name__ == "__main__":
    main()
