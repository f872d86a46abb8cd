"""Three databases that are one cluster, under two hosts on which people write: each machine one of
its own in a network of its own.

Every node could be written; all hosts write to the one that the cluster counts first, as locks hold
on one node only, and what the cluster refuses at its end is done again as a whole. That node loses
its power, and is unplugged while it runs. What was answered is there, once, as in ``bench.faults``.
"""

import contextlib
import os
import secrets
import shutil
import subprocess
import tempfile
import time
from functools import partial
from pathlib import Path

from bench._machines import Machine, can_be_made, machines
from bench.faults import WRITERS, found
from bench.hosts import AtWork, Host, tell_each
from bench.report import Report
from house.database import SCHEMA
from house.pair import WRITER, Client
from house.place import HOME, PYTHON, StepFailed, paths
from house.setup import program

LIBRARY = Path("/usr/lib/galera/libgalera_smm.so")
NEEDED = ("wsrep_sst_mariabackup", "socat")
NODES = ("db-a", "db-b", "db-c")
PORT = 3306
BETWEEN_SECONDS = 6.0
READY_SECONDS = 120
ROUNDS = 2
FIRST = "0"
"""What a node says of itself that the cluster counts first."""


class Node:
    """A machine with one database of the cluster."""

    def __init__(self, machine: Machine, folder: Path, password: str, others: str) -> None:
        self.machine, self.at = machine, f"{machine.address}:{PORT}"
        self._folder, self._password = folder, password
        for name in ("", "temporary"):
            (folder / name).mkdir()
        (folder / "my.cnf").write_text(f"""\
[mariadbd]
{"user=root" if os.geteuid() == 0 else ""}
datadir={folder}/db
tmpdir={folder}/temporary
socket={folder}/db.sock
pid-file={folder}/db.pid
log-error={folder}/log
bind-address={machine.address}
port={PORT}
skip-name-resolve
character-set-server=utf8mb4
collation-server=utf8mb4_unicode_ci
sql-mode=STRICT_TRANS_TABLES
binlog_format=ROW
innodb_autoinc_lock_mode=2
innodb_flush_log_at_trx_commit=1
wsrep_on=ON
wsrep_provider={LIBRARY}
wsrep_cluster_name=sortis
wsrep_cluster_address=gcomm://{others}
wsrep_node_address={machine.address}
wsrep_node_name={machine.name}
wsrep_sst_method=mariabackup
wsrep_sst_auth=root:{password}
""")
        made = [str(program("mariadb-install-db")), "--no-defaults", f"--datadir={folder}/db"]
        root = ["--user=root"] if os.geteuid() == 0 else []
        plain = ["--skip-test-db", "--auth-root-authentication-method=normal"]
        subprocess.run([*made, *root, *plain], check=True, stdout=subprocess.DEVNULL)

    def begin(self, *, new: bool = False) -> None:
        """Start it, as the first of a new cluster or as one that joins."""
        command = [program("mariadbd"), f"--defaults-file={self._folder}/my.cnf"]
        search = os.pathsep.join([os.environ["PATH"], "/usr/sbin", "/sbin"])
        more = ["--wsrep-new-cluster"] if new else []
        self.machine.started([*command, *more], os.environ | {"PATH": search})
        self.until("wsrep_local_state_comment", "Synced", known=not new)

    def told(self, name: str, *, known: bool = True) -> str:
        """What it says of itself; empty while it does not answer."""
        with contextlib.suppress(StepFailed, LookupError):
            return self.client(known=known).asked(f"SHOW GLOBAL STATUS LIKE '{name}'")[0]["Value"]
        return ""

    def until(self, name: str, value: str, *, known: bool = True) -> None:
        """Wait until it says so.

        :raises RuntimeError: where it does not.
        """
        until = time.monotonic() + READY_SECONDS
        while self.told(name, known=known) != value:
            if time.monotonic() > until:
                raise RuntimeError(f"{self.at}: {name} is {self.told(name, known=known)!r}")
            time.sleep(0.2)

    def client(self, *, known: bool = True) -> Client:
        """Its owner's; before the password is ``known``, without one."""
        password = self._password if known else ""
        return Client("root", password, [f"socket={self._folder}/db.sock"])

    def furnish(self) -> None:
        """The schema and whom hosts sign in as; once, for all nodes."""
        self.client(known=False).asked(
            f"ALTER USER root@localhost IDENTIFIED BY '{self._password}';"
            f"CREATE DATABASE {SCHEMA} CHARACTER SET utf8mb4;"
            f"CREATE USER {WRITER}@'%' IDENTIFIED BY '{self._password}';"
            f"GRANT ALL ON {SCHEMA}.* TO {WRITER}@'%'"
        )


