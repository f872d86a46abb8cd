"""Plans of the days."""

from django.conf import settings
from django.db import models


class DayPlanRow(models.Model):
    """One plan of the days with the case it was made from; the newest is the one people go by."""

    case = models.JSONField()
    plan = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"day plan {self.pk}"
