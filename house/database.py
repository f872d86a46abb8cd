"""The private MariaDB instance: loopback only, own user and password, own folder."""

import contextlib
import hashlib
import json
import os
import secrets
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from house.pair import (
    FOLLOWER,
    STANDBY,
    STOOD,
    WRITER,
    WRITTEN,
    Address,
    Wanted,
    Watch,
    address,
    follow,
    follower_password,
    note_role,
    number_of,
    own,
    require_copy,
    require_role,
    role_of,
)
from house.parts import Part, Tended
from house.place import LOGS, PYTHON, VAR, StepFailed, paths, say
from house.processes import die_with_parent
from house.setup import program

CHANGES = "changes"
"""Name of the log of changes, in the database's folder."""
CHANGES_DAYS = 30
READY_SECONDS = 60
WAIT_SECONDS = 10
LONGEST_WAIT_SECONDS = 86_400
SCHEMA = "sortis"
GRANT = """
import MySQLdb, sys
socket, password, user, schema = sys.argv[1:]
link = MySQLdb.connect(unix_socket=socket, user="root")
cursor = link.cursor()
cursor.execute(f"CREATE DATABASE IF NOT EXISTS `{schema}` CHARACTER SET utf8mb4")
cursor.execute(f"CREATE USER IF NOT EXISTS '{user}'@'127.0.0.1' IDENTIFIED BY %s", [password])
cursor.execute(f"GRANT ALL ON `{schema}`.* TO '{user}'@'127.0.0.1'")
cursor.execute(f"GRANT ALL ON `test_{schema}`.* TO '{user}'@'127.0.0.1'")
cursor.execute("ALTER USER root@localhost IDENTIFIED BY %s", [password])
"""
SHARE = """
import MySQLdb, sys
socket, password, user, schema, follower, follows = sys.argv[1:]
link = MySQLdb.connect(unix_socket=socket, user="root", passwd=password)
cursor = link.cursor()
for name, word in ((user, password), (follower, follows)):
    cursor.execute(f"CREATE USER IF NOT EXISTS '{name}'@'%%' IDENTIFIED BY %s", [word])
cursor.execute(f"GRANT ALL ON `{schema}`.* TO '{user}'@'%'")
rights = "REPLICATION SLAVE, READ_ONLY ADMIN, CONNECTION ADMIN"
cursor.execute(f"GRANT {rights} ON *.* TO '{follower}'@'%'")
"""
"""Lets other machines reach the database: applications, and one that follows it."""


def free_port(wanted: int = 0) -> int:
    """``wanted`` where it is free on loopback, else a free one."""
    for port in (wanted, 0):
        with socket.socket() as probe, contextlib.suppress(OSError):
            # Connections that just ended do not make a port taken; a listener does.
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind(("127.0.0.1", port))
            return int(probe.getsockname()[1])
    raise StepFailed("No port is free on the loopback address.")


def is_free(where: Address) -> bool:
    """Whether an address is one of this machine's on which nobody listens."""
    with socket.socket() as probe, contextlib.suppress(OSError):
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        probe.bind(where)
        return True
    return False


def kept_secrets(folder: Path) -> dict[str, str]:
    """The password of a folder's database and the key that signs; made where there are none."""
    file = folder / "secrets.json"
    if not file.exists():
        folder.mkdir(parents=True, exist_ok=True)
        made = {"db_password": secrets.token_urlsafe(24), "secret_key": secrets.token_urlsafe(48)}
        with os.fdopen(os.open(file, os.O_CREAT | os.O_WRONLY, 0o600), "w") as out:
            json.dump(made, out)
    known = json.loads(file.read_text())
    whole = isinstance(known, dict) and all(
        isinstance(known.get(name), str) for name in ("db_password", "secret_key")
    )
    if not whole:
        raise StepFailed(f"{file} does not hold the keys of this data folder. Put it back.")
    return known


