"""Fills an empty database for ``bench.load`` and ``bench.faults``: units in batches, and people.

    python -m bench._many UNITS PEOPLE [PLANNED]

``PLANNED`` units more stand in a batch of their own, all of them waiting for a decision.
"""

import sys
from datetime import date, timedelta

import django

A_BATCH = 250
AT_ONCE = 5_000
SHAPES = 200
"""So many different units, again and again."""


def slug_of(number: int) -> str:
    """Address of a batch."""
    return f"clearance-{number}"


def tag_of(number: int) -> str:
    """Tag of a unit; the units of one batch follow each other."""
    return f"TW-{number + 1:04d}"


def person_of(number: int) -> str:
    """Name that somebody signs in with."""
    return f"hand-{number}"


def fill(units: int, people: int, planned: int) -> None:
    """One in four arrives, one in four waits to be inspected, the others for a decision."""
    from bench._furnish import furnish
    from bench._page import PASSWORD
    from demo.generator import demo_sheets, make_case
    from sortis_core.stages import Stage
    from sortis_core.vocabulary.states import Role
    from sortis_server.arrive.models import Batch, Unit
    from sortis_server.inspect.models import Inspection
    from sortis_server.people.models import Person

    marit = furnish()
    first = Person.objects.create_person(person_of(0), "Hand 0", [*Role], PASSWORD)
    for number in range(1, people):
        # One hash for all: what is measured is work, not signing in.
        Person.objects.create(
            username=person_of(number),
            name=f"Hand {number}",
            roles=first.roles,
            password=first.password,
        )
    sheets = demo_sheets()
    shapes = [
        one.findings
        for one in make_case(7, SHAPES, models=tuple(sheet.key for sheet in sheets)).units
        if not one.findings.hazards
    ]
    documents = [one.model_dump(mode="json", exclude_defaults=True) for one in shapes]
    versions = {sheet.key: sheet.version for sheet in sheets}
    today = date.today()
    batches = [
        Batch(
            slug=slug_of(number),
            name=f"Clearance {number}",
            source="bench",
            arrived_on=today,
            due_on=today + timedelta(30),
            money_cents=1_000_000,
            bench_minutes=60_000,
        )
        for number in range(-(-units // A_BATCH) + bool(planned))
    ]
    Batch.objects.bulk_create(batches)
    batches = list(Batch.objects.order_by("pk"))
    for begin in range(0, units + planned, AT_ONCE):
        made: list[Unit] = []
        for n in range(begin, min(begin + AT_ONCE, units + planned)):
            waits = n >= units or n % 4 > 1
            stage = Stage.DECIDE if waits else (Stage.ARRIVE, Stage.INSPECT)[n % 4]
            key = shapes[n % len(shapes)].sheet
            made.append(
                Unit(
                    tag=tag_of(n),
                    batch=batches[n // A_BATCH] if n < units else batches[-1],
                    serial=f"S{n}",
                    counted_at=None if stage is Stage.ARRIVE else django.utils.timezone.now(),
                    sheet_key=key,
                    sheet_version=versions[key],
                    stage=stage,
                    position=n + 1,
                    inspection_number=int(waits),
                )
            )
        Unit.objects.bulk_create(made)
        waiting = Unit.objects.filter(tag__in=[one.tag for one in made], inspection_number=1)
        Inspection.objects.bulk_create(
            Inspection(
                unit=unit,
                number=1,
                findings=documents[(unit.position - 1) % len(shapes)],
                by=marit,
            )
            for unit in waiting
        )


if __name__ == "__main__":
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    counted = [int(word) for word in sys.argv[1:]]
    fill(counted[0], counted[1], counted[2] if len(counted) > 2 else 0)
