"""What a workshop furnishes itself with: standards, part kinds, offers, tags, benches, hours."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from sortis_core.sheets import Stream
from sortis_server.terms import TermField
from sortis_server.versions import Document


class WorkshopVersion(Document):
    """One version of the workshop's own settings; the document is the core's."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="workshop_version")]


class StandardVersion(Document):
    """One version of a resale standard."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="standard_version")]


class PartKindRow(models.Model):
    """A kind of part."""

    key = models.CharField(max_length=60, unique=True)
    label = models.CharField(max_length=120)
    facts = models.JSONField()
    """What decides whether it fits, as the core's facts of its type."""
    harvest_value_cents = models.PositiveIntegerField(default=0)
    """What one taken from a donor is charged at when it serves another unit."""
    stream = TermField(Stream, max_length=20, blank=True)
    """What it would be recycled with; empty where nobody said."""
    grams = models.PositiveIntegerField(default=0)
    least = models.PositiveIntegerField(default=0)
    """So many are to lie free; what falls below it is to be bought."""
    instead_of = models.JSONField(default=list)
    """Keys of the kinds in whose place it goes as well."""

    def __str__(self) -> str:
        return self.key


class OfferRow(models.Model):
    """Parts of a kind that a supplier offers."""

    kind = models.ForeignKey(PartKindRow, on_delete=models.PROTECT, related_name="offers")
    article = models.CharField(max_length=60, blank=True)
    """The supplier's number; empty for an offer noted by hand."""
    supplier = models.CharField(max_length=80)
    price_cents = models.PositiveIntegerField()
    limit = models.IntegerField()
    """How many are still to be had; what is ordered goes off it."""
    days = models.PositiveIntegerField()
    pack_size = models.PositiveIntegerField(default=1)
    breaks = models.JSONField(default=list)
    """The core's PriceBreak documents."""
    quoted_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(limit__gte=0), name="offer_not_overdrawn")
        ]

    def __str__(self) -> str:
        return f"{self.kind.key} from {self.supplier}"


class TagSeries(models.Model):
    """The running number of the workshop's tags; its row is locked while tags are given."""

    prefix = models.CharField(max_length=4, unique=True)
    next_number = models.PositiveIntegerField()

    def __str__(self) -> str:
        return f"{self.prefix}-{self.next_number:04d}"


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
