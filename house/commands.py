"""What ./sortis can do."""

import argparse
import contextlib
import getpass
import json
import os
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path

from house import instance
from house.backup import back_up, tell
from house.backup import restore as put_back
from house.database import database, free_port, is_free, kept_secrets, private, socket_of, wanted
from house.doctor import looked_at
from house.front import front_command
from house.instance import held
from house.logs import Logs
from house.pair import Address, own
from house.pair import promote as take_its_place
from house.parts import Part, Tended
from house.place import (
    HOME,
    LOGS,
    MANAGE,
    PYTHON,
    VAR,
    VENV,
    WEB,
    StepFailed,
    paths,
    run_command,
    run_step,
    say,
)
from house.processes import die_with_parent, end_pid
from house.sealing import is_sealed
from house.setup import set_up
from house.testing import all_tests, some_tests
from house.upgrade import require_same_tables, require_upgradable

USUAL_PORT = 8040
MOST_WORKERS = 16
KEPT = "Everything is kept; the next start goes on from here."
ANSWER_SECONDS = 20
"""More than a standby is usually waited for, so that it is not taken for a machine that is gone."""
SHARED = Path("/dev/shm")
"""Where workers tell that they live; not every machine has it."""
TYPES = WEB / "src" / "api" / "schema.ts"
WORDS = WEB / "src" / "api" / "vocabulary.ts"
LICENCES = HOME / "docs" / "licences.md"
RIGHTS = HOME / "docs" / "rights.md"
OFFLINE = {"SORTIS_SECRET_KEY": "for commands that reach no database"}


class _Ended(Exception):
    """Ctrl-C, or ./sortis stop."""


def _end_on_signal(*_: object) -> None:
    raise _Ended


@contextlib.contextmanager
def running(
    env: dict[str, str], port: int, devices: dict[str, list] | None = None
) -> Iterator[list[Part]]:
    """Application server, its front and workers, and simulated devices where there are any."""
    inner = free_port()
    stream = free_port(inner + 1)
    # Those before the front of ours, as somebody set them, and that one.
    env = env | {"PROMETHEUS_MULTIPROC_DIR": str(_emptied(VAR / "metrics"))}
    env = env | {"SORTIS_SHELF": str(_emptied(VAR / "shelf"))}
    env = env | {"SORTIS_DB_ANSWER_SECONDS": str(ANSWER_SECONDS)}
    env = env | {"SORTIS_HOPS": str(int(os.environ.get("SORTIS_PROXIES", "0")) + 1)}
    commands = {
        "server": [
            VENV / "bin" / "gunicorn",
            "sortis_server.wsgi",
            "--bind",
            f"127.0.0.1:{inner}",
            "--preload",
            "--workers",
            "2",
            "--threads",
            "4",
            "--graceful-timeout",
            "3",
            "--worker-tmp-dir",
            SHARED if SHARED.is_dir() else tempfile.gettempdir(),
            "--no-control-socket",
        ],
        "stream": [
            VENV / "bin" / "uvicorn",
            "sortis_server.live.asgi:application",
            "--port",
            stream,
            "--lifespan",
            "off",
            "--no-access-log",
            "--log-level",
            "warning",
            "--timeout-graceful-shutdown",
            "2",
        ],
        "front": front_command(VAR / "front", port, inner, stream, also=_listen()),
        **_workers(least=0),
        **(devices or {}),
    }
    with _parts(commands, env) as began:
        yield began


def _workers(*, least: int) -> dict[str, list]:
    """Commands of the workers of this machine, as many as the setting says, each with a name.

    :raises StepFailed: where the setting is no such number.
    """
    asked = os.environ.get("SORTIS_WORKERS", "1")
    if not asked.isdecimal() or not least <= int(asked) <= MOST_WORKERS:
        raise StepFailed(f"SORTIS_WORKERS is how many, {least} to {MOST_WORKERS}.")
    name = instance.name()
    named = [("worker", name), *((f"worker-{n}", f"{name}-{n}") for n in range(2, int(asked) + 1))]
    lead = [PYTHON, MANAGE, "work", "--interval", "0.5", "--no-startup-delay", "--worker-id"]
    return {part: [*lead, one] for part, one in named[: int(asked)]}


