"""Where units of a plan are now, where that is not where the plan has them."""

from pydantic import BaseModel

from sortis_core.stages import Stage, moved_on
from sortis_core.vocabulary.states import OrderState, PlanState
from sortis_server.arrive.models import Batch
from sortis_server.decide.views import PlanView
from sortis_server.orders.models import WorkOrderRow


class MovedOn(BaseModel):
    """A unit that went on since its outcome was found."""

    tag: str
    words: str


def units_moved(batch: Batch, plan: PlanView) -> list[MovedOn]:
    """Every unit of a plan that is elsewhere by now, or at the bench."""
    approved = plan.state == PlanState.APPROVED
    ends = {tag: row for row in plan.rows for tag in row.tags}
    begun = {
        tag: (done, len(document["steps"]))
        for tag, done, document in WorkOrderRow.objects.filter(
            unit__batch=batch, state=OrderState.OPEN, begun_at__isnull=False
        ).values_list("unit__tag", "done_steps", "document")
    }
    found: list[MovedOn] = []
    for tag, stage, blocked in batch.units.values_list("tag", "stage", "blocked").order_by("tag"):
        if (row := ends.get(tag)) is None:
            continue
        done, steps = begun.get(tag, (None, 0))
        words = moved_on(
            row.outcome,
            Stage(stage),
            approved=approved or row.kept,
            danger=blocked,
            done=done,
            steps=steps,
        )
        if words:
            found.append(MovedOn(tag=tag, words=words))
    return found
