"""Which Sortis runs on a data folder, proven before anything is done to it.

A lock is held while it runs; its record names the folder and the moment at which its process began,
so that neither a number that was given anew nor a copied folder is taken for it.
"""

import contextlib
import fcntl
import hashlib
import json
import os
import pwd
import socket
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from house.place import VAR, StepFailed

RECORD = VAR / "run.json"
LOCK = VAR / "run.lock"
MACHINE = Path("/etc/machine-id")
FIELDS = {"pid": int, "began": str, "folder": str, "address": str}
"""What a record holds at least."""
SECRET_KEY = "SORTIS_SECRET_KEY"
DATABASE = "database at"
"""How the address of a record begins where only a database runs."""
WORKERS = "workers on"
"""How it begins where only workers do."""


def began(pid: int) -> str:
    """The moment at which a process began, with the start of the machine; empty where none is."""
    with contextlib.suppress(OSError, IndexError):
        boot = Path("/proc/sys/kernel/random/boot_id").read_text().strip()
        ticks = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19]
        return f"{boot} {ticks}"
    return ""


def name() -> str:
    """Of this data folder on this machine; what its worker left behind is known by it.

    Machines that share a database of one's own may well share a name: the number that each was
    given when it was installed tells them apart.
    """
    number = MACHINE.read_text().strip() if MACHINE.exists() else ""
    one = f"{socket.gethostname()} {number} {VAR.resolve()}"
    digest = hashlib.sha256(one.encode()).hexdigest()
    return f"worker-{digest[:16]}"


def require_writable(folder: Path) -> None:
    """Refuse a data folder of somebody else's before anything of it is touched.

    :raises StepFailed: with whose it is and what to do.
    """
    there = folder if folder.exists() else folder.parent
    if os.access(there, os.W_OK | os.X_OK):
        return
    try:
        owner = pwd.getpwuid(there.stat().st_uid).pw_name
    except (KeyError, OSError):
        owner = "somebody else"
    raise StepFailed(
        f"{there} belongs to {owner} and cannot be written to. Run Sortis as {owner}, or set "
        "SORTIS_DATA to a folder of your own."
    )


@contextlib.contextmanager
def held() -> Iterator[None]:
    """Hold the data folder while Sortis runs on it.

    :raises StepFailed: where another one does, or the folder is not ours to write to.
    """
    require_writable(VAR)
    VAR.mkdir(parents=True, exist_ok=True)
    with LOCK.open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            address = (running() or {}).get("address")
            where = f"at {address}" if address else "on this folder, or is being started"
            raise StepFailed(
                f"Sortis is running already {where}. ./sortis stop ends it."
            ) from error
        RECORD.unlink(missing_ok=True)
        try:
            yield
        finally:
            RECORD.unlink(missing_ok=True)


def note(address: str, env: dict[str, str]) -> None:
    """Write down where this process answers, readable by its owner only.

    :param address: empty until it does; it can be stopped before.
    :param env: of its parts; what reaches its database is kept of it, with the key that signs.
    """
    reaches = {k: v for k, v in env.items() if k.startswith("SORTIS_DB") or k == SECRET_KEY}
    told = {
        "pid": os.getpid(),
        "began": began(os.getpid()),
        "folder": str(VAR.resolve()),
        "address": address,
        "env": reaches,
    }
    with os.fdopen(os.open(RECORD, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "w") as out:
        json.dump(told, out)


def reachable() -> dict[str, Any] | None:
    """As :func:`running`, once it answers.

    :raises StepFailed: while it is being started.
    """
    known = running()
    if known and not known["address"]:
        raise StepFailed("Sortis is being started. Try again in a moment.")
    return known


def running() -> dict[str, Any] | None:
    """The record of the Sortis that runs on this folder; None where none does."""
    try:
        told = json.loads(RECORD.read_text())
        with LOCK.open() as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
        return None  # Nobody holds it: the record is of one that ended without a word.
    except BlockingIOError:
        pass
    except (OSError, ValueError):
        return None
    whole = isinstance(told, dict) and all(isinstance(told.get(k), t) for k, t in FIELDS.items())
    if not whole or told["folder"] != str(VAR.resolve()):
        return None
    known: dict[str, Any] = told
    return known if known["began"] and began(known["pid"]) == known["began"] else None