@contextlib.contextmanager
def _parts(commands: dict[str, list], env: dict[str, str]) -> Iterator[list[Part]]:
    """These programs, begun in this order and ended in the other one."""
    began: list[Part] = []
    LOGS.mkdir(parents=True, exist_ok=True)
    try:
        for name, command in commands.items():
            began.append(Part(name, partial(_begin, name, command, env)))
        yield began
    finally:
        for part in reversed(began):
            part.end()


def _emptied(folder: Path) -> Path:
    """A folder of ours alone with nothing in it: what an earlier run left there is over."""
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700, parents=True)
    return folder


def _begin(name: str, command: list, env: dict[str, str]) -> subprocess.Popen:
    with (LOGS / f"{name}.log").open("ab") as log:
        return subprocess.Popen(
            list(map(str, command)),
            env=env,
            cwd=HOME,
            stdout=log,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            preexec_fn=die_with_parent,
        )


def _devices() -> tuple[dict[str, list], dict[str, str]]:
    """Commands of the simulated devices and services, and where they answer."""
    printer = free_port(USUAL_PORT + 1)
    probe = free_port(printer + 1)
    supplier = free_port(probe + 1)
    eraser = free_port(supplier + 1)
    market = free_port(eraser + 1)
    return (
        {
            "printer": [PYTHON, "-m", "standins.printer", printer, VAR / "printed"],
            "probe": [PYTHON, "-m", "standins.bench", probe],
            "supplier": [PYTHON, "-m", "standins.supplier", supplier],
            "eraser": [PYTHON, "-m", "standins.eraser", eraser],
            "market": [PYTHON, "-m", "standins.market", market],
        },
        {
            "SORTIS_PRINTER_URL": f"http://127.0.0.1:{printer}",
            "SORTIS_SUPPLIER_URL": f"http://127.0.0.1:{supplier}",
            "SORTIS_PROBE_URL": f"http://127.0.0.1:{probe}",
            "SORTIS_ERASER_URL": f"http://127.0.0.1:{eraser}",
            "SORTIS_MARKET_URL": f"http://127.0.0.1:{market}",
        },
    )


def wait_for(address: str, began: list[Part]) -> None:
    """Wait until the application answers.

    :raises StepFailed: where a part of it does not start, which trying again would not mend.
    """
    for _ in range(300):
        for part in began:
            if part.is_over():
                raise StepFailed(f"The {part.name} did not start; see {LOGS / part.name}.log.")
        with contextlib.suppress(OSError), urllib.request.urlopen(f"{address}/alive", timeout=2):
            return
        time.sleep(0.1)
    raise StepFailed(f"The application did not answer at {address}; see the logs in {LOGS}.")


def _run(*, demo: bool, reset: bool = False) -> int:
    tended: list[Tended] = []
    with _until_ended(KEPT), database(tended=tended) as env:
        require_upgradable(VAR, env)
        if demo:
            again = ["--again"] if reset else []
            words = "Bringing the database and the demo workshop up to date"
            run_step(words, [PYTHON, "-m", "demo.load", *again], env=env)
        else:
            words = "Bringing the database up to date"
            run_step(words, [PYTHON, MANAGE, "migrate"], env=env)
            env |= _start_key(env)
        _answer(_port(), env, tended, demo=demo)
    return 0


@contextlib.contextmanager
def _until_ended(last: str, *, building: bool = True) -> Iterator[None]:
    """Hold the folder and set up what is missing; what follows runs until somebody ends it.

    :param last: said then.
    """
    signal.signal(signal.SIGTERM, _end_on_signal)
    signal.signal(signal.SIGINT, _end_on_signal)
    try:
        with held():
            instance.note("", {})
            say("Setting up")
            set_up(testing=False, building=building)
            yield
    except _Ended:
        say(f"\nStopped. {last}")


