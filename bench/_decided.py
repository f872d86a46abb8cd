"""Fills an empty database for ``bench.dial`` and ``bench.screens``.

The closed call centre, all of it inspected, and the ferry line's offices counted in.
"""

import json

import django


def fill() -> None:
    """People, sheets, standards, stock, and the two batches."""
    from bench._furnish import furnish
    from demo.load import BATCH, CALL_CENTRE, announce, inspect
    from sortis_server.arrive.counting import count_in

    marit = furnish()
    count_in(announce(BATCH), None)
    count_in(announce(CALL_CENTRE), None)
    inspect(json.loads((CALL_CENTRE / "inspections.json").read_text()), marit)


if __name__ == "__main__":
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    fill()
