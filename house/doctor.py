"""What is well with this Sortis and what is not, each in a sentence with what to do."""

import json
import os
import shutil
import subprocess
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from house import instance
from house.database import kept_secrets, socket_of
from house.pair import own, seen
from house.place import LOGS, MANAGE, PYTHON, VAR, WEB, StepFailed, paths
from house.setup import PROGRAMS, missing_packages

LEAST_FREE = 2_000_000_000
"""Bytes on the disk of the data folder below which it is told."""
PATIENCE_SECONDS = 5


class Told(NamedTuple):
    """One thing that was looked at."""

    well: bool
    words: str


def looked_at() -> Iterator[Told]:
    """Everything, from the machine inward; what cannot be reached is said and ends it."""
    yield from _machine()
    try:
        instance.require_writable(VAR)
    except StepFailed as refusal:
        yield Told(False, str(refusal))
        return
    yield from _disk()
    known = instance.running()
    if known is None:
        started = (VAR / "db").exists() or os.environ.get("SORTIS_DB_HOST")
        yield Told(True, f"Nothing runs on {VAR}. ./sortis serve starts it.")
        if not started:
            yield Told(True, "There is no database yet; the first start makes one.")
        return
    if not known["address"]:
        yield Told(False, "It is being started. Ask again in a moment.")
        return
    if known["address"].startswith(instance.DATABASE):
        yield Told(True, f"Only the {known['address']} runs here, for other machines.")
        yield from _pair()
        return
    if known["address"].startswith(instance.WORKERS):
        yield Told(True, f"Only {known['address']} run here, for other machines.")
    else:
        yield _answers(known["address"])
    yield from _pair()
    yield from _inside(known)


def _machine() -> Iterator[Told]:
    if missing := missing_packages(PROGRAMS):
        names = " ".join(missing)
        yield Told(False, f"Debian packages are missing: {names}. Install them, or start Sortis.")
    else:
        yield Told(True, "All Debian packages are there.")
    if not PYTHON.exists() or not (WEB / "dist" / "index.html").exists():
        yield Told(False, "It is not set up whole yet. The next start sets up what is missing.")


def _disk() -> Iterator[Told]:
    there = VAR if VAR.exists() else VAR.parent
    free = shutil.disk_usage(there).free
    said = f"{free / 1e9:,.1f} GB are free where {VAR} lies"
    if free < LEAST_FREE:
        yield Told(False, f"{said}. Make room: a full disk refuses every write.")
    else:
        yield Told(True, f"{said}.")


def _answers(address: str) -> Told:
    try:
        with urllib.request.urlopen(f"{address}/alive", timeout=PATIENCE_SECONDS) as answer:
            well = answer.status == 200
    except OSError as error:
        reason = getattr(error, "reason", error)
        return Told(
            False,
            f"{address} does not answer ({reason}). Look into {LOGS / 'server.log'} and "
            f"{LOGS / 'front.log'}; parts that ended are begun again by themselves.",
        )
    return Told(well, f"It answers at {address}." if well else f"{address} answers oddly.")


def _pair() -> Iterator[Told]:
    """What the private database is to another one."""
    if not _kept("db"):
        return
    try:
        client = own(socket_of(VAR), kept_secrets(VAR)["db_password"])
        found = seen(VAR, client)
    except StepFailed as failure:
        yield Told(False, str(failure))
        return
    if found:
        yield Told(*found)


def _inside(known: dict[str, Any]) -> Iterator[Told]:
    """What the application says of its database, its tasks and its clock."""
    env = paths() | known["env"]
    said = subprocess.run(
        [str(PYTHON), str(MANAGE), "examine"],
        env=env,
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    try:
        told = json.loads(said.stdout)
        yield from (Told(bool(one["well"]), str(one["words"])) for one in told)
    except (ValueError, TypeError, KeyError):
        last = (said.stderr.strip().splitlines() or ["no word"])[-1]
        yield Told(False, f"The database cannot be asked: {last} Look into {LOGS}/database.log.")


def _kept(name: str) -> bool:
    return Path(VAR, name).exists()
