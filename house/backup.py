"""A copy of everything, taken while people work, and the way back from it.

The database's own files, copied by its own tool and made whole. A copy is called a backup only
after a server has started on it and every table was counted; it is taken in only after the same.
"""

import contextlib
import gzip
import hashlib
import json
import os
import re
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import IO, Any

from house.database import CHANGES, SCHEMA, kept_secrets, private, socket_of
from house.pair import PLACE, ROLE, STOOD
from house.place import HOME, PYTHON, StepFailed, paths, say
from house.sealing import is_sealed, opened, require_words, sealed
from house.setup import program

FORMAT = 2
ABOUT = "backup.json"
LARGEST_ABOUT = 4_000_000
"""Bytes of what a backup says of itself."""
SECRETS = "secrets.json"
KEPT = ("db", SECRETS, "granted")
"""What of a data folder is data; the rest is made anew."""
LOOK = """
import json, os, sys, MySQLdb
import django; django.setup()
from django.db import connection
from django.db.migrations.loader import MigrationLoader
with connection.cursor() as cursor:
    tables = connection.introspection.table_names(cursor)
    counts = {}
    for table in tables:
        cursor.execute(f"SELECT COUNT(*) FROM `{table}`")
        counts[table] = cursor.fetchone()[0]
loader = MigrationLoader(connection)
strange = [".".join(one) for one in loader.applied_migrations if one not in loader.disk_migrations]
json.dump({"tables": counts, "strange": sorted(strange)}, sys.stdout)
"""
"""How many rows every table has, and which changes of the tables this version knows nothing of."""


def back_up(folder: Path, file: Path, words: str = "") -> dict[str, int]:
    """Copy what a data folder holds into a file; its database runs, and goes on.

    :param file: made with rights for its owner only, as it holds the keys.
    :param words: seal it with these; without, whoever has the file can read it.
    :returns: rows of every table.
    :raises StepFailed: where the file is there already, or the copy cannot be made or proven.
    """
    file = file.absolute()
    if words:
        require_words(words)
    if file.exists():
        raise StepFailed(f"{file} is there already. Name another file; nothing was written.")
    if not os.access(file.parent, os.W_OK | os.X_OK):
        raise StepFailed(f"{file.parent} is no folder that can be written to. Name another one.")
    # Worked out beside the data: where the file goes may be a stick that holds no database.
    with copy_of(folder) as copy, _whole(file) as out:
        stood = json.loads((copy / STOOD).read_text())
        (copy / STOOD).unlink()
        tables = _looked(copy)["tables"]
        files = {
            str(one.relative_to(copy)): _digest(one)
            for one in sorted(copy.rglob("*"))
            if one.is_file()
        }
        about = {
            "format": FORMAT,
            "made": datetime.now(UTC).isoformat(timespec="seconds"),
            "tables": tables,
            "files": files,
            "changes": stood,
        }
        (copy / ABOUT).write_text(json.dumps(about))
        with (
            sealed(out, words) if words else contextlib.nullcontext(out) as plain,
            gzip.GzipFile(fileobj=plain, mode="wb", compresslevel=1) as packed,
            tarfile.open(fileobj=packed, mode="w|") as tar,
        ):
            for name in (ABOUT, *files):
                tar.add(copy / name, name)
    return tables


@contextlib.contextmanager
def copy_of(folder: Path) -> Iterator[Path]:
    """A data folder of its own with what the running one holds at one moment; gone afterwards.

    Beside it stands where the log of changes was at that moment.

    :raises StepFailed: where the database cannot be copied.
    """
    with _cleared(folder) as work, _disk(folder):
        copy = work / "copy"
        copy.mkdir()
        stood = _copied(folder, copy / "db", work)
        (copy / STOOD).write_text(json.dumps(stood))
        shutil.copy2(folder / SECRETS, copy / SECRETS)
        (copy / "granted").touch()
        yield copy