def database_alone(given: argparse.Namespace) -> int:
    """Run the private database for other machines, or have it follow another, until Ctrl-C."""
    _require_private()
    asked = wanted(given.follow or "")
    if asked is None:
        raise StepFailed(
            "Set SORTIS_DB_LISTEN to the address and port of this machine at which others reach "
            "its database, like 10.0.0.5:3306."
        )
    tended: list[Tended] = []
    running_here = private(VAR, tended=tended, wanted=asked)
    with _until_ended(KEPT, building=False), running_here as env:
        instance.note(f"{instance.DATABASE} {asked.listen}", env)
        say(f"\nThe database answers at {asked.listen}.")
        say(
            "Other machines start with SORTIS_DB_HOST and, from "
            f"{VAR / 'secrets.json'}, SORTIS_DB_PASSWORD and SORTIS_SECRET_KEY."
        )
        _tend(tended, [LOGS])
    return 0


def work(given: argparse.Namespace) -> int:
    """Run workers alone, for applications on other machines, until Ctrl-C."""
    if not os.environ.get("SORTIS_DB_HOST"):
        raise StepFailed(
            "Workers of a machine of their own take what waits in a database that applications "
            "share. Set SORTIS_DB_HOST, SORTIS_DB_PASSWORD and SORTIS_SECRET_KEY as there."
        )
    workers = _workers(least=1)
    others = "What they had begun goes on with others, or with the next start."
    with _until_ended(others, building=False), database() as env:
        require_same_tables(env)
        env |= {"SORTIS_DB_ANSWER_SECONDS": str(ANSWER_SECONDS)}
        with _parts(workers, env) as began:
            instance.note(f"{instance.WORKERS} {os.environ['SORTIS_DB_HOST']}", env)
            say(f"\nWorkers: {len(began)}. Ctrl-C stops them.")
            _tend(began, [LOGS])
    return 0


def _tend(parts: Sequence[Tended], logs: list[Path]) -> None:
    """Begin again what ends by itself, until somebody ends it all."""
    kept = Logs(logs)
    while True:
        kept.tend()
        for part in parts:
            part.tend()
        time.sleep(0.3)


def promote(given: argparse.Namespace) -> int:
    """Make the standby that runs here the database that is written."""
    _require_private()
    if instance.running() is None:
        raise StepFailed(
            f"No standby runs on {VAR}. Start it by ./sortis database --follow, then promote it."
        )
    password = kept_secrets(VAR)["db_password"]
    say(take_its_place(VAR, own(socket_of(VAR), password), password))
    say("This database is written now. Applications that name both go on with it by themselves.")
    return 0


def _port() -> int:
    """Where to answer: the port that was asked for, or the usual one, or else a free one.

    :raises StepFailed: where the port that was asked for is taken.
    """
    asked = os.environ.get("SORTIS_PORT")
    wanted = int(asked) if asked and asked.isdigit() else USUAL_PORT
    port = free_port(wanted)
    if (also := _listen()) and not is_free(Address(also, port)):
        raise StepFailed(
            f"{also}:{port} is taken, or {also} is no address of this machine (SORTIS_LISTEN)."
        )
    if port != wanted and asked:
        raise StepFailed(
            f"Port {asked} is taken by another program. End that one, or set SORTIS_PORT to "
            "another port."
        )
    if port != wanted:
        say(f"  Port {wanted} is taken by another program; Sortis answers at {port}.")
    return port


def _listen() -> str:
    """Where it answers besides loopback: a proxy of yours on another machine."""
    return os.environ.get("SORTIS_LISTEN", "")


def _answer(port: int, env: dict[str, str], tended: list[Tended], *, demo: bool) -> None:
    """Run the application until somebody ends it, and begin again what ends by itself."""
    address = f"http://127.0.0.1:{port}"
    devices: dict[str, list] = {}
    if demo:
        devices, addresses = _devices()
        env |= addresses
    with running(env, port, devices) as began:
        wait_for(address, began)
        instance.note(address, env)
        _greet(address, env, demo=demo)
        _tend([*tended, *began], [LOGS, VAR / "front" / "run"])


def _start_key(env: dict[str, str]) -> dict[str, str]:
    """A link for the first start, where nobody can sign in yet; it works once."""
    told = subprocess.run(
        [PYTHON, MANAGE, "start_key"],
        env=paths() | env,
        cwd=HOME,
        capture_output=True,
        text=True,
        check=False,
    )
    if told.stdout.strip() != "open":
        return {}
    return {"SORTIS_START_KEY": secrets.token_urlsafe(18)}


