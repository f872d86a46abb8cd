"""Work at the bench: take an order, tick its steps, rest, hand over; the rest follows by itself."""

from django.db import transaction

from sortis_core.actions import Verb, after_actions
from sortis_core.awaited import require_here
from sortis_core.base import listed
from sortis_core.options import OutcomeKind
from sortis_core.reasons import says_something
from sortis_core.route.work import StepKind, WorkOrder, WorkStep
from sortis_core.stages import Stage, after_work
from sortis_core.stock import PartKind
from sortis_core.vocabulary.states import LogWhat, OrderState
from sortis_server.arrive.models import Unit
from sortis_server.fit.fetching import awaited
from sortis_server.inspect.services import findings_of, save_findings, sheet_of
from sortis_server.orders import clock
from sortis_server.orders.models import WorkOrderRow
from sortis_server.orders.orders import actions_of, in_hand, locked, order_of, overtaken, set_aside
from sortis_server.orders.parts import (
    StepRefused,
    give_back,
    origins_of,
    put_into_store,
    take,
    undo,
    waiters,
)
from sortis_server.people.models import Person
from sortis_server.workshop.services import part_kinds


def begin(tag: str, version: int, by: Person, *, on_purpose: bool = False) -> WorkOrderRow:
    """Take an order to the bench, take it over from a colleague, or go on after a rest.

    :param on_purpose: also where parts of it are not here yet.
    :raises PartsAwaited: where nobody began it, parts are not here, and it is not on purpose.
    """
    with transaction.atomic():
        _, order, _ = locked(tag, version)
        if order.worker_id == by.pk and order.clock_from:
            return order
        if order.begun_at is None:
            require_here(tag, awaited(order), on_purpose=on_purpose)
        clock.start(order, by)
        order.version += 1
        order.save()
        return order


def pause(tag: str, version: int, by: Person) -> WorkOrderRow:
    """The clock stops, and anybody may go on."""
    with transaction.atomic():
        _, order, _ = locked(tag, version)
        in_hand(order, by)
        if order.clock_from is None:
            return order
        clock.pause(order, by)
        order.version += 1
        order.save()
        return order


def discount(tag: str, version: int, by: Person) -> WorkOrderRow:
    """The time of the step in hand is no measure of it (a call, a search), or is one after all."""
    with transaction.atomic():
        _, order, _ = locked(tag, version)
        in_hand(order, by)
        order.clock_counts = not order.clock_counts
        order.version += 1
        order.save()
        return order


def tick(
    tag: str,
    version: int,
    by: Person,
    *,
    token: str = "",
    seconds: float | None = None,
    seen: int | None = None,
) -> WorkOrderRow:
    """Tick the next step; parts of its actions move, and the last step finishes the order.

    :param token: names the tick; the same one sent twice counts once.
    :param seconds: what the screen measured, for a tick kept while it was not connected.
    :param seen: how many steps were done when the key was pressed; none where nobody says.
    :raises StaleVersion: where another screen was faster.
    :raises StepRefused: where a part of the step is not there yet, or somebody else has the order.
    """
    with transaction.atomic():
        if token:
            unit = Unit.objects.select_for_update().get(tag=tag)
            before = order_of(unit)
            if before.log.filter(token=token).exists():
                return before
        unit, order, work = locked(tag, version)
        if seen is not None and seen != order.done_steps:
            raise overtaken(order, tag)
        in_hand(order, by)
        step = work.steps[order.done_steps]
        if order.worker_id is None:
            # Nobody saw when it began, so the first step's time is no measure.
            clock.start(order, by)
            order.clock_counts = False
        kinds = part_kinds()
        findings = findings_of(unit)
        for action in step.actions:
            put_into_store(unit, findings, action, kinds, by)
            if action.verb is Verb.FIT:
                for place, kind in action.parts:
                    take(unit, order, place, kinds[kind].label, by)
        order.done_steps += 1
        order.version += 1
        clock.note(
            order,
            LogWhat.DONE,
            by,
            key=step.key,
            seconds=clock.stop_for_step(order, seconds),
            sheet_minutes=step.sheet_minutes if _is_measured(step) else None,
            token=token,
        )
        if order.done_steps == len(work.steps):
            _finish(unit, order, work, kinds, by)
        order.save()
        return order


def _is_measured(step: WorkStep) -> bool:
    """Waiting and installing go by the policy's minutes; every other step's time teaches."""
    return step.kind not in (StepKind.PREPARE, StepKind.INSTALL)


def back(tag: str, version: int, by: Person) -> WorkOrderRow:
    """Take the last tick back; its parts move back too.

    :raises StepRefused: at the first step, or where a part that came out was used elsewhere.
    """
    with transaction.atomic():
        unit, order, work = locked(tag, version)
        in_hand(order, by)
        if order.done_steps == 0:
            raise StepRefused(
                f"{tag} lies open from before; what is done stays done."
                if work.begun.opened
                else f"No step of {tag} is done yet."
            )
        step = work.steps[order.done_steps - 1]
        for action in step.actions:
            undo(unit, order, action, by)
        clock.note(order, LogWhat.BACK, by, key=step.key)
        order.done_steps -= 1
        order.version += 1
        clock.stop_for_step(order, None)
        order.save()
        return order


def _finish(
    unit: Unit, order: WorkOrderRow, work: WorkOrder, kinds: dict[str, PartKind], by: Person
) -> None:
    """Write the findings as they are now and send the unit on."""
    actions = actions_of(work.steps)
    if actions:
        findings = after_actions(
            sheet_of(unit), findings_of(unit), actions, kinds, origins_of(order)
        )
        source = "work order, seen working" if not work.donor else "taken out"
        save_findings(unit, findings, by, source)
    order.state = OrderState.DONE
    order.worker = order.clock_from = None
    unit.stage = order.then if order.then else after_work(_outcome(order))
    unit.save()


def _outcome(order: WorkOrderRow) -> OutcomeKind:
    return order.outcome.outcome


def stop(tag: str, version: int, words: str, by: Person) -> WorkOrderRow:
    """Stop the order, give its promises back, send the unit to inspection.

    What was fitted or taken out already stays recorded in the unit's findings.

    :raises StepRefused: without words, or where other units wait for parts of this one.
    """
    if not says_something(words):
        raise StepRefused("Say in a few words what is not as written.")
    with transaction.atomic():
        unit, order, work = locked(tag, version)
        in_hand(order, by)
        if tags := sorted({r.order.unit.tag for r in waiters(unit) if r.order_id != order.pk}):
            raise StepRefused(
                f"{listed(tags)} {'waits' if len(tags) == 1 else 'wait'} for parts of {tag}. Stop "
                "those orders first, so that they are planned again."
            )
        give_back(order)
        set_aside(unit, order, work, words.strip(), by)
        unit.stage = Stage.INSPECT
        unit.back_for = f"not as written: {words.strip()}"[:200]
        unit.save()
        return order