@contextlib.contextmanager
def _whole(file: Path) -> Iterator[IO[bytes]]:
    """A file for its owner only that stands there once all of it is written, or not at all."""
    number, name = tempfile.mkstemp(prefix=".sortis-backup-", dir=file.parent)
    part = Path(name)
    try:
        with os.fdopen(number, "wb") as out:
            yield out
            out.flush()
            os.fsync(out.fileno())
        try:
            os.link(part, file)  # Never over another file.
        except OSError:
            # Not every disk knows links.
            if file.exists():
                raise
            part.rename(file)
    finally:
        part.unlink(missing_ok=True)


def restore(
    folder: Path, file: Path, words: str = "", until: datetime | None = None
) -> tuple[dict[str, Any], Path | None]:
    """Put what a backup holds in the place of what a data folder holds; nothing runs on it.

    :param words: what it was sealed with.
    :param until: carried on from the folder's own log of changes, up to before this moment.
    :returns: what the backup says of itself, and where that which stood there before lies now.
    :raises StepFailed: where the file is no whole backup, or one of a newer version.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with _cleared(folder) as work, _disk(folder):
        copy = work / "copy"
        copy.mkdir()
        about = _unpacked(file, copy, words)
        found = _looked(copy)
        if found["strange"]:
            raise StepFailed(
                f"{file} comes from a newer Sortis, which changed the tables in ways that this one "
                f"does not know ({', '.join(found['strange'][:3])}). Bring Sortis up to date, then "
                "restore. Nothing was changed."
            )
        if found["tables"] != about["tables"]:
            wrong = sorted(set(found["tables"].items()) ^ set(about["tables"].items()))
            raise StepFailed(
                f"{file} does not hold the rows that it says ({wrong[0][0]}). Nothing was changed."
            )
        if until:
            _carried_on(folder, copy, about, until, work)
        former = None
        if any((folder / name).exists() for name in KEPT):
            former = folder / f"before-{datetime.now(UTC):%Y%m%d-%H%M%S}"
            former.mkdir(mode=0o700)
            for name in KEPT:
                if (folder / name).exists():
                    (folder / name).rename(former / name)
        for name in KEPT:
            (copy / name).rename(folder / name)
        _noted_where(folder, about, carried_on=until is not None)
    return about, former


def _noted_where(folder: Path, about: dict[str, Any], *, carried_on: bool) -> None:
    """What came from elsewhere has no role yet; from where it could follow that one is kept."""
    for stale in (ROLE, STOOD, "shared"):
        (folder / stale).unlink(missing_ok=True)
    if not carried_on:
        (folder / STOOD).write_text(json.dumps(about.get("changes") or []))


@contextlib.contextmanager
def _cleared(beside: Path) -> Iterator[Path]:
    """A folder to work in on the same disk, gone afterwards."""
    work = Path(tempfile.mkdtemp(prefix=".sortis-backup-", dir=beside))
    try:
        yield work
    finally:
        shutil.rmtree(work, ignore_errors=True)


@contextlib.contextmanager
def _disk(beside: Path) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        where = error.filename or beside
        raise StepFailed(f"{where}: {error.strerror or error}. Nothing was changed.") from error


def _copied(folder: Path, to: Path, work: Path) -> list[Any]:
    """Copy the database; the name and place of its log of changes at that moment, if it has one."""
    tool = program("mariadb-backup")
    if tool is None:
        raise StepFailed("mariadb-backup is missing. Install the Debian package of that name.")
    reached = _reached(folder, work)
    for words in (
        [f"--defaults-file={reached}", "--backup", f"--datadir={folder / 'db'}"],
        ["--no-defaults", "--prepare"],
    ):
        made = subprocess.run(
            [tool, *words, f"--target-dir={to}", f"--tmpdir={work}"],
            capture_output=True,
            text=True,
            errors="replace",
            stdin=subprocess.DEVNULL,
            check=False,
        )
        if made.returncode:
            last = "\n".join(made.stderr.strip().splitlines()[-4:])
            raise StepFailed(f"The database could not be copied. Its tool says:\n{last}")
    stood: list[Any] = []
    for told in to.glob("*_binlog_info"):
        log, place, *known = told.read_text().split()
        stood = [log, int(place), _began(folder / "db" / log), *known[:1]]
    for leftover in (*to.glob("xtrabackup_*"), *to.glob("backup-my.cnf")):
        leftover.unlink()
    return stood


def _began(log: Path) -> int:
    """When a log of changes was begun, as it says itself: no other of its name is that one."""
    with log.open("rb") as data:
        return int.from_bytes(data.read(8)[4:], "little")


def _reached(folder: Path, work: Path) -> Path:
    """How the owner of a folder's database reaches it, for programs; never on a command line."""
    known = kept_secrets(folder)
    file = Path(tempfile.mkstemp(suffix=".cnf", dir=work)[1])
    file.write_text(
        f"[client]\nuser=root\npassword={known['db_password']}\nsocket={socket_of(folder)}\n"
    )
    return file