def _greet(address: str, env: dict[str, str], *, demo: bool) -> None:
    say(f"\nSortis runs at {address}")
    if demo:
        say(f"The simulated label printer shows what it printed at {env['SORTIS_PRINTER_URL']}")
        people = json.loads((HOME / "demo" / "people.json").read_text())
        say(f"\nDemo log-ins, all with the password {people['password']}:")
        for person in people["people"]:
            say(f"  {person['username']:<8} {person['name']:<18} {', '.join(person['roles'])}")
    if key := env.get("SORTIS_START_KEY"):
        say("\nNobody can sign in yet. Set the workshop up here; the link works once:")
        say(f"  {address}/start?key={key}")
    say("\nCtrl-C stops it.")


def demo(given: argparse.Namespace) -> int:
    """Set up, load the demo workshop, run until Ctrl-C."""
    return _run(demo=True, reset=given.reset)


def serve(given: argparse.Namespace) -> int:
    """Run with settings from the environment (docs/running.md)."""
    return _run(demo=False)


def stop(given: argparse.Namespace) -> int:
    """End a running application from another terminal."""
    known = instance.running()
    if known is None:
        say("Sortis is not running.")
        return 0
    if end_pid(known["pid"]):
        say("Stopped.")
        return 0
    say("It does not end; look at its terminal.")
    return 1


def test(given: argparse.Namespace) -> int:
    """Run all tests, or those named; those of the interface's headless parts come first."""
    set_up(testing=True)
    if given.tests:
        return some_tests(given.tests)
    if run_command([VENV / "bin" / "npm", "test", "--silent"], cwd=WEB, env=paths()):
        return 1
    return all_tests()


def _generate_types(target: Path, words: Path) -> int:
    env = paths() | OFFLINE
    document = VAR / "openapi.json"
    VAR.mkdir(exist_ok=True)
    if code := run_command([PYTHON, "-m", "sortis_server.openapi", document, words], env=env):
        return code
    return run_command(
        [
            VENV / "bin" / "npm",
            "run",
            "--silent",
            "types",
            "--",
            document,
            "-o",
            target,
            "--silent",
        ],
        cwd=WEB,
        env=env,
    )


def types(given: argparse.Namespace) -> int:
    """Write the interface's types and constants anew from the API and the core."""
    set_up(testing=True, building=False)
    return _generate_types(TYPES, WORDS)


def licences(given: argparse.Namespace) -> int:
    """Write docs/licences.md anew from what the packages say of themselves."""
    set_up(testing=True, building=False)
    return run_command([PYTHON, "-m", "house.licences", LICENCES])


def _write_rights(target: Path) -> int:
    env = paths() | OFFLINE
    return run_command([PYTHON, "-m", "sortis_server.rights_page", target], env=env)


def rights(given: argparse.Namespace) -> int:
    """Write docs/rights.md anew from the API."""
    set_up(testing=True, building=False)
    return _write_rights(RIGHTS)


def check(given: argparse.Namespace) -> int:
    """Style, types, import contracts, missing migrations, lint, words, stale generated files."""
    set_up(testing=True, building=False)
    env = paths() | OFFLINE
    tools = VENV / "bin"
    checks = {
        "ruff": [tools / "ruff", "check", "."],
        "ruff format": [tools / "ruff", "format", "--check", "--quiet", "."],
        "mypy, core strict": [tools / "mypy"],
        "import contract": [tools / "lint-imports"],
        "migrations": [PYTHON, MANAGE, "makemigrations", "--check", "--dry-run"],
    }
    failed = []
    for name, command in checks.items():
        say(f"== {name}")
        if run_command(command, env=env):
            failed.append(name)
    of_the_interface = {
        "tsc, strict": "check",
        "lint of the interface": "lint",
        "words of the job in the interface": "words",
    }
    for name, script in of_the_interface.items():
        say(f"== {name}")
        if run_command([tools / "npm", "run", "--silent", script], cwd=WEB, env=env):
            failed.append(name)
    say("== generated types")
    fresh, words = VAR / "schema.ts", VAR / "vocabulary.ts"
    stale = _generate_types(fresh, words) or fresh.read_bytes() != TYPES.read_bytes()
    if stale or words.read_bytes() != WORDS.read_bytes():
        say("The interface's types are not those of the API. ./sortis types writes them anew.")
        failed.append("generated types")
    say("== licences")
    listed = VAR / "licences.md"
    told = run_command([PYTHON, "-m", "house.licences", listed])
    if told or listed.read_bytes() != LICENCES.read_bytes():
        say("docs/licences.md is not what the packages say. ./sortis licences writes it anew.")
        failed.append("licences")
    say("== rights")
    listed = VAR / "rights.md"
    if _write_rights(listed) or listed.read_bytes() != RIGHTS.read_bytes():
        say("docs/rights.md is not what the API says. ./sortis rights writes it anew.")
        failed.append("rights")
    say(f"check: {'failed: ' + ', '.join(failed) if failed else 'all passed'}")
    return 1 if failed else 0


