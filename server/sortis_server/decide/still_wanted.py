"""What customers' orders still want of a plan."""

from collections import defaultdict
from collections.abc import Iterator

from sortis_core.selling import SaleState
from sortis_core.stages import Stage
from sortis_server.arrive.models import Batch
from sortis_server.decide.models import CustomerOrder
from sortis_server.orders.models import Outcome
from sortis_server.sources import Source, SourceKind


def still_wanted(batch: Batch, deciding: set[str]) -> Iterator[tuple[CustomerOrder, int]]:
    """Orders of the batch that are not full, and how many units each still wants of a plan.

    Not wanted again is what is on its way to the customer already: set aside or handed over, or
    approved for the order, and neither decided now nor promised to another buyer.

    :param deciding: tags of the units that the plan decides.
    """
    going = [state for state in SaleState if state.open or state is SaleState.HANDED_OVER]
    approved: dict[str, set[int]] = defaultdict(set)
    rows = Outcome.objects.filter(
        valid=True, unit__batch=batch, unit__stage__in=(Stage.FIT, Stage.RELEASE, Stage.RELEASED)
    ).exclude(unit__sales__state__in=going)
    newest = {row.unit_id: row for row in rows.select_related("unit").order_by("pk")}
    for row in newest.values():
        if row.order_key and row.unit.tag not in deciding:
            approved[row.order_key].add(row.unit_id)
    for order in batch.customer_orders.order_by("pk"):
        key = Source(SourceKind.CUSTOMER_ORDER, order.pk).key
        sold = set(order.sales.filter(state__in=going).values_list("unit", flat=True))
        left = order.count - len(sold | approved[key])
        if left > 0:
            yield order, left
