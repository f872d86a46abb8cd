"""What people wish of a plan: customers' orders, pins and notes; and what holds wait for."""

from datetime import date, datetime

from django.db import transaction
from django.utils import timezone

from sortis_core.base import SortisError
from sortis_core.options import OutcomeKind
from sortis_core.stages import Stage
from sortis_server.arrive.models import Batch, Unit
from sortis_server.decide.cases import unit_is_open
from sortis_server.decide.models import CustomerOrder, PinChange, UnitPin
from sortis_server.orders.models import Outcome
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.stock.services import free_lots
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import newest_standards


class WishRefused(SortisError):
    """The wish cannot be kept."""

    title = "The wish was not kept"


def add_order(
    batch: Batch,
    customer: str,
    standard: str,
    count: int,
    sheets: list[str],
    due_on: date | None,
    price_cents: int | None,
    by: Person,
) -> CustomerOrder:
    """Keep a customer's order.

    :param price_cents: paid for each; None for what the standard gives.

    :raises WishRefused: for an unknown standard or model, or a day before today.
    """
    names = {s.key: s.name for s in newest_standards()}
    if standard not in names:
        raise WishRefused(f"There is no standard {standard}. Choose one of {', '.join(names)}.")
    here = set(batch.units.values_list("sheet_key", flat=True))
    if strange := sorted(set(sheets) - here):
        raise WishRefused(f"This batch has no {strange[0]}. Choose among its models.")
    if due_on and due_on < date.today():
        raise WishRefused(f"{due_on:%d %b %Y} has passed. Give a day from today on.")
    return CustomerOrder.objects.create(
        batch=batch,
        customer=customer.strip(),
        standard=standard,
        count=count,
        sheets=sorted(sheets),
        due_on=due_on,
        price_cents=price_cents,
        by=by,
    )


def drop_order(batch: Batch, order_id: int) -> None:
    """Take an order off.

    :raises NotThere: where there is none.
    """
    if not batch.customer_orders.filter(pk=order_id).delete()[0]:
        raise NotThere("This order is not there any more.")


def pin_units(
    batch: Batch,
    tags: list[str],
    outcome: OutcomeKind | None,
    standard: str,
    option: str,
    note: str | None,
    by: Person,
) -> None:
    """Decide how units end, or note something about them; no outcome takes the pin off.

    :param outcome: None for no decision.
    :param note: None leaves the note as it is.
    :raises WishRefused: where a unit is not there to be decided.
    """
    with transaction.atomic():
        units = {
            unit.tag: unit
            for unit in Unit.objects.select_for_update().filter(batch=batch, tag__in=tags)
        }
        for tag in tags:
            unit = units.get(tag)
            if unit is None:
                raise WishRefused(f"{tag} is not a unit of this batch.")
            if outcome and not unit_is_open(unit):
                raise WishRefused(
                    f"{tag} is in {unit.stage}: its work is begun or it is not inspected yet. Only "
                    "units that wait for a decision can be pinned."
                )
            pin, _ = UnitPin.objects.get_or_create(unit=unit, defaults={"by": by})
            if (pin.outcome, pin.standard) != (outcome or "", standard):
                PinChange.objects.create(unit=unit, outcome=outcome or "", standard=standard, by=by)
            pin.outcome = outcome or ""
            pin.standard, pin.option, pin.by = standard, option, by
            if note is not None:
                pin.note = note.strip()[:200]
            if pin.outcome or pin.note:
                pin.save()
            else:
                pin.delete()


def wake_holds(kind: PartKindRow, **_: object) -> None:
    """A part came: mark the held units that wait for one of its kind."""
    held = Outcome.objects.filter(
        valid=True, unit__stage=Stage.DECIDE, woken_at=None, outcome=OutcomeKind.HOLD
    )
    for outcome in held.select_for_update():
        if kind.key in outcome.waits_for:
            outcome.woken_at = timezone.now()
            outcome.save(update_fields=["woken_at"])


def unwake_holds(kind: PartKindRow, since: datetime, **_: object) -> None:
    """Parts that had come were taken back: what waited for them waits again."""
    if any(lot.kind == kind.key and lot.condition.usable for lot in free_lots()):
        return
    woken = Outcome.objects.filter(
        valid=True, unit__stage=Stage.DECIDE, outcome=OutcomeKind.HOLD, woken_at__gte=since
    )
    for outcome in woken.select_for_update():
        if kind.key in outcome.waits_for:
            outcome.woken_at = None
            outcome.save(update_fields=["woken_at"])


def woken_units(batch: Batch) -> dict[str, str]:
    """Held units of the batch whose part has come: tag -> keys of the kinds they wait for."""
    rows = Outcome.objects.filter(valid=True, unit__batch=batch, unit__stage=Stage.DECIDE)
    newest: dict[str, Outcome] = {}
    for row in rows.select_related("unit").order_by("pk"):
        newest[row.unit.tag] = row
    return {tag: row.waits_for for tag, row in sorted(newest.items()) if row.woken_at}
