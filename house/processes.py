"""Start programs that end with us, and end them."""

import contextlib
import ctypes
import os
import signal
import subprocess
import time
from pathlib import Path

PATIENCE_SECONDS = 20
PR_SET_PDEATHSIG = 1


def die_with_parent() -> None:
    """Run in a child before its program: a session of its own, ended when we are gone."""
    os.setsid()
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


def end(process: subprocess.Popen) -> None:
    """End a program politely, then firmly; all of its children with it."""
    if process.poll() is None:
        process.terminate()
        try:
            process.wait(PATIENCE_SECONDS)
        except subprocess.TimeoutExpired:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()


def _is_over(pid: int) -> bool:
    """Whether it has ended and only waits for whoever started it to look."""
    with contextlib.suppress(OSError):
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    return True


def end_pid(pid: int) -> bool:
    """End a program of ours that another command started; True when it is gone."""
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGTERM)
        until = time.monotonic() + PATIENCE_SECONDS
        while time.monotonic() < until:
            os.kill(pid, 0)
            if _is_over(pid):
                return True
            time.sleep(0.1)
        return False
    return True
