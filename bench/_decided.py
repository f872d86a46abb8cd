"""Fills an empty database for ``bench.dial`` and ``bench.screens``.

The closed call centre, all of it inspected, and the ferry line's offices counted in.
"""

import json

import django


def fill() -> None:
    """People, sheets, standards, stock, and the two batches."""
    from demo.generator import demo_sheets, demo_standards
    from demo.load import BATCH, CALL_CENTRE, announce, inspect, load_stock
    from sortis_server.arrive.counting import count_in
    from sortis_server.people.models import Person, Role
    from sortis_server.sheets.services import add_sheet
    from sortis_server.workshop.services import add_standard

    marit = Person.objects.create_person("marit", "Marit Dohl", list(Role.values), "tidewright")
    for sheet in demo_sheets():
        add_sheet(sheet)
    for standard in demo_standards():
        add_standard(standard)
    load_stock(marit)
    count_in(announce(BATCH), None)
    count_in(announce(CALL_CENTRE), None)
    inspect(json.loads((CALL_CENTRE / "inspections.json").read_text()), marit)


if __name__ == "__main__":
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    fill()
