"""Names of customers whose batches were closed long ago; the plans stay."""

from datetime import datetime

from django.db import transaction

from sortis_core.forgetting import (
    NAMELESS,
    Forgotten,
    said_without_customer,
    without_customer,
)
from sortis_server.arrive.models import Batch
from sortis_server.background.terms import forgets
from sortis_server.decide.models import CustomerOrder, PlanRow
from sortis_server.orders.models import Outcome


@forgets(Forgotten.CUSTOMERS)
def _customers(before: datetime) -> int:
    named = CustomerOrder.objects.exclude(customer=NAMELESS)
    gone = 0
    old = Batch.objects.filter(closed_at__lt=before, customer_orders__in=named).distinct()
    for batch in old.order_by("pk"):
        with transaction.atomic():
            # Whoever opens it again meanwhile finds it with all names or with none.
            still = Batch.objects.select_for_update().filter(pk=batch.pk, closed_at__lt=before)
            if not still.exists():
                continue
            orders = list(named.select_for_update().filter(batch=batch))
            # The longer first: one may be a part of another.
            for name in sorted({order.customer for order in orders}, key=len, reverse=True):
                _without(batch, name)
            gone += named.filter(pk__in=[o.pk for o in orders]).update(customer=NAMELESS)
    return gone


def _without(batch: Batch, name: str) -> None:
    # One after another: a plan may be some megabytes, and a batch may have had many.
    for number in list(batch.plans.order_by("pk").values_list("pk", flat=True)):
        row = PlanRow.objects.get(pk=number)
        row.case, row.plan = without_customer(row.case, name), without_customer(row.plan, name)
        row.refusal = said_without_customer(row.refusal, name)[:600]
        row.save(update_fields=["case", "plan", "refusal"])
    for outcome in Outcome.objects.filter(plan__batch=batch).order_by("pk"):
        if (reason := said_without_customer(outcome.reason, name)) != outcome.reason:
            outcome.reason = reason
            outcome.save(update_fields=["reason"])