def _start(folder: Path, where: Address, *, lasting: bool) -> subprocess.Popen:
    data = folder / "db"
    server, install = program("mariadbd"), program("mariadb-install-db")
    if server is None or install is None:
        raise StepFailed("MariaDB's programs are missing. Install mariadb-server-core.")
    root = ["--user=root"] if os.geteuid() == 0 else []
    LOGS.mkdir(parents=True, exist_ok=True)
    log = (LOGS / "database.log").open("ab")
    # One that starts clears temporary tables out of its folder, also those of one that runs there.
    own = folder / "temporary"
    own.mkdir(parents=True, exist_ok=True)
    if not (data / "mysql").exists():
        shutil.rmtree(data, ignore_errors=True)
        data.mkdir(parents=True)
        made = subprocess.run(
            [
                install,
                "--no-defaults",
                *root,
                f"--datadir={data}",
                f"--tmpdir={own}",
                "--skip-test-db",
                "--auth-root-authentication-method=normal",
            ],
            stdout=log,
            stderr=subprocess.STDOUT,
            check=False,
        )
        if made.returncode:
            raise StepFailed(f"The database folder could not be made; see {log.name}.")
    speed = (
        [
            "--innodb-flush-log-at-trx-commit=1",
            # Every change, so that a backup can be carried on to any moment after it.
            f"--log-bin={CHANGES}",
            f"--log-bin-index={CHANGES}.index",
            f"--server-id={number_of(folder)}",
            "--binlog-format=ROW",
            # So that one that follows can be followed, and can be carried on to a moment.
            "--log-slave-updates=1",
            "--gtid-strict-mode=1",
            "--relay-log=heard",
            # What was written side by side is done side by side, or it falls behind many hands.
            "--slave-parallel-threads=8",
            "--slave-parallel-mode=optimistic",
            "--rpl-semi-sync-slave-enabled=1",
            "--slave-net-timeout=6",
            f"--report-host={where.host}",
            f"--report-port={where.port}",
            f"--read-only={int(role_of(folder)['role'] != WRITTEN)}",
            "--sync-binlog=1",
            f"--expire-logs-days={CHANGES_DAYS}",
            "--max-binlog-size=64M",
        ]
        if lasting
        else [
            "--skip-log-bin",
            "--innodb-flush-log-at-trx-commit=0",
            "--innodb-doublewrite=0",
            "--innodb-flush-method=nosync",
            "--sync-frm=0",
        ]
    )
    # A Unix socket's path may have about 100 characters, so it lies in the temporary folder.
    return subprocess.Popen(
        [
            server,
            "--no-defaults",
            *root,
            f"--datadir={data}",
            f"--tmpdir={own}",
            f"--bind-address={where.host}",
            f"--port={where.port}",
            f"--socket={socket_of(folder)}",
            f"--pid-file={data / 'db.pid'}",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--sql-mode=STRICT_TRANS_TABLES",
            "--skip-name-resolve",
            "--innodb-buffer-pool-size=256M",
            *speed,
        ],
        stdout=log,
        stderr=subprocess.STDOUT,
        stdin=subprocess.DEVNULL,
        preexec_fn=die_with_parent,
    )


def socket_of(folder: Path) -> Path:
    """Of this very folder and nobody else's: a copy of it has a socket of its own."""
    there = folder.stat()
    name = f"{folder.resolve()} {there.st_dev} {there.st_ino} {os.geteuid()}"
    digest = hashlib.sha256(name.encode()).hexdigest()[:16]
    home = Path(tempfile.gettempdir()) / f"sortis-{digest}"
    home.mkdir(mode=0o700, exist_ok=True)
    if home.lstat().st_uid != os.geteuid():
        raise StepFailed(f"{home} belongs to somebody else. Remove it, then start again.")
    return home / "db.sock"


def _wait(server: subprocess.Popen, where: Address) -> None:
    until = time.monotonic() + READY_SECONDS
    while time.monotonic() < until:
        if server.poll() is not None:
            raise StepFailed(
                "The database did not start. Its reason is at the end of "
                f"{LOGS / 'database.log'}. Is another Sortis running on this folder? "
                "./sortis stop ends it."
            )
        with contextlib.suppress(OSError), socket.create_connection(where, 1):
            return
        time.sleep(0.05)
    raise StepFailed(f"The database was not ready within {READY_SECONDS} s.")


def _reachable(told: str) -> None:
    """Whether one of the databases answers that a setting names."""
    usual = os.environ.get("SORTIS_DB_PORT", "3306")
    places = [
        address(one if one.rpartition(":")[2].isdecimal() and ":" in one else f"{one}:{usual}")
        for one in told.split(",")
    ]
    reasons = []
    for place in places:
        try:
            socket.create_connection(place, 5).close()
            return
        except OSError as error:
            reasons.append(f"{place} does not answer ({error.strerror or error})")
    raise StepFailed(
        f"The database at {'; that at '.join(reasons)}. Start it, or unset SORTIS_DB_HOST to use "
        "the private one. Nothing was changed."
    )


