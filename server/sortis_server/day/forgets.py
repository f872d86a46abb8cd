"""Plans of days gone by."""

from datetime import datetime

from sortis_core.forgetting import Forgotten
from sortis_server.background.terms import forgets
from sortis_server.day.models import DayPlanRow


@forgets(Forgotten.DAY_PLANS)
def _day_plans(before: datetime) -> int:
    newest = DayPlanRow.objects.order_by("-pk").values_list("pk", flat=True).first()
    return DayPlanRow.objects.filter(at__lt=before).exclude(pk=newest).delete()[0]
