"""Every reader fed with thousands of harmed files: faults, and the slowest answer.

The tests do the same with a few of each; here each reader has as long as it is given.
"""

import random
import time

from bench._harm import fault, harmed, readers
from bench.report import Report

SECONDS_EACH = 30.0
SLOWEST_SECONDS = 3.0


def main() -> None:
    """Print files and faults of each reader."""
    report = Report()
    dice = random.Random(time.time_ns())
    for reader in readers():
        faults: dict[str, bytes] = {}
        until = time.monotonic() + SECONDS_EACH
        files, slowest = 0, 0.0
        while time.monotonic() < until:
            data = harmed(dice.choice(reader.whole), dice, reader.whole)
            began = time.monotonic()
            if said := fault(reader, data):
                faults.setdefault(said, data)
            slowest = max(slowest, time.monotonic() - began)
            files += 1
        report.at_most(f"{reader.name}, faults of {files}", len(faults), 0)
        report.at_most(f"{reader.name}, the slowest, s", slowest, SLOWEST_SECONDS)
        for said, data in list(faults.items())[:3]:
            report.shown("fault", f"{said} at {data[:300]!r}")
    report.end()


if __name__ == "__main__":
    main()
