"""Where things are, how progress is said, how programs are run."""

import os
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

HOME = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("SORTIS_DATA", HOME / "var"))
VENV = HOME / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = HOME / "web"
LOGS = VAR / "log"
MANAGE = HOME / "server" / "manage.py"


class StepFailed(Exception):
    """A step of set-up or starting failed; the text says which, why and what to do."""


def say(words: str) -> None:
    """One line of progress."""
    print(words, flush=True)


def paths() -> dict[str, str]:
    """The environment every program of the application runs in."""
    search = os.pathsep.join([str(HOME / "core"), str(HOME / "server"), str(HOME)])
    return {
        **os.environ,
        "PATH": f"{VENV / 'bin'}{os.pathsep}{os.environ.get('PATH', '')}",
        "PYTHONPATH": search,
        "PYTHONDONTWRITEBYTECODE": "1",
        "DJANGO_SETTINGS_MODULE": "sortis_server.settings",
    }


def run_step(
    step: str, command: Sequence[str], *, cwd: Path = HOME, env: dict | None = None
) -> None:
    """Run one step of set-up, its output kept in a log.

    :raises StepFailed: with the last lines of the log.
    """
    LOGS.mkdir(parents=True, exist_ok=True)
    log = LOGS / "setup.log"
    began = time.monotonic()
    print(f"  {step} ...", end=" ", flush=True)
    with log.open("ab") as out:
        out.write(f"\n== {' '.join(map(str, command))}\n".encode())
        start = out.tell()
        try:
            code = subprocess.run(
                list(map(str, command)),
                cwd=cwd,
                env=env or paths(),
                stdout=out,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                check=False,
            ).returncode
        except OSError as error:
            print("failed")
            raise StepFailed(f"{step} failed: {command[0]}: {error.strerror}.") from error
    if code:
        print("failed")
        with log.open("rb") as written:
            written.seek(start)
            tail = written.read().decode(errors="replace").strip().splitlines()[-12:]
        raise StepFailed(f"{step} failed (status {code}). The end of {log}:\n" + "\n".join(tail))
    print(f"{time.monotonic() - began:.0f} s")


def run_command(command: Sequence[str], *, env: dict | None = None, cwd: Path = HOME) -> int:
    """Run a program with its output on the screen; its status."""
    sys.stdout.flush()
    return subprocess.run(
        list(map(str, command)), cwd=cwd, env=env or paths(), check=False
    ).returncode
