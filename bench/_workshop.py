"""Fills an empty database for ``bench.inspect``: the demo's batches counted in and not inspected,
and a long one.
"""

from datetime import date

import django

LONG_LIST = 5_000
LONG_LIST_SLUG = "long-list"


def fill() -> None:
    """People, sheets, standards, stock, batches."""
    from bench._furnish import furnish
    from demo.generator import demo_sheets
    from demo.load import BATCH, CALL_CENTRE, TICKET_DESKS, announce
    from sortis_server.arrive.counting import count_in
    from sortis_server.arrive.manifests import take_in
    from sortis_server.arrive.services import make_batch

    furnish()
    for folder in (BATCH, TICKET_DESKS, CALL_CENTRE):
        count_in(announce(folder), None)
    long = make_batch("Long list", "bench", date(2026, 11, 1), date(2026, 12, 1), 0, 0)
    sheets = demo_sheets()
    rows = [f"L{n},{sheets[n % len(sheets)].name}" for n in range(LONG_LIST)]
    take_in(long, "\n".join(["serial,model", *rows]).encode())
    count_in(long, None)


if __name__ == "__main__":
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    fill()
