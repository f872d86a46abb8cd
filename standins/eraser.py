"""A simulated eraser over HTTP: asked for a drive, it answers with its report.

``python -m standins.eraser PORT``. One drive in ten fails, always the same ones.
"""

import json
import random
import sys
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from sortis_core.intake.erasure import sealed_json

LARGEST_BYTES = 20_000
FAILS = 0.1
METHODS = ("overwritten once", "erased by the drive's own command", "key destroyed")


def report_of(serial: str, *, fails: float = FAILS) -> str:
    """The report of the drive with this serial number."""
    dice = random.Random(serial)
    passed = dice.random() >= fails
    return sealed_json(
        {
            "tool": "bench eraser 3.1",
            "drive_serial": serial,
            "method": dice.choice(METHODS),
            "result": "passed" if passed else "failed",
            "verified": passed,
            "ended": datetime.now(UTC).isoformat(timespec="seconds"),
        }
    )


class Handler(BaseHTTPRequestHandler):
    """Answers ``POST /report`` with ``{serial}``."""

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        try:
            if self.path != "/report" or not 0 < length <= LARGEST_BYTES:
                raise ValueError("send the serial number of a drive to /report")
            status, data = 200, report_of(str(json.loads(self.rfile.read(length))["serial"]))
        except (ValueError, KeyError, TypeError) as error:
            status, data = 422, str(error)
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.end_headers()
        self.wfile.write(data.encode())

    def log_message(self, format: str, *args: object) -> None:
        pass


def server(port: int) -> ThreadingHTTPServer:
    """The eraser on loopback, ready to serve."""
    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


if __name__ == "__main__":
    server(int(sys.argv[1])).serve_forever()
