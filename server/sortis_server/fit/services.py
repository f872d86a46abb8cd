"""Work at the bench: tick steps, move parts with them, write what the unit is like afterwards."""

from django.db import transaction

from sortis_core.actions import Action, after_actions
from sortis_core.base import SortisError, listed
from sortis_core.options import OutcomeKind
from sortis_core.route.work import WorkOrder, WorkStep
from sortis_core.stages import Stage, after_work
from sortis_core.stock import Condition, DriveFacts, PartKind
from sortis_server.arrive.models import Unit
from sortis_server.fit.models import OrderState, Reservation, StepLog, WorkOrderRow
from sortis_server.inspect.services import findings_of, save_findings, sheet_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.stock.models import Lot, PartKindRow
from sortis_server.stock.services import move, new_lot, part_kinds, promise, unpromise


class StepRefused(SortisError):
    """The step cannot be ticked now."""

    title = "The step was not ticked"


def order_of(unit: Unit) -> WorkOrderRow:
    """The newest work order of a unit.

    :raises NotThere: where it has none.
    """
    order = unit.orders.select_related("outcome", "unit__batch").order_by("-pk").first()
    if order is None:
        raise NotThere(f"{unit.tag} has no work order. Plan its batch and approve the plan first.")
    return order


def _locked(tag: str, version: int) -> tuple[Unit, WorkOrderRow, WorkOrder]:
    unit = Unit.objects.select_for_update().select_related("batch").get(tag=tag)
    order = order_of(unit)
    if order.version != version:
        raise StaleVersion(
            f"{tag} was worked on from another screen: step {order.done_steps} is done there. "
            "This screen now shows the same.",
            version=order.version,
        )
    if order.state != OrderState.OPEN:
        raise StepRefused(f"The work order of {tag} is {order.state}. There is nothing to tick.")
    return unit, order, WorkOrder.model_validate(order.document)


def tick(tag: str, version: int, by: Person) -> WorkOrderRow:
    """Tick the next step; parts of its actions move, and the last step finishes the order.

    :raises StaleVersion: where another screen was faster.
    :raises StepRefused: where a part of the step is not there yet.
    """
    with transaction.atomic():
        unit, order, work = _locked(tag, version)
        step = work.steps[order.done_steps]
        kinds = part_kinds()
        for action in step.actions:
            _part_out(unit, action, kinds, by)
            if action.verb == "fit":
                _part_in(unit, order, action, kinds, by)
        order.done_steps += 1
        order.version += 1
        StepLog.objects.create(order=order, step=step.number, what="done", by=by)
        if order.done_steps == len(work.steps):
            _finish(unit, order, work, kinds, by)
        order.save()
        return order


def _part_in(
    unit: Unit, order: WorkOrderRow, action: Action, kinds: dict[str, PartKind], by: Person
) -> None:
    for place, kind in action.parts:
        _take(unit, order, place, kinds[kind].label, by)


def _take(unit: Unit, order: WorkOrderRow, place: str, label: str, by: Person) -> None:
    """One promised part leaves its lot for the unit."""
    reservation = order.reservations.select_for_update().get(place=place)
    if reservation.lot is None:
        if reservation.giver:
            raise StepRefused(
                f"{label} is still in {reservation.giver.tag}. Take it out there first."
            )
        if reservation.purchase:
            raise StepRefused(
                f"{label} is on order and not here yet. Book it in under Stock first."
            )
        raise StepRefused(
            f"The {label} promised to {unit.tag} failed its test. Press ! to stop the order; the "
            "unit is then planned again."
        )
    if reservation.lot.condition == Condition.HARVESTED_UNTESTED:
        raise StepRefused(
            f"{label} {reservation.lot.place} was not tried yet. Try it, note under Stock whether "
            "it works, then go on."
        )
    unpromise(reservation.lot)
    move(reservation.lot, -1, f"fitted into {unit.tag}", by, unit)
    reservation.taken = True
    reservation.save()


def _part_out(unit: Unit, action: Action, kinds: dict[str, PartKind], by: Person) -> None:
    """What comes out enters the store: promised to whoever waits for it, else free."""
    if not action.takes_out:
        return
    kind = kinds[action.takes_out]
    # What sits in a unit that starts was seen working with it.
    condition = (
        Condition.HARVESTED_TESTED if findings_of(unit).starts else Condition.HARVESTED_UNTESTED
    )
    if isinstance(kind.facts, DriveFacts):
        condition = Condition.AWAITING_SANITISING
    row = PartKindRow.objects.get(key=kind.key)
    lot = new_lot(row, condition, f"out of {unit.tag}", kind.harvest_value_cents)
    move(lot, 1, f"taken out of {unit.tag}", by, unit)
    waiting = (
        Reservation.objects.select_for_update()
        .filter(giver=unit, kind=row, lot=None, order__state=OrderState.OPEN)
        .order_by("order__unit__tag", "place")
        .first()
    )
    if waiting:
        waiting.lot = promise(lot.pk)
        waiting.save()


