"""People at a human pace, without a browser: each lists, opens, keeps and hears what others do."""

import contextlib
import http.client
import json
import random
import socket
import threading
import time
from collections import defaultdict
from statistics import quantiles
from typing import Any

from bench._many import A_BATCH, person_of, slug_of, tag_of
from bench._page import PASSWORD

THINKING_SECONDS = 20.0
"""Between two units of one person, on average: faster than anybody inspects."""
LIST, OPEN, SAVE = "list of a batch", "open a unit", "keep findings"


class Caller:
    """One person's connection, signed in."""

    def __init__(self, port: int, name: str) -> None:
        self._port, self._name = port, name
        self._cookies: dict[str, str] = {}
        self._token = ""
        self._link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def sign_in(self) -> None:
        """Start a session.

        :raises RuntimeError: where it is refused.
        """
        self._token = self._call("GET", "/api/session")[1]["csrf_token"]
        body = {"username": self._name, "password": PASSWORD}
        status, told = self._call("POST", "/api/session", body)
        if status != 200:
            raise RuntimeError(f"{self._name} cannot sign in: {told}")
        self._token = told["csrf_token"]

    def twin(self) -> "Caller":
        """The same person on another connection."""
        other = Caller(self._port, self._name)
        other._cookies, other._token = self._cookies, self._token
        return other

    def stream(self, slug: str, tag: str) -> http.client.HTTPResponse:
        """What others do to a batch and a unit, for as long as it lasts; on a link of its own."""
        link = http.client.HTTPConnection("127.0.0.1", self._port, timeout=60)
        cookies = "; ".join(f"{k}={v}" for k, v in self._cookies.items())
        link.request("GET", f"/api/stream?batch={slug}&tag={tag}", headers={"Cookie": cookies})
        return link.getresponse()

    def ask(self, method: str, path: str, body: object = None, name: str = "") -> tuple[int, Any]:
        """(Status, answer); status 0 where none came.

        :param name: under which a write is done once, however often it is sent.
        """
        try:
            return self._call(method, path, body, name)
        except (OSError, http.client.HTTPException):
            self._link.close()
            return 0, None

    def _call(self, method: str, path: str, body: object = None, name: str = "") -> tuple[int, Any]:
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self._cookies.items())}
        headers |= {"X-CSRFToken": self._token, "Content-Type": "application/json"}
        headers |= {"Origin": f"http://127.0.0.1:{self._port}"}
        headers |= {"Idempotency-Key": name} if name else {}
        sent = None if body is None else json.dumps(body)
        self._link.request(method, path, sent, headers)
        answer = self._link.getresponse()
        data = answer.read()
        for cookie in answer.msg.get_all("Set-Cookie") or ():
            name, _, value = cookie.partition(";")[0].partition("=")
            self._cookies[name] = value
        told = json.loads(data) if "json" in answer.headers.get("Content-Type", "") else data
        return answer.status, told


class Listening(threading.Thread):
    """A page that hears what others do, and begins again when it ends, as the interface does."""

    def __init__(self, caller: Caller, slug: str, tag: str = "") -> None:
        super().__init__(daemon=True)
        self.heard: list[float] = []
        """When something was heard, by ``time.perf_counter``."""
        self.refused: list[str] = []
        self._caller, self._at, self._over = caller, (slug, tag), False
        self._answer: http.client.HTTPResponse | None = None

    def run(self) -> None:
        """Hear until told to stop."""
        while not self._over:
            with contextlib.suppress(OSError, http.client.HTTPException, ValueError):
                self._answer = self._caller.stream(*self._at)
                if self._answer.status != 200:
                    self.refused.append(f"stream: {self._answer.status}")
                for line in self._answer:
                    if line.startswith(b"data: "):
                        self.heard.append(time.perf_counter())
            time.sleep(0.5)

    def turn_to(self, slug: str, tag: str) -> None:
        """Another unit is opened."""
        self._at = (slug, tag)
        self._cut()

    def end(self) -> None:
        """The page is closed."""
        self._over = True
        self._cut()

    def _cut(self) -> None:
        with contextlib.suppress(OSError, AttributeError, ValueError):
            socket.socket(fileno=socket.dup(self._answer.fileno())).shutdown(socket.SHUT_RDWR)


class Hand(threading.Thread):
    """Somebody who works until told to stop."""

    until = 0.0
    """By ``time.monotonic``."""

    def __init__(self, port: int, number: int, units: int) -> None:
        super().__init__(daemon=True)
        self.took: dict[str, list[float]] = defaultdict(list)
        self.refused: list[str] = []
        self._dice = random.Random(number)
        self._units = units
        self._caller = Caller(port, person_of(number))
        self._slug, self._tag = slug_of(0), ""

    def sign_in(self) -> None:
        """In the morning; what is measured is the day."""
        self._caller.sign_in()

    def run(self) -> None:
        """List, open, keep, again and again."""
        page = Listening(self._caller.twin(), self._slug)
        page.start()
        next_step = time.monotonic() + self._dice.random() * THINKING_SECONDS
        while time.monotonic() < self.until:
            if time.monotonic() >= next_step:
                self._step(page)
                next_step = time.monotonic() + self._dice.expovariate(1 / THINKING_SECONDS)
            time.sleep(0.02)
        page.end()
        self.refused += page.refused

    def _step(self, page: Listening) -> None:
        # Of those whose findings stand: two in four of every batch.
        number = 4 * self._dice.randrange(self._units // 4) + self._dice.choice((2, 3))
        self._slug, self._tag = slug_of(number // A_BATCH), tag_of(number)
        self._timed(LIST, "GET", f"/api/batches/{self._slug}/units")
        page.turn_to(self._slug, self._tag)
        view = self._timed(OPEN, "GET", f"/api/units/{self._tag}/inspection")
        if view:
            body = {"started_from": view["number"], "trim": view["trim"]}
            body |= {"entries": view["entries"], "enough": True}
            self._timed(SAVE, "POST", f"/api/units/{self._tag}/inspection", body)

    def _timed(self, what: str, method: str, path: str, body: object = None) -> Any:
        began = time.perf_counter()
        status, told = self._caller.ask(method, path, body)
        if status == 409:
            # Somebody else kept the same unit meanwhile, and the answer says so.
            return None
        if status != 200:
            self.refused.append(f"{what}: {status} {str(told)[:200]}")
            return None
        self.took[what].append(1000 * (time.perf_counter() - began))
        return told


def work(port: int, people: int, units: int, seconds: float) -> tuple[dict[str, float], list[str]]:
    """(95th percentile of each kind of call in ms, what was refused) of people at work."""
    hands = [Hand(port, number, units) for number in range(people)]
    for hand in hands:
        hand.sign_in()
    until = time.monotonic() + seconds
    for hand in hands:
        hand.until = until
        hand.start()
    for hand in hands:
        hand.join()
    took: dict[str, list[float]] = defaultdict(list)
    for hand in hands:
        for what, found in hand.took.items():
            # What was first for each was not in any memory; a day is longer than that.
            took[what] += found[1:]
    late = {what: quantiles(found, n=20)[-1] for what, found in took.items() if len(found) > 1}
    return late, [said for hand in hands for said in hand.refused]