def _carried_on(
    folder: Path, copy: Path, about: dict[str, Any], until: datetime, work: Path
) -> None:
    """Do on a copy what the folder's own log says was done since, up to before a moment."""
    made = datetime.fromisoformat(about["made"])
    if until < made:
        raise StepFailed(
            f"The backup is of {made:%Y-%m-%d %H:%M:%S} UTC, which is later than that moment. Take "
            "an earlier one. Nothing was changed."
        )
    stood = about.get("changes") or ["", 0, 0]
    logs = [
        one
        for one in sorted((folder / "db").glob(f"{CHANGES}.[0-9]*"))
        if stood[0] and one.name >= stood[0]
    ]
    # After a restore the names begin anew: the same name may be another log.
    if not logs or logs[0].name != stood[0] or _began(logs[0]) != stood[2]:
        raise StepFailed(
            f"The log of changes in {folder / 'db'} does not go back to this backup, so that only "
            "the backup itself can be restored. Nothing was changed."
        )
    reader, writer = program("mariadb-binlog"), program("mariadb")
    if reader is None or writer is None:
        raise StepFailed("mariadb-binlog is missing. Install the Debian package mariadb-client.")
    stop = until.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S")
    with private(copy, lasting=False):
        asked = [reader, "--no-defaults", f"--start-position={stood[1]}"]
        with subprocess.Popen(
            [*asked, f"--stop-datetime={stop}", *logs],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            env=os.environ | {"TZ": "UTC"},
        ) as reading:
            done = subprocess.run(
                [writer, f"--defaults-file={_reached(copy, work)}"],
                stdin=reading.stdout,
                capture_output=True,
                check=False,
            )
            assert reading.stderr
            said = reading.stderr.read() + done.stderr
        if reading.returncode or done.returncode:
            last = said.decode(errors="replace").strip().splitlines()[-1:]
            raise StepFailed(
                f"The log of changes cannot be followed to that moment: {' '.join(last)} Nothing "
                "was changed."
            )


def _looked(copy: Path) -> dict[str, Any]:
    """What a server that starts on a copy finds there."""
    with private(copy, lasting=False) as env:
        told = subprocess.run(
            [PYTHON, "-c", LOOK],
            env=paths() | env,
            cwd=HOME,
            capture_output=True,
            text=True,
            check=False,
        )
    if told.returncode:
        last = "\n".join(told.stderr.strip().splitlines()[-3:])
        raise StepFailed(f"The copy does not hold a database of Sortis ({SCHEMA}): {last}")
    found: dict[str, Any] = json.loads(told.stdout)
    return found


def _digest(file: Path) -> str:
    with file.open("rb") as data:
        return hashlib.file_digest(data, "sha256").hexdigest()