def bench(given: argparse.Namespace) -> int:
    """Run benchmarks; status 1 when a target is missed."""
    set_up(testing=True)
    names = given.names or sorted(f.stem for f in (HOME / "bench").glob("[!_]*.py"))
    codes = [run_command([PYTHON, "-m", f"bench.{name}"]) for name in names]
    return 1 if any(codes) else 0


def core(given: argparse.Namespace) -> int:
    """Run the core without a server."""
    set_up_python()
    return run_command([PYTHON, "-m", "sortis_core", *given.arguments], cwd=Path.cwd())


def set_up_python() -> None:
    """The Python environment alone, for commands that need nothing else."""
    if not PYTHON.exists():
        set_up(testing=False)


def _managed(*command: str) -> int:
    """A command of the server on the running database, or on one started for it."""
    set_up_python()
    words = [PYTHON, MANAGE, *command]
    known = instance.reachable()
    if known:
        return run_command(words, env=paths() | known["env"])
    with held(), database() as env:
        return run_command(words, env=env)


def export_case(given: argparse.Namespace) -> int:
    """Print the case of a batch as JSON."""
    return _managed("export_case", given.batch)


def workshop(given: argparse.Namespace) -> int:
    """Take the furnishing of the workshop out as a file, or in from one."""
    trial = ["--trial"] if given.trial else []
    file = given.file if given.file == "starter" else str(Path(given.file).absolute())
    return _managed("workshop_file", given.what, file, *trial)


def backup(given: argparse.Namespace) -> int:
    """Copy everything into a file while people work."""
    _require_private()
    set_up_python()
    file = Path(given.file)
    words = _words(given, twice=True) if given.sealed or given.words_file else ""
    if instance.reachable():
        tell(back_up(VAR, file, words), file, closed=bool(words))
        return 0
    if not (VAR / "db").exists():
        raise StepFailed(f"{VAR} holds no database yet, so there is nothing to back up.")
    with held(), database():
        tell(back_up(VAR, file, words), file, closed=bool(words))
    return 0


def _words(given: argparse.Namespace, *, twice: bool) -> str:
    """The words of a sealed backup, from the terminal or a file; never from the command line."""
    if given.words_file:
        try:
            return Path(given.words_file).read_text().strip("\n")
        except (OSError, UnicodeDecodeError) as error:
            raise StepFailed(
                f"The words cannot be read from {given.words_file}: {error}. Nothing was changed."
            ) from error
    words = getpass.getpass("Words of the sealed backup: ")
    if twice and getpass.getpass("Once more: ") != words:
        raise StepFailed("The two differ. Nothing was written.")
    return words


def _moment(text: str) -> datetime:
    """A moment as people here write it."""
    try:
        return datetime.fromisoformat(text).astimezone()
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text} is no moment. Write it like 2026-11-27T14:30:00."
        ) from None


def restore(given: argparse.Namespace) -> int:
    """Put a backup in the place of what is there, which is kept beside it."""
    _require_private()
    set_up_python()
    file = Path(given.file)
    asked = given.words_file or (os.access(file, os.R_OK) and file.is_file() and is_sealed(file))
    words = _words(given, twice=False) if asked else ""
    with held():
        about, former = put_back(VAR, file, words, given.until)
    rows = sum(about["tables"].values())
    say(f"Everything stands as on {about['made']}: {rows:,} rows, started and counted.")
    if given.until:
        say(f"It was carried on from the log of changes to {given.until:%Y-%m-%d %H:%M:%S %Z}.")
    if former:
        say(f"What stood there before lies in {former}; remove it once nothing of it is wanted.")
    return 0


