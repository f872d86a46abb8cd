"""Batches and their units."""

from django.db import models

from sortis_core.stages import Stage


class Batch(models.Model):
    """Units bought together."""

    slug = models.SlugField(max_length=60, unique=True)
    name = models.CharField(max_length=80)
    source = models.CharField(max_length=120)
    arrived_on = models.DateField()
    due_on = models.DateField()
    currency = models.CharField(max_length=3, default="EUR")
    money_cents = models.PositiveIntegerField()
    bench_minutes = models.PositiveIntegerField()
    policy = models.JSONField(default=dict)

    def __str__(self) -> str:
        return self.name


class Unit(models.Model):
    """One machine, with a tag printed by us."""

    tag = models.CharField(max_length=12, unique=True)
    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="units")
    serial = models.CharField(max_length=200)
    notes = models.CharField(max_length=200, blank=True)
    sheet_key = models.CharField(max_length=60)
    sheet_version = models.PositiveIntegerField()
    stage = models.CharField(max_length=12, choices=[(s, s) for s in Stage], default=Stage.ARRIVE)
    position = models.PositiveIntegerField()
    inspection_number = models.PositiveIntegerField(default=0)
    """Number of the newest inspection; a save names the one it started from."""
    blocked = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["batch", "stage", "position"])]
        constraints = [
            models.UniqueConstraint(fields=["batch", "serial"], name="serial_once_a_batch")
        ]

    def __str__(self) -> str:
        return self.tag


class TagSeries(models.Model):
    """The running number of the workshop's tags; its row is locked while tags are given."""

    prefix = models.CharField(max_length=4, unique=True)
    next_number = models.PositiveIntegerField()

    def __str__(self) -> str:
        return f"{self.prefix}-{self.next_number:04d}"
