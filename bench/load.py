"""Many units and many people: what each call takes, how it grows, what it asks the database.

People work at a human pace, each with a page that hears what others do. Times are of this machine
and of what drives it, too: both share its cores.
"""

import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median, quantiles

from bench._database import link_to
from bench._hands import LIST, OPEN, SAVE, Caller, Listening, work
from bench._many import A_BATCH, person_of, slug_of, tag_of
from bench.report import Report
from house.commands import running, wait_for
from house.database import database, free_port
from house.parts import Part
from house.place import HOME, PYTHON

SIZES = (1_000, 10_000, 100_000)
PEOPLE = (10, 40, 100)
USUAL = 40
SECONDS = 60.0
LARGE_PLAN = 5_000
ASKED = "what others do, asked"
LISTENERS = (40, 200)
CHANGES = 20
HEARD_SECONDS = 2.0
TARGETS = {LIST: 50.0, OPEN: 100.0, SAVE: 100.0}
"""Milliseconds at the 95th percentile, of 40 people on the most units."""


@contextmanager
def serving(units: int, people: int, planned: int = 0) -> Iterator[tuple[int, list[Part], dict]]:
    """(Port, parts, environment) of an application with so many units."""
    with database(throwaway=True) as env:
        filled = ["-m", "bench._many", str(units), str(people), str(planned)]
        subprocess.run([PYTHON, *filled], env=env, cwd=HOME, check=True)
        port = free_port()
        with running(env, port) as began:
            wait_for(f"http://127.0.0.1:{port}", began)
            yield port, began, env


def asked(env: dict[str, str]) -> int:
    """Statements that the database was asked so far."""
    link = link_to(env)
    with link.cursor() as cursor:
        cursor.execute("SHOW GLOBAL STATUS LIKE 'Com_%'")
        told = dict(cursor.fetchall())
    link.close()
    return sum(int(told[f"Com_{kind}"]) for kind in ("select", "insert", "update", "delete"))