def first_of(nodes: list[Node]) -> Node:
    """The one that is written."""
    while True:
        for node in nodes:
            if node.told("wsrep_ready") == "ON" and node.told("wsrep_local_index") == FIRST:
                return node
        time.sleep(0.1)


def without_power(node: Node) -> None:
    """It is gone from one moment to the next; it joins again and catches up."""
    node.machine.off()


def with_power(node: Node) -> None:
    """It joins again."""
    node.begin()


def unplugged(node: Node) -> None:
    """It runs, and no other reaches it."""
    node.machine.unplugged(away=True)


def plugged(node: Node) -> None:
    """It is one of the cluster again, by itself."""
    node.machine.unplugged(away=False)
    node.until("wsrep_local_state_comment", "Synced")


def main() -> None:
    """Print writes answered, lost, doubled, and how long nothing was answered in each case."""
    report = Report()
    missing = [name for name in NEEDED if program(name) is None]
    if not can_be_made() or not LIBRARY.exists() or missing:
        needs = "galera-4, mariadb-server and socat"
        report.shown("a cluster of three", f"not run: needs root, iproute2, {needs}")
        report.end()
        return
    folder = Path(tempfile.mkdtemp(prefix="sortis-cluster-"))
    password = secrets.token_hex(12)
    slowest: dict[str, float] = {}
    people: AtWork | None = None
    try:
        with machines("host-a", "host-b", *NODES) as (host_a, host_b, *made):
            others = ",".join(machine.address for machine in made)
            nodes = [Node(m, folder / m.name, password, others) for m in made]
            for number, node in enumerate(nodes):
                node.begin(new=number == 0)
                if number == 0:
                    node.furnish()
            env = {
                "SORTIS_DB_HOST": ",".join(node.at for node in nodes),
                "SORTIS_DB_PASSWORD": password,
                "SORTIS_SECRET_KEY": secrets.token_hex(24),
            }
            filled = [PYTHON, "-m", "bench._many", "100", str(WRITERS)]
            subprocess.run(filled, env=paths() | env, cwd=HOME, check=True)
            hosts = [Host(folder / machine.name, env, machine) for machine in (host_a, host_b)]
            people = AtWork(folder, hosts)
            for _ in range(ROUNDS):
                for name, happens, again in (
                    ("loses its power", without_power, with_power),
                    ("is unplugged", unplugged, plugged),
                ):
                    time.sleep(BETWEEN_SECONDS)
                    node = first_of(nodes)
                    took = people.without_answer(partial(happens, node))
                    slowest[name] = max(slowest.get(name, 0.0), took)
                    again(node)
            people.over()
            host, _, at = first_of(nodes).at.partition(":")
            there = found(env | {"SORTIS_DB_HOST": host, "SORTIS_DB_PORT": at})
    finally:
        if people:
            people.end()
        shutil.rmtree(folder, ignore_errors=True)
    report.shown("hosts, databases, times that one was lost", f"2, {len(NODES)}, {2 * ROUNDS}")
    tell_each(report, people, there, slowest)
    report.end()


if __name__ == "__main__":
    main()
