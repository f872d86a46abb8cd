"""The simulated probe over HTTP: asked for a unit, it answers with the bundle of one.

``python -m standins.bench PORT``. What is in a unit is drawn from its tag, so that the same unit
always says the same; one in five has a fault, as on a real bench.
"""

import json
import random
import sys
from collections import Counter
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from demo.generator import make_entries, read
from sortis_core.sheets import ModelSheet
from standins.probe import Probe

LARGEST_BYTES = 2_000_000
OFTEN = 0.2
BETWEEN_MINUTES = 20
"""Asked again after work, a unit has worked for so long on its packs; nobody waits for it here."""
LIVELY_FAULTS = ("locale", "old", "crlf", "folder", "no_upower", "cut")


def bundle_for(
    tag: str,
    serial: str,
    sheet: ModelSheet,
    trim: str = "",
    entries: dict[str, str] | None = None,
    asked_before: int = 0,
) -> bytes:
    """The bundle of the unit with this tag.

    :param entries: what was put into it, where the bench asks after its work; now and then a module
        is not seated. Else it is drawn from the tag.
    :param asked_before: how often the bench was asked after the work before.
    """
    dice = random.Random(f"{tag} {serial}")
    if entries:
        loose = dice.choice([slot.key for slot in sheet.memory.slots] or [""])
        entries = entries | ({loose: "-"} if loose and dice.random() < OFTEN else {})
        minutes = 5 + BETWEEN_MINUTES * asked_before
        return Probe(
            sheet,
            read(sheet, trim, entries),
            serial,
            seed=7,
            now=datetime.now(UTC) + timedelta(minutes=minutes),
            at_work_minutes=minutes,
        ).bundle()
    trim = dice.choice(sheet.trims).key
    entries = make_entries(sheet, trim, dice)
    entries = {k: v for k, v in entries.items() if not v.startswith("!")}
    faults = [dice.choice(LIVELY_FAULTS)] if dice.random() < OFTEN else []
    findings = read(sheet, trim, entries)
    return Probe(
        sheet, findings, serial, seed=dice.randint(0, 10**6), faults=faults, now=datetime.now(UTC)
    ).bundle()


_asked: Counter[str] = Counter()


class Handler(BaseHTTPRequestHandler):
    """Answers ``POST /bundle`` with ``{tag, serial, sheet}``, and what was put in."""

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        try:
            if self.path != "/bundle" or not 0 < length <= LARGEST_BYTES:
                raise ValueError("send tag, serial and sheet to /bundle")
            asked = json.loads(self.rfile.read(length))
            sheet = ModelSheet.model_validate(asked["sheet"])
            status, kind = 200, "application/zip"
            put_in = {str(k): str(v) for k, v in dict(asked.get("entries") or {}).items()}
            told = (str(asked["tag"]), str(asked["serial"]), sheet)
            before = _asked[told[0]] if put_in else 0
            _asked[told[0]] += bool(put_in)
            data = bundle_for(*told, str(asked.get("trim", "")), put_in, before)
        except (ValueError, KeyError, TypeError) as error:
            status, kind, data = 422, "text/plain", str(error).encode()
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: object) -> None:
        pass


def server(port: int) -> ThreadingHTTPServer:
    """The probe on loopback, ready to serve."""
    return ThreadingHTTPServer(("127.0.0.1", port), Handler)


if __name__ == "__main__":
    server(int(sys.argv[1])).serve_forever()