def _unpacked(file: Path, copy: Path, words: str) -> dict[str, Any]:
    """Every file that a backup names, with the sum that it names; nothing else is written."""
    if is_sealed(file) and not words:
        raise StepFailed(f"{file} is sealed. Give the words that it was sealed with.")
    try:
        with (
            opened(file, words) if is_sealed(file) else file.open("rb") as data,
            tarfile.open(fileobj=data, mode="r|gz") as tar,
        ):
            first = tar.next()
            about = _about(file, tar, first)
            waiting = dict(about["files"])
            while (member := tar.next()) is not None:
                digest = waiting.pop(member.name, None)
                found = tar.extractfile(member) if member.isreg() else None
                if digest is None or found is None:
                    raise StepFailed(f"{file} holds {member.name!r}, which it does not name.")
                _written(file, found, copy / member.name, digest)
    except (tarfile.TarError, EOFError, OSError, ValueError) as error:
        if isinstance(error, OSError) and error.errno is not None:
            raise
        raise StepFailed(f"{file} is no backup of Sortis, or is cut off ({error}).") from error
    if waiting:
        raise StepFailed(f"{file} is cut off: {len(waiting)} of its files are missing.")
    return about


def _about(file: Path, tar: tarfile.TarFile, first: tarfile.TarInfo | None) -> dict[str, Any]:
    named = first is not None and first.name == ABOUT and first.size <= LARGEST_ABOUT
    data = tar.extractfile(first) if first is not None and named and first.isreg() else None
    about = json.loads(data.read()) if data else None
    if not isinstance(about, dict) or not isinstance(about.get("format"), int):
        raise StepFailed(f"{file} is no backup of Sortis.")
    if about["format"] > FORMAT:
        raise StepFailed(
            f"{file} was written by a newer Sortis. Bring Sortis up to date, then restore."
        )
    whole = (
        isinstance(about.get("made"), str)
        and _all(about.get("tables"), int)
        and _all(about.get("files"), str)
        and all(_inside(name) for name in about["files"])
        and SECRETS in about["files"]
        and _is_place(about.get("changes", []))
    )
    if not whole:
        raise StepFailed(f"{file} does not say what it holds, so it is not taken in.")
    return about


def _all(named: object, kind: type) -> bool:
    return isinstance(named, dict) and all(isinstance(one, kind) for one in named.values())


def _is_place(stood: object) -> bool:
    """Whether this is a place in a log of changes, or none."""
    if stood == []:
        return True
    if not isinstance(stood, list) or len(stood) not in (3, 4) or not isinstance(stood[0], str):
        return False
    whole = type(stood[1]) is int and type(stood[2]) is int
    known = all(isinstance(one, str) and PLACE.fullmatch(one) for one in stood[3:])
    return whole and known and bool(re.fullmatch(rf"{CHANGES}\.\d{{6,}}", stood[0]))


def _inside(name: str) -> bool:
    """Whether a name is that of a file which a data folder has, and leads nowhere else."""
    path = PurePosixPath(name)
    plain = not path.is_absolute() and ".." not in path.parts and str(path) == name
    return plain and path.parts[0] in KEPT


def _written(file: Path, data: IO[bytes], to: Path, digest: str) -> None:
    to.parent.mkdir(parents=True, exist_ok=True)
    found = hashlib.sha256()
    with os.fdopen(os.open(to, os.O_CREAT | os.O_WRONLY | os.O_EXCL, 0o600), "wb") as out:
        while piece := data.read(1 << 20):
            found.update(piece)
            out.write(piece)
    if found.hexdigest() != digest:
        raise StepFailed(f"{file} is damaged: {to.name} is not what was backed up.")


def tell(tables: dict[str, int], file: Path, *, closed: bool = False) -> None:
    """Say what a backup holds."""
    size = file.stat().st_size / 1e6
    rows = sum(tables.values())
    say(
        f"{file}: {rows:,} rows in {len(tables)} tables, {size:,.1f} MB; started on it and counted."
    )
    if closed:
        say("It is sealed. Without its words nobody opens it, not even we: keep them elsewhere.")
        return
    say("It holds every password's hash and the signing key: keep it where nobody else reads.")
