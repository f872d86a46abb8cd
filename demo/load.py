"""Load the Tidewright workshop: people, sheets, stock, three batches.

The ferry line's offices have units at every stage, its ticket desks stand uncounted at the door,
the closed call centre is mostly inspected.

Everything goes the way a person would send it: the manifest is taken in, inspections are kept,
a plan is approved, steps are ticked. ``python -m demo.load`` brings the tables up to date
and does nothing more where there is data already; ``--again`` empties the database first.
"""

import json
import sys
from datetime import date, timedelta
from pathlib import Path

import django

HERE = Path(__file__).parent
BATCH = HERE / "ferry_line"
TICKET_DESKS, CALL_CENTRE = HERE / "ticket_desks", HERE / "call_centre"
CALL_CENTRE_INSPECTED = 148
FIRST_TAG = 401
COUNTED_IN = 42
FIRST_WAVE = 15
FINISHED_ORDERS = 4
RELEASED = 2
BEGUN_STEPS = 4
PACES = (0.8, 1.1, 0.95, 1.3, 0.7, 1.0)
"""How the demo's times lie against the sheets', step after step."""


def load() -> None:
    """Fill an empty database."""
    from demo.generator import demo_sheets, demo_standards, workshop_settings
    from sortis_server.arrive.counting import count_in
    from sortis_server.people.models import Person
    from sortis_server.sheets.services import add_sheet
    from sortis_server.workshop.models import Benches, BenchHours, TagSeries
    from sortis_server.workshop.services import add_standard, set_up_workshop

    people = json.loads((HERE / "people.json").read_text())
    for person in people["people"]:
        Person.objects.create_person(**person, password=people["password"])
    Benches.objects.create(count=people["benches"])
    for username, at_bench in people["hours"].items():
        BenchHours.objects.create(person=Person.objects.get(username=username), **at_bench)
    for sheet in demo_sheets():
        add_sheet(sheet)
    for standard in demo_standards():
        add_standard(standard)
    load_stock(Person.objects.get(username="sten"))
    set_up_workshop(workshop_settings())
    TagSeries.objects.create(prefix="TW", next_number=FIRST_TAG)
    batch = announce(BATCH)
    tags = list(batch.units.order_by("position").values_list("tag", flat=True))
    count_in(batch, tags[:COUNTED_IN])
    live(batch)
    announce(TICKET_DESKS)
    centre = announce(CALL_CENTRE)
    count_in(centre, None)
    inspections = json.loads((CALL_CENTRE / "inspections.json").read_text())
    inspect(inspections[:CALL_CENTRE_INSPECTED], Person.objects.get(username="ines"))


def announce(folder: Path):
    """A batch with its manifest taken in, as the files in its folder say."""
    from sortis_server.arrive.manifests import take_in
    from sortis_server.arrive.services import make_batch

    told = json.loads((folder / "batch.json").read_text())
    told["arrived_on"] = date.today() - timedelta(days=told.pop("arrived_days_ago"))
    told["due_on"] = date.today() + timedelta(days=told.pop("due_in_days"))
    batch = make_batch(**told)
    take_in(batch, (folder / "manifest.csv").read_bytes())
    return batch


def inspect(told: list[dict], by) -> None:
    """Keep inspections, as an inspector typed them."""
    from sortis_server.arrive.models import Unit
    from sortis_server.inspect.services import clear_hazard, keep_inspection

    serials = [one["serial"] for one in told]
    tags = dict(Unit.objects.filter(serial__in=serials).values_list("serial", "tag"))
    for one in told:
        tag = tags[one["serial"]]
        keep_inspection(tag, 0, one["trim"], one["entries"], by, enough=False)
        if "hazard_gone" in one:
            clear_hazard(tag, one["hazard_gone"], by)


