"""Inspections (append-only) and hazards."""

from django.conf import settings
from django.db import models

from sortis_server.arrive.models import Unit


class Inspection(models.Model):
    """All findings of one unit at one moment; never changed, the next one is added."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="inspections")
    number = models.PositiveIntegerField()
    findings = models.JSONField()
    source = models.CharField(max_length=80, default="inspection")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "number"], name="inspection_once")]

    def __str__(self) -> str:
        return f"{self.unit.tag} inspection {self.number}"


class Hazard(models.Model):
    """A dangerous pack; blocks the unit until a named person records that it is gone."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="hazards")
    place = models.CharField(max_length=40)
    seen_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="hazards_seen"
    )
    seen_at = models.DateTimeField(auto_now_add=True)
    done = models.CharField(max_length=400, blank=True)
    done_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="hazards_done", null=True
    )
    done_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.place}"
