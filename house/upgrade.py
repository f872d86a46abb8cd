"""Bring the tables up to date: tried on a copy first, so that what cannot go on harms nothing."""

import json
import os
import subprocess
from pathlib import Path
from typing import NamedTuple

from house.backup import copy_of
from house.database import SCHEMA, private
from house.place import HOME, MANAGE, PYTHON, StepFailed, paths, say


def require_upgradable(folder: Path, env: dict[str, str]) -> None:
    """Try the changes of the tables that wait on a copy of the database.

    Nothing is done where none wait, where there are no tables yet, or where the database is one of
    your own, which is copied by its own tools.

    :param env: what reaches the database that runs on the folder.
    :raises StepFailed: where the tables are of a newer Sortis, or the copy could not be changed;
        then nothing of the database itself was.
    """
    tables_there = any((folder / "db" / SCHEMA).glob("django_migrations.*"))
    if os.environ.get("SORTIS_DB_HOST") or not tables_there:
        return
    tables = _tables(env)
    if tables.well:
        return
    if not tables.waits:
        raise StepFailed(f"{tables.words} Nothing was changed.")
    say("  This Sortis changes the tables; trying it on a copy of the database ...")
    with copy_of(folder) as copy, private(copy, lasting=False) as there:
        tried = _managed(there, "migrate")
    if tried.returncode:
        last = (tried.stderr.strip().splitlines() or ["no word"])[-1]
        raise StepFailed(
            f"The tables could not be brought up to date on a copy: {last}\nNothing was changed. "
            "Start the Sortis of before; it goes on with this database."
        )


def require_same_tables(env: dict[str, str]) -> None:
    """Refuse a database whose tables are not those of this Sortis; they are not touched.

    :raises StepFailed: with what to do.
    """
    tables = _tables(env)
    if tables.waits:
        raise StepFailed(
            f"Changes of the tables that wait: {tables.waits}. ./sortis serve of this version does "
            "them on another machine; start these workers after it."
        )
    if not tables.well:
        raise StepFailed(tables.words)


class _Tables(NamedTuple):
    well: bool
    waits: int
    words: str


def _tables(env: dict[str, str]) -> _Tables:
    """How the tables of a database stand to this Sortis.

    :raises StepFailed: where it cannot be asked.
    """
    said = _managed(env, "examine", "--tables")
    try:
        told = json.loads(said.stdout)
        return _Tables(bool(told["well"]), int(told["waits"]), str(told["words"]))
    except (ValueError, LookupError, TypeError) as error:
        last = (said.stderr.strip().splitlines() or ["no word"])[-1]
        raise StepFailed(f"The database cannot be asked: {last}") from error


def _managed(env: dict[str, str], *command: str) -> subprocess.CompletedProcess:
    return subprocess.run(
        [str(PYTHON), str(MANAGE), *command],
        env=paths() | env,
        cwd=HOME,
        capture_output=True,
        text=True,
        check=False,
    )