def statements(port: int, env: dict[str, str], units: int) -> dict[str, int]:
    """Statements of one call of each kind, of somebody who made it before."""
    caller = Caller(port, person_of(0))
    caller.sign_in()
    number = units // 2 - units // 2 % 4 + 2
    slug, tag = slug_of(number // A_BATCH), tag_of(number)
    found: dict[str, int] = {}
    for _ in range(2):
        view = caller.ask("GET", f"/api/units/{tag}/inspection")[1]
        kept = {"started_from": view["number"], "trim": view["trim"], "enough": True}
        for what, method, path, body in (
            (LIST, "GET", f"/api/batches/{slug}/units", None),
            (OPEN, "GET", f"/api/units/{tag}/inspection", None),
            (SAVE, "POST", f"/api/units/{tag}/inspection", kept | {"entries": view["entries"]}),
            (ASKED, "POST", "/api/here", {"batch": slug, "tag": tag}),
        ):
            before = asked(env)
            status, told = caller.ask(method, path, body)
            if status != 200:
                raise RuntimeError(f"{what}: {status} {told}")
            found[what] = asked(env) - before
    return found


def memory(parts: list[Part]) -> str:
    """Megabytes of each part with what it started."""
    parents: dict[int, int] = {}
    sizes: dict[int, int] = {}
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            fields = (folder / "stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        parents[int(folder.name)], sizes[int(folder.name)] = int(fields[1]), int(fields[21])

    def whole(pid: int) -> int:
        children = [child for child, parent in parents.items() if parent == pid]
        return sizes.get(pid, 0) + sum(whole(child) for child in children)

    told = {part.name: whole(part.process.pid) * 4096 / 1e6 for part in parts}
    return ", ".join(f"{name} {size:.0f} MB" for name, size in told.items())


def growth(report: Report) -> None:
    """The same people on more and more units."""
    late: dict[int, dict[str, float]] = {}
    said: dict[int, dict[str, int]] = {}
    for units in SIZES:
        with serving(units, max(PEOPLE)) as (port, parts, env):
            said[units] = statements(port, env, units)
            late[units], refused = work(port, USUAL, units, SECONDS)
            figures = ", ".join(f"{what} {ms:.0f} ms" for what, ms in late[units].items())
            report.shown(f"{units} units, {USUAL} people, 95th percentile", figures)
            report.shown(f"{units} units, statements of a call", str(said[units]))
            report.at_most(f"{units} units, refused", len(refused), 0)
            if units == SIZES[-1]:
                for what, most in TARGETS.items():
                    report.at_most(f"{what}, {units} units, ms", late[units][what], most)
                for people in PEOPLE:
                    if people != USUAL:
                        found, _ = work(port, people, units, SECONDS)
                        figures = ", ".join(f"{what} {ms:.0f} ms" for what, ms in found.items())
                        report.shown(f"{units} units, {people} people, 95th percentile", figures)
                report.shown("memory", memory(parts))
    small, large = SIZES[0], SIZES[-1]
    for what in (LIST, OPEN, SAVE):
        ratio = late[large][what] / late[small][what]
        report.at_most(f"{what}, {large} units against {small}", ratio, 1.3)
        more = said[large][what] - said[small][what]
        report.at_most(f"{what}, more statements for {large} units", more, 0)


def beside_a_plan(report: Report) -> None:
    """A large plan in the worker, and people who go on meanwhile."""
    units = SIZES[1]
    with serving(units, USUAL, LARGE_PLAN) as (port, _, _):
        alone, _ = work(port, USUAL, units, SECONDS)
        caller = Caller(port, person_of(0))
        caller.sign_in()
        slug = slug_of(-(-units // A_BATCH))
        status, told = caller.ask("POST", f"/api/batches/{slug}/plan", {})
        if status != 200:
            raise RuntimeError(f"The plan was refused: {status} {told}")
        beside, refused = work(port, USUAL, units, SECONDS)
        # On another link: the front let go of the first, which was idle.
        plan = caller.twin().ask("GET", f"/api/batches/{slug}/plan/{told['number']}")[1]
        report.shown(f"a plan of {LARGE_PLAN} units in the worker, in the end", plan["state"])
        report.at_most("refused meanwhile", len(refused), 0)
        for what in (LIST, OPEN, SAVE):
            ratio = beside[what] / alone[what]
            report.at_most(f"{what}, beside that plan against without", ratio, 1.5)


def hearing(report: Report) -> None:
    """How soon all who look on hear of a change, and what hears nothing."""
    units = SIZES[0]
    with serving(units, max(PEOPLE)) as (port, parts, _):
        caller = Caller(port, person_of(0))
        caller.sign_in()
        others = []
        for number in range(max(PEOPLE)):
            other = Caller(port, person_of(number))
            other.sign_in()
            others.append(other)
        for many in LISTENERS:
            pages = [Listening(others[n % len(others)].twin(), slug_of(0)) for n in range(many)]
            for page in pages:
                page.start()
            time.sleep(5)
            waits: list[float] = []
            missed = 0
            for change in range(CHANGES):
                path = f"/api/units/{tag_of(4 * change + 2)}/inspection"
                view = caller.ask("GET", path)[1]
                kept = {"started_from": view["number"], "trim": view["trim"], "enough": True}
                began = time.perf_counter()
                caller.ask("POST", path, kept | {"entries": view["entries"]})
                time.sleep(HEARD_SECONDS + 0.37)
                for page in pages:
                    heard = [at - began for at in page.heard if at > began]
                    waits += heard[:1]
                    missed += not heard
            for page in pages:
                page.end()
            late = quantiles(waits, n=20)
            told = f"median {1000 * median(waits):.0f} ms, 95th percentile {1000 * late[-1]:.0f}"
            report.shown(f"{many} pages hear of a change", told)
            report.at_most(f"{many} pages, the last, s", max(waits), HEARD_SECONDS)
            report.at_most(f"{many} pages, not heard", missed, 0)
            refused = [said for page in pages for said in page.refused]
            report.at_most(f"{many} pages, refused", len(refused), 0)
            report.shown(f"memory with {many} pages", memory(parts))
            time.sleep(2)


def main() -> None:
    """Print every target."""
    report = Report()
    hearing(report)
    growth(report)
    beside_a_plan(report)
    report.end()


if __name__ == "__main__":
    main()
