"""Inspections (append-only) and hazards."""

from django.conf import settings
from django.db import models

from sortis_core.findings import HazardKind
from sortis_server.arrive.models import Unit
from sortis_server.terms import TermField

PLAIN_LOOK = "inspection"
"""Where the findings of an ordinary look came from."""


class Inspection(models.Model):
    """All findings of one unit at one moment; never changed, the next one is added."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="inspections")
    number = models.PositiveIntegerField()
    findings = models.JSONField()
    source = models.CharField(max_length=80, default=PLAIN_LOOK)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "number"], name="inspection_once")]

    def __str__(self) -> str:
        return f"{self.unit.tag} inspection {self.number}"


class Hazard(models.Model):
    """A danger; blocks the unit until a named person records what was done."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="hazards")
    place = models.CharField(max_length=40)
    kind = TermField(HazardKind, max_length=30, default=HazardKind.UNNAMED)
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


class ReadOutRow(models.Model):
    """One probe bundle of a unit: the zip as it came, and what was read out of it; append-only."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="readouts")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)
    data = models.BinaryField()
    document = models.JSONField()

    def __str__(self) -> str:
        return f"{self.unit.tag} read-out"


class Photo(models.Model):
    """A picture of a unit, resized; kept in the database so that any server can show it."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="photos")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)
    words = models.CharField(max_length=200, blank=True)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    data = models.BinaryField()
    removed = models.BooleanField(default=False)
    """Taken off the unit; it can be put back until its term is over."""
    removed_at = models.DateTimeField(null=True)
    shown = models.PositiveSmallIntegerField(null=True)
    """Its place among what the buyer sees; empty for a picture that stays inside."""
    marks = models.JSONField(default=list)
    """The core's PictureMark documents."""

    def __str__(self) -> str:
        return f"{self.unit.tag} photo {self.pk}"