def load_stock(keeper) -> None:
    """Part kinds, lots booked in by movements, offers."""
    from demo.generator import demo_stock
    from sortis_server.stock.services import move, new_lot
    from sortis_server.workshop.models import OfferRow
    from sortis_server.workshop.services import add_part_kind

    kinds, lots, offers = demo_stock()
    articles = [o["article"] for o in json.loads((HERE / "stock.json").read_text())["offers"]]
    rows = {kind.key: add_part_kind(kind) for kind in kinds}
    for lot in lots:
        row = new_lot(rows[lot.kind], lot.condition, lot.place, lot.unit_cost_cents)
        move(row, lot.count, "first count", keeper)
    for article, offer in zip(articles, offers, strict=True):
        OfferRow.objects.create(
            kind=rows[offer.kind],
            article=article,
            pack_size=offer.pack_size,
            breaks=[step.model_dump() for step in offer.breaks],
            supplier=offer.supplier,
            price_cents=offer.price_cents,
            limit=offer.limit,
            days=offer.days,
        )


def live(batch) -> None:
    """What happened in the workshop so far."""
    from django.utils import timezone

    from sortis_server.day.services import keep_day
    from sortis_server.decide.approval import approve
    from sortis_server.decide.cases import Dials
    from sortis_server.decide.services import begin_plan
    from sortis_server.people.models import Person
    from sortis_server.stock.counting import receive
    from sortis_server.stock.models import Purchase

    ines, paul, sten = (Person.objects.get(username=u) for u in ("ines", "paul", "sten"))
    inspections = json.loads((BATCH / "inspections.json").read_text())

    def plan(**dials):
        return begin_plan(batch, paul, Dials(**dials))

    inspect(inspections[:FIRST_WAVE], ines)
    approve(batch, plan(money_cents=14_000, bench_minutes=300).number, paul)
    first = Purchase.objects.order_by("pk").first()
    if first:
        receive(first.pk, "shelf A-1", sten)
    work()
    inspect(inspections[FIRST_WAVE:], ines)
    plan()
    keep_day(timezone.localtime(), None, paul)


def work() -> None:
    """Some orders done, one begun, two units released."""
    from sortis_server.arrive.models import Unit
    from sortis_server.fit.bench import pause, tick
    from sortis_server.orders.models import WorkOrderRow
    from sortis_server.orders.parts import StepRefused
    from sortis_server.people.models import Person
    from sortis_server.release.services import gates_of, release, sign

    tomas, lena = (Person.objects.get(username=u) for u in ("tomas", "lena"))
    donors_first = sorted(
        WorkOrderRow.objects.select_related("unit"),
        key=lambda o: (not o.document["donor"], o.unit.tag),
    )
    finished = 0
    for order in donors_first:
        steps = len(order.document["steps"]) if finished < FINISHED_ORDERS else BEGUN_STEPS
        try:
            for done, step in enumerate(order.document["steps"][:steps]):
                took = step["minutes"] * 60 * PACES[(finished + done) % len(PACES)]
                tick(order.unit.tag, 1 + done, tomas, seconds=took)
        except StepRefused:
            pause(order.unit.tag, 1 + done, tomas)
            continue
        if finished == FINISHED_ORDERS:
            pause(order.unit.tag, 1 + steps, tomas)
        finished += 1
        if finished > FINISHED_ORDERS:
            break
    for unit in Unit.objects.filter(stage="release").order_by("tag")[:RELEASED]:
        for gate in gates_of(unit):
            if gate.signable:
                words = gate.usual[0] if gate.wants_words else ""
                sign(unit.tag, gate.gate, words, lena)
        release(unit.tag, lena)


def main() -> None:
    """Load once; ``--again`` empties first."""
    django.setup()
    from django.core.management import call_command
    from django.db import transaction

    from sortis_server.people.models import Person

    call_command("migrate", verbosity=0)
    if "--again" in sys.argv:
        call_command("flush", interactive=False)
    if not Person.objects.exists():
        with transaction.atomic():
            load()


if __name__ == "__main__":
    main()
