"""Work orders at the bench: whose they are, how far they are, how a unit was left."""

from sortis_core.actions import Action, after_actions
from sortis_core.documents import read_document
from sortis_core.route.work import Begun, WorkOrder, WorkStep
from sortis_core.vocabulary.states import OrderState
from sortis_server.arrive.models import Unit
from sortis_server.inspect.services import findings_of, save_findings, sheet_of
from sortis_server.orders.models import WorkOrderRow
from sortis_server.orders.parts import StepRefused, end, origins_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.workshop.services import part_kinds


def order_of(unit: Unit) -> WorkOrderRow:
    """The newest work order of a unit.

    :raises NotThere: where it has none.
    """
    rows = unit.orders.select_related("outcome", "unit__batch", "worker")
    order = rows.order_by("-pk").first()
    if order is None:
        raise NotThere(f"{unit.tag} has no work order. Plan its batch and approve the plan first.")
    return order


def overtaken(order: WorkOrderRow, tag: str) -> StaleVersion:
    """What is said to a screen that shows an order as it was."""
    steps = (
        f"step {order.done_steps} is done there" if order.done_steps else "no step is done there"
    )
    has_it = f", and {order.worker.name} has it" if order.worker else ""
    return StaleVersion(
        f"{tag} was worked on from another screen: {steps}{has_it}. This screen now shows the "
        "same.",
        version=order.version,
    )


def locked(tag: str, version: int) -> tuple[Unit, WorkOrderRow, WorkOrder]:
    """An open order as the screen showed it.

    :raises StaleVersion: where another screen was faster.
    :raises StepRefused: where it is not open any more.
    """
    unit = Unit.objects.select_for_update().get(tag=tag)
    order = order_of(unit)
    order.unit = unit
    if order.version != version:
        raise overtaken(order, tag)
    if order.state != OrderState.OPEN:
        raise StepRefused(f"The work order of {tag} is {order.state}. There is nothing to tick.")
    return unit, order, read_document(WorkOrder, order.document)


def in_hand(order: WorkOrderRow, by: Person) -> None:
    """Who ticks has the order; nobody ticks under somebody else's hands.

    :raises StepRefused: where another person has it.
    """
    if order.worker_id and order.worker_id != by.pk:
        raise StepRefused(
            f"{order.worker.name} has this order at step {order.done_steps + 1}. Take it over "
            "first; it goes on at the same step.",
            worker=order.worker.name,
        )


def actions_of(steps: tuple[WorkStep, ...]) -> tuple[Action, ...]:
    """All actions of some steps, in order."""
    return tuple(action for step in steps for action in step.actions)


def lies_open(unit: Unit) -> Begun:
    """How the unit lies since its last order was stopped; closed where nobody left it open."""
    last = unit.orders.order_by("-pk").first()
    left = last.left_open if last and last.state != OrderState.OPEN else None
    return read_document(Begun, left | {"laid_aside": True}) if left else Begun()


def next_version(unit: Unit) -> int:
    """Version that the unit's next order begins with, above all that a screen may have seen."""
    last = unit.orders.order_by("-pk").first()
    return last.version + 1 if last else 1


def set_aside(unit: Unit, order: WorkOrderRow, work: WorkOrder, words: str, by: Person) -> None:
    """End an order where it is: what was done becomes findings, how it lies open is kept."""
    done = actions_of(work.steps[: order.done_steps])
    if done:
        findings = after_actions(
            sheet_of(unit), findings_of(unit), done, part_kinds(), origins_of(order)
        )
        save_findings(unit, findings, by, "work order, stopped")
    end(order, words)
