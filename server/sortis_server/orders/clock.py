"""The clock of a work order: it runs by itself while somebody is at the bench."""

from django.utils import timezone

from sortis_core.vocabulary.states import LogWhat
from sortis_server.orders.models import StepLog, WorkOrderRow
from sortis_server.people.models import Person

LONGEST_SECONDS = 4 * 3600
"""A step that seems to have run longer was forgotten; its time is no measure."""


def start(order: WorkOrderRow, by: Person) -> None:
    """Somebody takes the order, or goes on with it; the caller saves."""
    what = LogWhat.TAKEN
    if order.worker is None and order.begun_at:
        what = LogWhat.RESUMED
    elif order.worker_id != by.pk:
        # A colleague's seconds of the step in hand say nothing of whoever goes on.
        order.clock_carried, order.clock_counts = 0.0, True
    order.worker = by
    order.clock_from = timezone.now()
    order.begun_at = order.begun_at or order.clock_from
    note(order, what, by)


def pause(order: WorkOrderRow, by: Person) -> None:
    """The clock pauses and anybody may go on; what ran so far is kept."""
    order.clock_carried = seconds(order)
    order.clock_from = order.worker = None
    note(order, LogWhat.PAUSED, by)


def seconds(order: WorkOrderRow) -> float:
    """Seconds spent on the step in hand so far."""
    running = (timezone.now() - order.clock_from).total_seconds() if order.clock_from else 0.0
    return order.clock_carried + running


def stop_for_step(order: WorkOrderRow, measured: float | None) -> float | None:
    """Seconds of the step that is ticked now, None where they are no measure; starts anew.

    :param measured: what the screen measured, where the tick was kept while it was not connected.
    """
    took = seconds(order) if measured is None else measured
    counts = order.clock_counts and (order.clock_from is not None or order.clock_carried > 0)
    order.clock_from, order.clock_carried, order.clock_counts = timezone.now(), 0.0, True
    return took if counts and took <= LONGEST_SECONDS else None


def note(order: WorkOrderRow, what: LogWhat, by: Person, **more: object) -> StepLog:
    """Add a line to the order's log."""
    return StepLog.objects.create(order=order, step=order.done_steps, what=what, by=by, **more)
