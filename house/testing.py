"""Run the tests, each run on a database of its own that is thrown away afterwards."""

import subprocess
from collections.abc import Sequence

from house.database import database
from house.place import HOME, LOGS, MANAGE, PYTHON, run_command, say
from house.processes import die_with_parent, end

HALVES = (("tests.browser",), ("tests.core", "tests.house", "tests.server"))
"""All tests, in two parts of about the same length that run side by side."""


def _django(names: Sequence[str], env: dict[str, str]) -> tuple[list[str], dict[str, str]]:
    command = [PYTHON, MANAGE, "test", "--noinput", "--top-level-directory", HOME, *names]
    settings = {"DJANGO_ALLOW_ASYNC_UNSAFE": "1", "DJANGO_SETTINGS_MODULE": "tests.settings"}
    return list(map(str, command)), env | settings


def some_tests(names: Sequence[str]) -> int:
    """Run the tests of these dotted names; the status."""
    with database(throwaway=True) as env:
        command, settings = _django(names, env)
        return run_command(command, env=settings)


def all_tests() -> int:
    """One half on the screen, the other beside it and shown once it has ended; the status."""
    here, beside = HALVES
    log = LOGS / "tests.log"
    LOGS.mkdir(parents=True, exist_ok=True)
    say(f"  Beside these run {', '.join(beside)}; what they say comes at the end.")
    with database(throwaway=True) as env, log.open("wb") as out:
        command, settings = _django(beside, env)
        process = subprocess.Popen(
            command,
            cwd=HOME,
            env=settings,
            stdout=out,
            stderr=subprocess.STDOUT,
            preexec_fn=die_with_parent,
        )
        try:
            code = some_tests(here)
            code = process.wait() or code
        finally:
            end(process)
    say(f"\n{', '.join(beside)}:\n{log.read_text(errors='replace')}")
    return code