def back(tag: str, version: int, by: Person) -> WorkOrderRow:
    """Take the last tick back; its parts move back too.

    :raises StepRefused: at the first step, or where a part that came out was used elsewhere.
    """
    with transaction.atomic():
        unit, order, work = _locked(tag, version)
        if order.done_steps == 0:
            raise StepRefused("No step is ticked yet.")
        step = work.steps[order.done_steps - 1]
        for action in step.actions:
            _undo_action(unit, order, action, by)
        order.done_steps -= 1
        order.version += 1
        order.save()
        StepLog.objects.create(order=order, step=step.number, what="back", by=by)
        return order


def _undo_action(unit: Unit, order: WorkOrderRow, action: Action, by: Person) -> None:
    if action.takes_out:
        lot = Lot.objects.select_for_update().get(
            kind__key=action.takes_out, place=f"out of {unit.tag}"
        )
        promised = (
            Reservation.objects.select_for_update()
            .filter(lot=lot, taken=False, giver=unit)
            .order_by("-order__unit__tag")
            .first()
        )
        if lot.on_hand < 1:
            raise StepRefused(
                f"What came out of {unit.tag} is in another unit already, so this step stays done."
            )
        if promised:
            promised.lot = None
            promised.save()
            unpromise(lot)
        move(lot, -1, f"put back into {unit.tag}", by, unit)
    for place, _ in action.parts:
        reservation = order.reservations.get(place=place)
        move(reservation.lot, 1, f"taken back out of {unit.tag}", by, unit)
        reservation.lot = promise(reservation.lot.pk)
        reservation.taken = False
        reservation.save()


def _finish(
    unit: Unit, order: WorkOrderRow, work: WorkOrder, kinds: dict[str, PartKind], by: Person
) -> None:
    """Write the findings as they are now and send the unit on."""
    outcome = OutcomeKind(order.outcome.document["outcome"])
    actions = _actions(work.steps)
    findings = after_actions(sheet_of(unit), findings_of(unit), actions, kinds)
    save_findings(unit, findings, by, "work order, seen working" if not work.donor else "taken out")
    order.state = OrderState.DONE
    unit.stage = after_work(outcome)
    unit.save()


def _actions(steps: tuple[WorkStep, ...]) -> tuple[Action, ...]:
    return tuple(action for step in steps for action in step.actions)


def give_back(order: WorkOrderRow) -> None:
    """Give back everything that is promised to an order and not fitted yet."""
    for reservation in order.reservations.select_for_update().filter(taken=False):
        if reservation.lot:
            unpromise(reservation.lot)
        reservation.delete()


def stop(tag: str, version: int, words: str, by: Person) -> WorkOrderRow:
    """Not as written: stop the order, give its promises back, send the unit to inspection.

    What was fitted or taken out already stays recorded in the unit's findings.

    :raises StepRefused: without words, or where other units wait for parts of this one.
    """
    if len(words.strip()) < 4:
        raise StepRefused("Say in a few words what is not as written.")
    with transaction.atomic():
        unit, order, work = _locked(tag, version)
        waiting = Reservation.objects.filter(
            giver=unit, lot=None, order__state=OrderState.OPEN
        ).select_related("order__unit")
        if tags := sorted({r.order.unit.tag for r in waiting if r.order_id != order.pk}):
            raise StepRefused(
                f"{listed(tags)} {'waits' if len(tags) == 1 else 'wait'} for parts of {tag}. Stop "
                "those orders first, so that they are planned again."
            )
        give_back(order)
        done = _actions(work.steps[: order.done_steps])
        if done:
            findings = after_actions(sheet_of(unit), findings_of(unit), done, part_kinds())
            save_findings(unit, findings, by, "work order, stopped")
        order.state, order.words = OrderState.STOPPED, words.strip()
        order.version += 1
        order.save()
        unit.stage = Stage.INSPECT
        unit.notes = f"Not as written: {words.strip()}"[:200]
        unit.save()
        return order