def doctor(given: argparse.Namespace) -> int:
    """Say what is well and what is not; status 1 where something is not."""
    told = list(looked_at())
    for one in told:
        say(f"  {'well' if one.well else 'NOT WELL'}  {one.words}")
    return 0 if all(one.well for one in told) else 1


def _require_private() -> None:
    if os.environ.get("SORTIS_DB_HOST"):
        raise StepFailed(
            "The database is one of your own (SORTIS_DB_HOST). Back it up and restore it by its "
            "own tools; keep SORTIS_SECRET_KEY with it."
        )


def add_person(given: argparse.Namespace) -> int:
    """Add somebody who signs in."""
    return _managed("add_person", given.username, given.name, *given.roles)


def command_line() -> argparse.ArgumentParser:
    """Every command with what it takes."""
    parser = argparse.ArgumentParser(
        prog="./sortis",
        description="Sortis: from a pallet of unknown machines to units ready for resale.",
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(name: str, does, help_: str) -> argparse.ArgumentParser:
        made = commands.add_parser(name, help=help_, description=help_)
        made.set_defaults(does=does)
        return made

    made = command("demo", demo, "set up what is missing and run with the demo workshop")
    made.add_argument("--reset", action="store_true", help="put the demo data back first")
    command("serve", serve, "run with settings from the environment, without demo data")
    command("stop", stop, "end a running application from another terminal")
    made = command("test", test, "run all tests in a throwaway database")
    made.add_argument("tests", nargs="*", help="dotted names, for example tests.core")
    command("check", check, "style, types, import contracts, migrations, lint, generated files")
    command("types", types, "write the interface's types and words anew from API and core")
    command("licences", licences, "write docs/licences.md anew from what the packages say")
    command("rights", rights, "write docs/rights.md anew from the API")
    made = command("bench", bench, "run benchmarks; each prints one line a target")
    made.add_argument("names", nargs="*", help="for example plan")
    made = command("core", core, "the core without a server: plan CASE.json, schema NAME")
    made.add_argument("arguments", nargs=argparse.REMAINDER)
    made = command("export-case", export_case, "print the case of a batch as JSON")
    made.add_argument("batch", help="the batch as its address names it: ferry-line-offices")
    made = command(
        "workshop", workshop, "take the workshop's furnishing out as a file, or in from one"
    )
    made.add_argument("what", choices=["import", "export"])
    made.add_argument("file", help="a zip; starter names the set that ships")
    made.add_argument("--trial", action="store_true", help="only say what it would do")
    made = command("database", database_alone, "run only the database, for other machines")
    made.add_argument("--follow", metavar="HOST:PORT", help="as a standby of the one there")
    command("work", work, "run only workers, for applications on other machines")
    command("promote", promote, "make the standby that runs here the one that is written")
    made = command("backup", backup, "copy everything into a file, while people work")
    made.add_argument("file", help="a file that is not there yet: sortis.tar.gz")
    made.add_argument("--sealed", action="store_true", help="encrypt it; asks for the words")
    made.add_argument("--words-file", help="a file with the words, for backups that nobody attends")
    made = command("restore", restore, "put a backup in the place of what is there")
    made.add_argument("file", help="what ./sortis backup wrote")
    made.add_argument(
        "--until",
        type=_moment,
        help="carry it on to before this moment of here, like 2026-11-27T14:30:00",
    )
    made.add_argument("--words-file", help="a file with the words, that it was sealed with")
    command("doctor", doctor, "say what is well and what is not, and what to do")
    made = command("add-person", add_person, "add somebody who signs in; asks for the password")
    made.add_argument("username")
    made.add_argument("name", help="as records show it: 'Marit Dohl'")
    made.add_argument("roles", nargs="+", help="receiver inspector planner technician ...")
    return parser


def main() -> int:
    """Read the command line and do it; failures are one plain text."""
    given = command_line().parse_args()
    try:
        return given.does(given)
    except StepFailed as failure:
        print(f"\n{failure}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