@contextlib.contextmanager
def database(
    *, throwaway: bool = False, tended: list[Tended] | None = None
) -> Iterator[dict[str, str]]:
    """A running private instance; yields the environment that reaches it, ends it afterwards.

    :param throwaway: in a temporary folder that is removed again (tests).
    :param tended: takes it up, so that whoever tends these begins it again should it end.
    """
    if not throwaway and os.environ.get("SORTIS_DB_HOST"):
        say(f"  Using the database at {os.environ['SORTIS_DB_HOST']}.")
        if "SORTIS_SECRET_KEY" not in os.environ:
            raise StepFailed("With your own database, set SORTIS_SECRET_KEY as well.")
        _reachable(os.environ["SORTIS_DB_HOST"])
        yield paths()
        return
    if not throwaway:
        with private(VAR, tended=tended, wanted=wanted()) as env:
            yield env
        return
    folder = Path(tempfile.mkdtemp(prefix="sortis-test-"))
    try:
        with private(folder, lasting=False) as env:
            yield env
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def wanted(follow: str = "") -> Wanted | None:
    """What the settings say that the private database is to be for other machines.

    :param follow: where the one answers that it follows.
    :raises StepFailed: where a setting does not read.
    """
    listen = os.environ.get("SORTIS_DB_LISTEN", "")
    if not listen:
        return None
    wait = os.environ.get("SORTIS_STANDBY_WAIT", str(WAIT_SECONDS))
    if not wait.isdecimal() or not 0 < int(wait) <= LONGEST_WAIT_SECONDS:
        raise StepFailed(f"SORTIS_STANDBY_WAIT is seconds, 1 to {LONGEST_WAIT_SECONDS}.")
    return Wanted(address(listen), address(follow) if follow else None, int(wait))


@contextlib.contextmanager
def private(
    folder: Path,
    *,
    lasting: bool = True,
    tended: list[Tended] | None = None,
    wanted: Wanted | None = None,
) -> Iterator[dict[str, str]]:
    """A private instance on a folder; yields the environment that reaches it.

    :param lasting: whether what is written must survive a power cut.
    :param wanted: what it is to be for other machines; without, only this one reaches it.
    :raises StepFailed: where it does not start, or may not in that role.
    """
    if wanted and wanted.follow:
        require_copy(folder, wanted.follow)
    known = kept_secrets(folder)
    if lasting:
        require_role(folder, known["db_password"], wanted)
    follows = wanted is not None and wanted.follow is not None
    if wanted and wanted.follow:
        note_role(folder, STANDBY, [str(wanted.follow)])
    where = wanted.listen if wanted else Address("127.0.0.1", free_port())
    if wanted and not is_free(where):
        raise StepFailed(f"{where} is taken, or is no address of this machine (SORTIS_DB_LISTEN).")
    server = Part("database", lambda: _start(folder, where, lasting=lasting))
    if tended is not None:
        tended.append(server)
    watch: Watch | None = None
    try:
        _wait(server.process, where)
        if not follows:
            _grant(folder, known["db_password"], shared=wanted is not None)
            if lasting:
                # From now on it is written: where its copy once stood is no place to follow from.
                (folder / STOOD).unlink(missing_ok=True)
        if wanted and tended is not None:
            client = own(socket_of(folder), known["db_password"])
            if follows:
                follow(folder, client, known["db_password"], wanted)
            watch = Watch(folder, client, known["db_password"], wanted)
            tended.append(watch)
        yield paths() | {
            "SORTIS_DB_HOST": where.host,
            "SORTIS_DB_PORT": str(where.port),
            "SORTIS_DB_USER": WRITER,
            "SORTIS_DB_PASSWORD": known["db_password"],
            "SORTIS_DB_NAME": SCHEMA,
            "SORTIS_SECRET_KEY": known["secret_key"],
        }
    finally:
        if watch:
            watch.end()
        server.end()
        shutil.rmtree(socket_of(folder).parent, ignore_errors=True)


def _grant(folder: Path, password: str, *, shared: bool) -> None:
    """Make the database's users, once each."""
    wanted = {"granted": (GRANT, WRITER, SCHEMA)}
    if shared:
        follower = (FOLLOWER, follower_password(password))
        wanted["shared"] = (SHARE, WRITER, SCHEMA, *follower)
    for stamp, (does, *words) in wanted.items():
        if not (folder / stamp).exists():
            subprocess.run(
                [PYTHON, "-c", does, str(socket_of(folder)), password, *words],
                check=True,
                env=paths(),
            )
            (folder / stamp).touch()
