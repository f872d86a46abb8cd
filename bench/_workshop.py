"""Fills an empty database for ``bench.inspect``: the demo's batches counted in and not inspected,
and a long one.
"""

from datetime import date

import django

LONG_LIST = 5_000
LONG_LIST_SLUG = "long-list"
PASSWORD = "tidewright"


def fill() -> None:
    """People, sheets, standards, stock, batches."""
    from demo.generator import demo_sheets, demo_standards
    from demo.load import BATCH, CALL_CENTRE, TICKET_DESKS, announce, load_stock
    from sortis_server.arrive.counting import count_in
    from sortis_server.arrive.manifests import take_in
    from sortis_server.arrive.services import make_batch
    from sortis_server.people.models import Person, Role
    from sortis_server.sheets.services import add_sheet
    from sortis_server.workshop.services import add_standard

    marit = Person.objects.create_person("marit", "Marit Dohl", list(Role.values), PASSWORD)
    for sheet in demo_sheets():
        add_sheet(sheet)
    for standard in demo_standards():
        add_standard(standard)
    load_stock(marit)
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
