"""A simulated parts supplier: quotes price, pack size, limit and days, and takes orders.

``python -m standins.supplier PORT``. ``GET /quotes`` tells what is to be had, ``POST /orders``
takes ``{"ours": number, "lines": [{"article", "count", "price_cents"}]}`` and answers with a
reference and days, or refuses with a sentence in ``detail``. An order sent twice under the same
number of ours is one order. Its shelf is the demo's list of offers, and it empties.
"""

import json
import sys
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

OFFERS = Path(__file__).parent.parent / "demo" / "stock.json"
LARGEST_BYTES = 1_000_000
NAME = "Harbour Parts"


class Refused(Exception):
    """The order cannot be taken; the sentence says why."""


class Supplier:
    """The shelf, and the orders taken."""

    def __init__(self, offers: list[dict]) -> None:
        self._lock = threading.Lock()
        self._orders: dict[str, dict] = {}
        self.shelf: dict[str, dict] = {}
        for offer in offers:
            self.shelf[offer["article"]] = {
                "article": offer["article"],
                "kind": offer["kind"],
                "price_cents": offer["price_cents"],
                "pack_size": offer.get("pack_size", 1),
                "breaks": offer.get("breaks", []),
                "limit": offer["limit"],
                "days": offer["days"],
            }

    def quotes(self) -> dict:
        """What is to be had now."""
        with self._lock:
            return {"supplier": NAME, "quotes": [dict(row) for row in self.shelf.values()]}

    def order(self, ours: str, lines: list[dict]) -> dict:
        """Take an order whole, or not at all.

        :raises Refused: for an unknown article, a broken pack, too many, or another price.
        """
        with self._lock:
            if ours in self._orders:
                return self._orders[ours]
            if not lines:
                raise Refused("There is no line in the order.")
            for line in lines:
                self._check(line)
            for line in lines:
                self.shelf[line["article"]]["limit"] -= line["count"]
            taken = {
                "reference": f"HB-{len(self._orders) + 50001}",
                "days": max(self.shelf[line["article"]]["days"] for line in lines),
            }
            self._orders[ours] = taken
            return taken

    def _check(self, line: dict) -> None:
        row = self.shelf.get(line["article"])
        if row is None:
            raise Refused(f"We have no article {line['article']}.")
        count = line["count"]
        if count < 1 or count % row["pack_size"]:
            raise Refused(f"{row['article']} is sold in packs of {row['pack_size']}.")
        if count > row["limit"]:
            raise Refused(f"Of {row['article']} {row['limit']} are left; {count} were asked for.")
        price = row["price_cents"]
        for step in sorted(row["breaks"], key=lambda step: step["from_count"]):
            if count >= step["from_count"]:
                price = step["price_cents"]
        if line["price_cents"] != price:
            raise Refused(f"{row['article']} costs {price / 100:.2f} each at {count} now.")


def server(port: int, supplier: Supplier | None = None) -> ThreadingHTTPServer:
    """The supplier on loopback, ready to serve."""
    shop = supplier or Supplier(json.loads(OFFERS.read_text())["offers"])

    class Handler(BaseHTTPRequestHandler):
        def _answer(self, status: int, told: dict) -> None:
            data = json.dumps(told).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def do_GET(self) -> None:
            if self.path == "/quotes":
                self._answer(200, shop.quotes())
            else:
                self._answer(404, {"detail": "There are /quotes and /orders here."})

        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            if self.path != "/orders" or not 0 < length <= LARGEST_BYTES:
                self._answer(404, {"detail": "There are /quotes and /orders here."})
                return
            try:
                told = json.loads(self.rfile.read(length))
                taken = shop.order(str(told["ours"]), list(told["lines"]))
            except Refused as refusal:
                self._answer(409, {"detail": str(refusal)})
                return
            except (ValueError, KeyError, TypeError):
                self._answer(422, {"detail": "The order does not read."})
                return
            self._answer(200, taken)

        def log_message(self, format: str, *args: object) -> None:
            pass

    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


if __name__ == "__main__":
    server(int(sys.argv[1])).serve_forever()
