"""Approved outcomes as rows, and as the core knows them."""

from sortis_core.documents import read_document
from sortis_core.plan.result import UnitOutcome
from sortis_server.arrive.models import Unit
from sortis_server.orders.models import Outcome
from sortis_server.people.models import Person

SUM = (
    "outcome",
    "standard",
    "group",
    "minutes",
    "price_cents",
    "customer_cents",
    "parts_cents",
    "gives_cents",
    "labour_cents",
    "fees_cents",
    "contribution_cents",
    "pinned",
    "runner_up",
    "loss_cents",
    "reason",
)
"""Fields that are the same in both."""
LISTS = ("actions", "skills", "waits_for")


def write_outcome(unit: Unit, plan_id: int, decided: UnitOutcome, by: Person) -> Outcome:
    """Keep how a unit was decided."""
    told = decided.model_dump(mode="json", include=set(LISTS))
    return Outcome.objects.create(
        unit=unit,
        plan_id=plan_id,
        order_key=decided.sales_order,
        approved_by=by,
        **{name: getattr(decided, name) for name in SUM},
        **told,
    )


def decided_of(row: Outcome) -> UnitOutcome:
    """How a unit was decided, as the core knows it."""
    return read_document(
        UnitOutcome,
        {
            "tag": row.unit.tag,
            "sales_order": row.order_key,
            **{name: getattr(row, name) for name in (*SUM, *LISTS)},
        },
    )
