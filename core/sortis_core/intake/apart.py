"""Read one file in a process of its own, ``python -m sortis_core.intake.apart``, that may be ended.

The file comes in on standard input, the answer goes out as JSON: what was read, or the refusal.
"""

import io
import json
import resource
import signal
import sys
import zipfile
from collections.abc import Callable

from sortis_core.base import Record, SortisError
from sortis_core.intake.manifest.table import read_table
from sortis_core.intake.readout.read import read_bundle

READERS: dict[str, Callable[[bytes], Record]] = {"table": read_table, "bundle": read_bundle}
LIGHT_BYTES = 1_500_000
"""What unpacks to no more is read at once: it takes half a second and some 50 MB at worst."""
MOST_MEMORY = 400_000_000
MOST_SECONDS = 20
LARGEST_ANSWER = 25_000_000
TOO_MUCH, TOO_LONG = "memory", "seconds"


def is_heavy(data: bytes) -> bool:
    """Whether a file may cost more than what is read at once.

    Nothing is unpacked for that: a part never yields more than it says of itself.
    """
    if not data.startswith(b"PK"):
        return False
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return sum(part.file_size for part in archive.infolist()) > LIGHT_BYTES
    except (zipfile.BadZipFile, ValueError, OverflowError, NotImplementedError):
        return False


def main(reader: str, seconds: int, memory: int) -> int:
    """Read standard input under limits of processor time and memory.

    :returns: 0 with an answer on standard output.
    """
    resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    signal.signal(signal.SIGXCPU, _out_of_time)
    try:
        found = READERS[reader](sys.stdin.buffer.read())
        answer = json.dumps({"read": found.model_dump_json()})
        if len(answer) > LARGEST_ANSWER:
            answer = json.dumps({"over": TOO_MUCH})
    except SortisError as refusal:
        facts = {name: value for name, value in refusal.facts.items() if name == "lines"}
        answer = json.dumps(
            {"refused": type(refusal).__name__, "sentence": refusal.sentence, "facts": facts}
        )
    except MemoryError:
        answer = json.dumps({"over": TOO_MUCH})
    except _OutOfTime:
        answer = json.dumps({"over": TOO_LONG})
    sys.stdout.write(answer)
    return 0


class _OutOfTime(BaseException):
    """The processor time is used up; no reader takes it for a fault of the file."""


def _out_of_time(*_: object) -> None:
    raise _OutOfTime


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3])))
