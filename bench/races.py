"""A thousand races: two to eight people at the same thing at the same moment.

Over the running application with its processes, each person on a connection of their own. After
every race it is asked what stands now: nothing lost, doubled or promised twice, and whoever came
second was told so.
"""

import random
import subprocess
import threading
from collections import Counter
from collections.abc import Callable
from typing import Any

from bench._hands import Caller
from bench._many import person_of, slug_of, tag_of
from bench.report import Report
from house.commands import running, wait_for
from house.database import database, free_port
from house.place import HOME, PYTHON

RACES = 1_000
UNITS = 400
MOST = 8
EXPLAINED = (200, 409, 422)
Answer = tuple[int, Any]


class Races:
    """Starts everybody at once, and looks at what came of it."""

    def __init__(self, port: int) -> None:
        self.people = [Caller(port, person_of(number)) for number in range(MOST)]
        for one in self.people:
            one.sign_in()
        self.dice = random.Random(23)
        self.faults: list[str] = []
        self.ran: Counter[str] = Counter()
        self._names = 0

    def ask(self, method: str, path: str, body: object = None) -> Any:
        """What one person is answered when nobody else is about."""
        status, told = self.people[0].ask(method, path, body)
        if status != 200:
            raise RuntimeError(f"{method} {path}: {status} {str(told)[:400]}")
        return told

    def at_once(self, calls: list[Callable[[Caller], Answer]]) -> list[Answer]:
        """The answers of so many people, begun together."""
        gate = threading.Barrier(len(calls))
        answers: list[Answer] = [(0, None)] * len(calls)

        def run(number: int) -> None:
            gate.wait()
            answers[number] = calls[number](self.people[number])

        threads = [threading.Thread(target=run, args=(n,)) for n in range(len(calls))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        for status, told in answers:
            if status not in EXPLAINED or (status != 200 and not told.get("detail")):
                self.faults.append(f"unexplained: {status} {str(told)[:160]}")
        return answers

    def same(self, method: str, path: str, bodies: list[object]) -> list[Answer]:
        """As :meth:`at_once`, all at one address."""
        calls = [lambda who, body=body: who.ask(method, path, body) for body in bodies]
        return self.at_once(calls)

    def expect(self, what: str, found: object, wanted: object) -> None:
        """Note where something is otherwise than it must be."""
        if found != wanted:
            self.faults.append(f"{what}: {found} instead of {wanted}")

    def how_many(self) -> int:
        """People of one race."""
        return self.dice.randint(2, MOST)

    def new_name(self) -> str:
        """One that was never used."""
        self._names += 1
        return f"race-{self._names:06d}"

    # Each kind of race, by what it is about.

    def findings(self) -> None:
        """The same unit kept from the same findings: one is next, the others are told."""
        tag = tag_of(4 * self.dice.randrange(UNITS // 4) + 2)
        view = self.ask("GET", f"/api/units/{tag}/inspection")
        bodies: list[object] = [
            {
                "started_from": view["number"],
                "trim": view["trim"],
                "entries": view["entries"] | {"grade": grade},
                "enough": True,
            }
            for grade, _ in zip("abcabcab", range(self.how_many()), strict=False)
        ]
        answers = self.same("POST", f"/api/units/{tag}/inspection", bodies)
        self.expect("findings kept", [s for s, _ in answers].count(200), 1)
        now = self.ask("GET", f"/api/units/{tag}/inspection")
        self.expect("number of the findings", now["number"], view["number"] + 1)

    def booked_in(self) -> None:
        """Parts booked in by many into one lot: all of them lie there."""
        kind, place = "sodimm-ddr4-8", f"bin R-{self.dice.randrange(9)}"
        many = self.how_many()
        body = {"kind": kind, "condition": "new", "place": place, "unit_cost_cents": 100}
        before = self._lying(kind, place)
        bodies: list[object] = [body | {"count": n + 1, "words": "race"} for n in range(many)]
        answers = self.same("POST", "/api/stock/received", bodies)
        done = sum(n + 1 for n, (status, _) in enumerate(answers) if status == 200)
        self.expect("parts lying there", self._lying(kind, place) - before, done)

    def same_name(self) -> None:
        """One write sent again and again under its name while it is under way: done once."""
        kind, place = "sodimm-ddr4-16", "bin R-S"
        before, name = self._lying(kind, place), self.new_name()
        body = {"kind": kind, "condition": "new", "place": place, "count": 1}
        body |= {"unit_cost_cents": 100, "words": "race"}
        # Of one person, as it is one page that asks again.
        one = self.people[0]
        twins = [one.twin() for _ in range(self.how_many())]
        calls = [
            lambda _, twin=twin: twin.ask("POST", "/api/stock/received", body, name)
            for twin in twins
        ]
        answers = self.at_once(calls)
        self.expect("same write answered", {status for status, _ in answers}, {200})
        self.expect("same write done", self._lying(kind, place) - before, 1)

    def counted(self) -> None:
        """A lot counted by many: it holds what the last of them said."""
        place = f"bin {self.new_name()}"
        body = {"kind": "sodimm-ddr4-8", "condition": "new", "place": place, "count": 1}
        body |= {"unit_cost_cents": 100, "words": "race"}
        lot = self.ask("POST", "/api/stock/received", body)
        counts = [self.dice.randrange(5, 40) for _ in range(self.how_many())]
        bodies: list[object] = [{"counted": n, "words": "counted in a race"} for n in counts]
        self.same("POST", f"/api/stock/lots/{lot['id']}/counted", bodies)
        now = self._lying("sodimm-ddr4-8", place)
        self.expect("one of the counts", now in counts, True)
        moved = self.ask("GET", f"/api/stock/lots/{lot['id']}/movements")
        self.expect("sum of the movements", sum(one["change"] for one in moved), now)

    def new_batch(self) -> None:
        """A batch of one name made by many: there is one."""
        name = f"Race {self.new_name()}"
        body = {"name": name, "source": "race", "arrived_on": "2026-11-01", "due_on": "2026-12-01"}
        body |= {"money_cents": 0, "bench_minutes": 0}
        answers = self.same("POST", "/api/batches", [body] * self.how_many())
        self.expect("batches made", [s for s, _ in answers].count(200), 1)

    def counted_in(self) -> None:
        """A unit counted in by many: once."""
        slug = slug_of(0)
        tag = tag_of(4 * self.dice.randrange(50))
        self.ask("POST", f"/api/batches/{slug}/count-back", {"tags": [tag]})
        answers = self.same(
            "POST", f"/api/batches/{slug}/count-in", [{"tags": [tag]}] * self.how_many()
        )
        done = sum(told["count"] for status, told in answers if status == 200)
        self.expect("units counted in", done, 1)

    def offers(self) -> None:
        """An offer changed by many from the same: one holds, the others see what stands now."""
        catalogue = self.ask("GET", "/api/furnish/kinds")
        before = self.dice.choice(catalogue["offers"])
        bodies: list[object] = [
            {"offer": before | {"price_cents": before["price_cents"] + n + 1}, "before": before}
            for n in range(self.how_many())
        ]
        answers = self.same("PUT", "/api/furnish/offers", bodies)
        self.expect("offers changed", [s for s, _ in answers].count(200), 1)

    def approval(self) -> None:
        """A plan approved and taken back by many: once each, and no part promised twice."""
        slug = slug_of(0)
        plan = self.ask("POST", f"/api/batches/{slug}/plan", {})
        path = f"/api/batches/{slug}/plan/{plan['number']}"
        answers = self.same("POST", f"{path}/approve", [None] * self.how_many())
        self.expect("plans approved", [s for s, _ in answers].count(200), 1)
        stock = self.ask("GET", "/api/stock")
        over = [
            lot["id"]
            for kind in stock["kinds"]
            for lot in kind["lots"]
            if lot["promised"] > lot["on_hand"]
        ]
        self.expect("lots of which more is promised than there is", over, [])
        answers = self.same("POST", f"{path}/back", [None] * self.how_many())
        self.expect("approvals taken back", [s for s, _ in answers].count(200), 1)

    def _lying(self, kind: str, place: str) -> int:
        stock = self.ask("GET", "/api/stock")
        lots = next(one["lots"] for one in stock["kinds"] if one["key"] == kind)
        return sum(lot["on_hand"] for lot in lots if lot["place"] == place)


def main() -> None:
    """Print races by kind, and what was lost, doubled, promised twice or not explained."""
    report = Report()
    with database(throwaway=True) as env:
        filled = ["-m", "bench._many", str(UNITS), str(MOST)]
        subprocess.run([PYTHON, *filled], env=env, cwd=HOME, check=True)
        port = free_port()
        with running(env, port) as began:
            wait_for(f"http://127.0.0.1:{port}", began)
            races = Races(port)
            kinds = [races.findings, races.booked_in, races.same_name, races.counted]
            kinds += [races.new_batch, races.counted_in, races.offers]
            for number in range(RACES):
                # A plan takes longer than all the others.
                race = races.approval if number % 25 == 0 else kinds[number % len(kinds)]
                race()
                races.ran[race.__name__.replace("_", " ")] += 1
    report.shown("races", ", ".join(f"{n} {what}" for what, n in races.ran.items()))
    report.at_most("lost, doubled, promised twice or unexplained", len(races.faults), 0)
    for said, times in Counter(races.faults).most_common(8):
        report.shown(f"{times} times", said)
    report.end()


if __name__ == "__main__":
    main()
