"""Batches and their units."""

from django.conf import settings
from django.db import models

from sortis_core.intake.count import ComesAlong, CountVerdict
from sortis_core.stages import Stage
from sortis_core.vocabulary.states import ImportState
from sortis_server.terms import TermField


class Batch(models.Model):
    """Units bought together."""

    slug = models.SlugField(max_length=70, unique=True, allow_unicode=True)
    """Its address; letters of any script."""
    name = models.CharField(max_length=80)
    source = models.CharField(max_length=120)
    arrived_on = models.DateField()
    due_on = models.DateField()
    currency = models.CharField(max_length=3, default="EUR")
    money_cents = models.PositiveIntegerField()
    bench_minutes = models.PositiveIntegerField()
    skill_minutes = models.JSONField(default=dict)
    """Of these, at most so many minutes by skill; a skill not named has no limit of its own."""
    policy = models.JSONField(default=dict)
    closed_at = models.DateTimeField(null=True)
    """Laid aside: nothing of it waits any more."""

    def __str__(self) -> str:
        return self.name


class Unit(models.Model):
    """One machine, with a tag printed by us."""

    tag = models.CharField(max_length=12, unique=True)
    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="units")
    serial = models.CharField(max_length=200)
    notes = models.CharField(max_length=200, blank=True)
    """As the list that announced it says."""
    back_for = models.CharField(max_length=200, blank=True)
    """Why it was last sent back to inspection: a surprise at the bench, what a buyer says."""
    comes_with = models.CharField(max_length=200, blank=True)
    counted_at = models.DateTimeField(null=True)
    sheet_key = models.CharField(max_length=60)
    sheet_version = models.PositiveIntegerField()
    stage = TermField(Stage, max_length=12, default=Stage.ARRIVE)
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


class ManifestImport(models.Model):
    """One manifest on its way in: the file, what its columns mean, the verdict on every row."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="imports")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)
    name = models.CharField(max_length=120)
    data = models.BinaryField()
    state = TermField(ImportState, max_length=10, default=ImportState.CHECKING)
    columns = models.JSONField(default=dict)
    """Field -> number of its column."""
    chosen = models.JSONField(default=dict)
    """Plain model name -> sheet key, as a person chose."""
    mended = models.JSONField(default=dict)
    """Line -> the core's RowMend."""
    only = models.JSONField(null=True)
    """Lines of the file that it is about; None for all. Rows that were set aside are a list of
    their own."""
    headers = models.JSONField(default=list)
    samples = models.JSONField(default=list)
    """The first rows as they stand in the file."""
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    doing = models.CharField(max_length=60, blank=True)
    stop_wanted = models.BooleanField(default=False)
    verdicts = models.JSONField(default=list)
    refusal = models.CharField(max_length=400, blank=True)
    first_tag = models.CharField(max_length=12, blank=True)
    last_tag = models.CharField(max_length=12, blank=True)

    def __str__(self) -> str:
        return f"{self.name} for {self.batch}"


class SourceMemory(models.Model):
    """What was said about the lists of one source, for its next list."""

    source = models.CharField(max_length=120, unique=True)
    headers = models.JSONField(default=dict)
    names = models.JSONField(default=dict)

    def __str__(self) -> str:
        return self.source


class ScanNote(models.Model):
    """Something that did not match at the count: surplus, another batch's, swapped labels."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="scan_notes")
    verdict = TermField(CountVerdict, max_length=10)
    code = models.CharField(max_length=200)
    tag = models.CharField(max_length=12, blank=True)
    other = models.CharField(max_length=12, blank=True)
    sentence = models.CharField(max_length=400)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)
    settled = models.CharField(max_length=200, blank=True)
    """What was done about it; empty while open."""

    def __str__(self) -> str:
        return f"{self.batch}: {self.verdict} {self.code}"


class ExtraCount(models.Model):
    """Things that come along with the units: adapters, docks, loose packs."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="extras")
    kind = TermField(ComesAlong, max_length=20)
    expected = models.PositiveIntegerField(default=0)
    seen = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["batch", "kind"], name="extra_once")]

    def __str__(self) -> str:
        return f"{self.batch}: {self.kind}"
