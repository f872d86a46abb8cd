"""Names of buyers whose sales ended long ago; the sales stay."""

from datetime import datetime

from django.db import transaction
from django.db.models import Max

from sortis_core.forgetting import NAMELESS, Forgotten, without_name
from sortis_server.arrive.models import Unit
from sortis_server.background.terms import forgets
from sortis_server.sell.market import at_market, number_in
from sortis_server.sell.models import MarketAnswer, Sale
from sortis_server.sell.services import LONGEST_NOTES

AT_ONCE = 500


@forgets(Forgotten.BUYERS)
def _buyers(before: datetime) -> int:
    # What came back or was cancelled after the sale counts from then on.
    over = Sale.objects.filter(open_unit=None).exclude(buyer=NAMELESS)
    known = (
        over.select_related("unit")
        .annotate(last=Max("steps__at"))
        .filter(last__lt=before)
        .order_by("pk")
    )
    gone = 0
    while sales := list(known[:AT_ONCE]):
        with transaction.atomic():
            for sale in sales:
                # The unit first, as whoever sells it or takes it back does.
                Unit.objects.select_for_update().get(pk=sale.unit_id)
                if (still := known.filter(pk=sale.pk).first()) is not None:
                    _without_buyer(still)
        gone += len(sales)
    return gone


def _without_buyer(sale: Sale) -> None:
    name = sale.buyer
    for step in sale.steps.all():
        step.words = without_name(step.words, name)[:200]
        step.save(update_fields=["words"])
    sale.buyer, sale.reason = NAMELESS, without_name(sale.reason, name)[:200]
    sale.save(update_fields=["buyer", "reason"])
    # A unit that came back says why.
    unit = sale.unit
    if (why := without_name(unit.back_for, name)[:LONGEST_NOTES]) != unit.back_for:
        Unit.objects.filter(pk=unit.pk).update(back_for=why)
    for answer in MarketAnswer.objects.filter(number=number_in(name)):
        named = answer.order.get("buyer", "")
        if at_market(named, answer.number) == name:
            answer.order |= {"buyer": NAMELESS}
            answer.sentence = without_name(answer.sentence, named)[:300]
            answer.save(update_fields=["order", "sentence"])
