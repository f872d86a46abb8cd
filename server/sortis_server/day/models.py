"""Who is at the benches when, and the plans of the days."""

from django.conf import settings
from django.db import models


class BenchHours(models.Model):
    """When somebody works at a bench in an ordinary week, and what they can do."""

    person = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="bench_hours"
    )
    skills = models.JSONField(default=list)
    """The core's Skill values."""
    hours = models.JSONField(default=dict)
    """Weekday from Monday, ``0`` to ``6`` -> stretches as [start, end] in minutes of the day."""
    version = models.PositiveIntegerField(default=1)

    def __str__(self) -> str:
        return f"hours of {self.person.name}"


class Benches(models.Model):
    """How many benches the workshop has; one row."""

    count = models.PositiveIntegerField(default=2)

    def __str__(self) -> str:
        return f"{self.count} benches"


class DayPlanRow(models.Model):
    """One plan of the days with the case it was made from; the newest is the one people go by."""

    case = models.JSONField()
    plan = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"day plan {self.pk}"
