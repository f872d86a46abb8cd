"""A simulated market over HTTP: takes listings, and sends orders, slowly and sometimes twice.

``python -m standins.market PORT``. ``POST /listing`` takes the shelf; ``GET /orders`` answers with
orders for what is listed, each until it is answered (``POST /answers``), sometimes one twice.
"""

import json
import random
import sys
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

LARGEST_BYTES = 5_000_000
BUYERS = ("Quay school", "Net loft", "Sailmakers' union", "Tide table office")
SLOW_SECONDS = 0.3
TWICE = 0.3
OFTEN = 0.5


class Market:
    """What is listed, and the orders that wait for an answer."""

    def __init__(self, seed: int = 1) -> None:
        self._lock = threading.Lock()
        self._dice = random.Random(seed)
        self._next = 7001
        self.listed: list[dict] = []
        self.waiting: dict[str, dict] = {}

    def take(self, groups: list[dict]) -> int:
        """Take a listing; somebody orders of it before long."""
        with self._lock:
            self.listed = [group for group in groups if group.get("price_cents") is not None]
            for group in self.listed:
                if self._dice.random() < OFTEN:
                    self._order(group)
            if self.listed and not self.waiting:
                self._order(self.listed[0])
            return len(self.listed)

    def _order(self, group: dict) -> None:
        number = f"MK-{self._next}"
        self._next += 1
        self.waiting[number] = {
            "number": number,
            "buyer": self._dice.choice(BUYERS),
            "group": group["key"],
            "count": self._dice.randint(1, max(1, int(group.get("free", 1)))),
            "price_cents": group["price_cents"],
        }

    def orders(self) -> list[dict]:
        """What waits for an answer."""
        with self._lock:
            found = list(self.waiting.values())
            again = [one for one in found if self._dice.random() < TWICE]
            return [*found, *again]

    def answered(self, number: str) -> None:
        """An order was answered."""
        with self._lock:
            self.waiting.pop(number, None)


def handler(market: Market) -> type[BaseHTTPRequestHandler]:
    """Answers for one market."""

    class Handler(BaseHTTPRequestHandler):
        def _told(self) -> dict:
            length = int(self.headers.get("Content-Length") or 0)
            if not 0 < length <= LARGEST_BYTES:
                raise ValueError("send JSON")
            return json.loads(self.rfile.read(length))

        def _answer(self, status: int, said: dict) -> None:
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.end_headers()
            self.wfile.write(json.dumps(said).encode())

        def do_GET(self) -> None:
            time.sleep(SLOW_SECONDS)
            self._answer(200, {"orders": market.orders()})

        def do_POST(self) -> None:
            try:
                said = self._told()
                if self.path == "/listing":
                    self._answer(200, {"listed": market.take(list(said["groups"]))})
                elif self.path == "/answers":
                    market.answered(str(said["number"]))
                    self._answer(200, {})
                else:
                    self._answer(404, {"detail": "There is no such address."})
            except (ValueError, KeyError, TypeError) as error:
                self._answer(422, {"detail": str(error)})

        def log_message(self, format: str, *args: object) -> None:
            pass

    return Handler


def server(port: int, market: Market | None = None) -> ThreadingHTTPServer:
    """The market on loopback, ready to serve."""
    return ThreadingHTTPServer(("127.0.0.1", port), handler(market or Market()))


if __name__ == "__main__":
    server(int(sys.argv[1])).serve_forever()
