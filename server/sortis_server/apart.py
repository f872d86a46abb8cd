"""Heavy files are read in a process of their own, which may be ended; light ones at once.

The application stays quick meanwhile, and its memory is its own again afterwards.
"""

import hashlib
import json
import os
import subprocess
import sys
from threading import Lock
from typing import TypeVar

from cachetools import LRUCache

from sortis_core.base import Record, SortisError
from sortis_core.intake import apart
from sortis_core.intake.manifest import ManifestRefused, Table, read_table
from sortis_core.intake.readout import BundleRefused, ReadOut, read_bundle

Read = TypeVar("Read", bound=Record)
REFUSALS: dict[str, type[SortisError]] = {
    kind.__name__: kind for kind in (ManifestRefused, BundleRefused)
}
KEPT_TABLES = 4
"""Of one list: it is looked at, judged and taken in, and reads the same each time."""
PATIENCE_SECONDS = 15
"""Beyond the processor time, on a machine that is busy."""
_tables: LRUCache[bytes, Table] = LRUCache(KEPT_TABLES)
_lock = Lock()


def table_of(data: bytes) -> Table:
    """A manifest or stock list as a table.

    :raises ManifestRefused: where it is none, or costs more to read than a list may.
    """
    if not apart.is_heavy(data):
        return read_table(data)
    digest = hashlib.sha256(data).digest()
    with _lock:
        known = _tables.get(digest)
    if known is None:
        known = _read("table", data, Table, ManifestRefused, "list")
        with _lock:
            _tables[digest] = known
    return known


def readout_of(data: bytes) -> ReadOut:
    """A probe bundle as a read-out.

    :raises BundleRefused: where it is none, or costs more to read than one may.
    """
    if not apart.is_heavy(data):
        return read_bundle(data)
    return _read("bundle", data, ReadOut, BundleRefused, "read-out")


def _read(
    reader: str, data: bytes, kind: type[Read], refused: type[SortisError], what: str
) -> Read:
    command = [sys.executable, "-m", "sortis_core.intake.apart", reader]
    limits = [str(apart.MOST_SECONDS), str(apart.MOST_MEMORY)]
    env = os.environ | {"PYTHONPATH": os.pathsep.join(path for path in sys.path if path)}
    try:
        done = subprocess.run(
            [*command, *limits],
            input=data,
            capture_output=True,
            timeout=apart.MOST_SECONDS + PATIENCE_SECONDS,
            env=env,
            check=False,
        )
        answer = json.loads(done.stdout) if done.stdout else {"over": apart.TOO_MUCH}
    except subprocess.TimeoutExpired:
        answer = {"over": apart.TOO_LONG}
    except ValueError:
        answer = {"over": apart.TOO_MUCH}
    if "read" in answer:
        return kind.model_validate_json(answer["read"])
    if "refused" in answer:
        raise REFUSALS[answer["refused"]](answer["sentence"], **answer["facts"])
    limit = (
        f"{apart.MOST_SECONDS} seconds"
        if answer["over"] == apart.TOO_LONG
        else f"{apart.MOST_MEMORY // 1_000_000} MB of memory"
    )
    raise refused(
        f"The file takes more than {limit} to read, far more than a {what} of this size does. "
        f"Nothing was kept. Export the {what} again, alone and without formats, or as CSV."
    )
