"""What is counted and promised. Counts change by movements only and never fall below zero."""

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from sortis_core.stock import Condition, DriveEnd
from sortis_core.takeback import StoreAct
from sortis_core.vocabulary.states import PurchaseState
from sortis_server.arrive.models import Unit
from sortis_server.takeback import Retractable
from sortis_server.terms import TermField
from sortis_server.workshop.models import OfferRow, PartKindRow


class Lot(models.Model):
    """Equal parts in one place and condition.

    ``on_hand`` is the sum of the lot's movements, written together with them; ``promised`` is the
    number of reservations that wait for it.
    """

    kind = models.ForeignKey(PartKindRow, on_delete=models.PROTECT, related_name="lots")
    condition = TermField(Condition, max_length=30)
    place = models.CharField(max_length=60)
    unit_cost_cents = models.PositiveIntegerField()
    on_hand = models.IntegerField(default=0)
    promised = models.IntegerField(default=0)
    out_of = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, related_name="harvested")
    """The unit that the parts were taken out of, where they came from one."""
    record = models.CharField(max_length=200, blank=True)
    """How its drives were sanitised; empty for what held no data, or waits for it."""

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(on_hand__gte=0), name="never_below_zero"),
            models.CheckConstraint(
                condition=Q(promised__gte=0, promised__lte=F("on_hand")),
                name="promised_only_what_is_there",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind.key} at {self.place}"


class Act(Retractable):
    """What somebody did in the store with one key, as it lay before and after."""

    kind = TermField(StoreAct, max_length=12)
    words = models.CharField(max_length=200)
    before = models.JSONField(default=dict)
    """Rows that it changed besides counts: ``reservation 12`` -> their fields."""
    after = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.kind}: {self.words}"


class Erasure(Retractable):
    """What an eraser reported of one drive, word for word; goes back with what it was for."""

    digest = models.CharField(max_length=64)
    """SHA-256 of the text: a report counts for one drive."""
    text = models.TextField()
    report = models.JSONField()
    """The core's ErasureReport."""
    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, related_name="erasures")
    """The unit that the drive is in."""
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, null=True, related_name="erasures")
    """The lot that it lay in, where it was taken out."""
    act = models.ForeignKey(Act, on_delete=models.PROTECT, null=True, related_name="erasures")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["digest", "valid"], name="given_for_one_drive")
        ]

    def __str__(self) -> str:
        return f"erasure {self.digest[:12]}"


class Movement(models.Model):
    """One change of a count; append-only."""

    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="movements")
    change = models.IntegerField()
    reason = models.CharField(max_length=120)
    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True)
    act = models.ForeignKey(Act, on_delete=models.PROTECT, null=True, related_name="movements")
    drive_end = TermField(DriveEnd, max_length=10, blank=True)
    """How drives that held data left; empty for everything else."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.change:+d} {self.lot}"


class Purchase(models.Model):
    """Parts that an approved plan buys; they become a lot when they arrive."""

    offer = models.ForeignKey(OfferRow, on_delete=models.PROTECT)
    batch = models.ForeignKey("arrive.Batch", on_delete=models.PROTECT)
    count = models.PositiveIntegerField()
    plan = models.ForeignKey("decide.PlanRow", on_delete=models.PROTECT, null=True)
    """The plan whose approval asked for it."""
    price_cents = models.PositiveIntegerField()
    """Of one, at this count."""
    state = TermField(PurchaseState, max_length=15, default=PurchaseState.PLANNED)
    planned_at = models.DateTimeField(auto_now_add=True)
    reference = models.CharField(max_length=60, blank=True)
    """The supplier's order number."""
    due_on = models.DateField(null=True)
    """When the supplier says they come; until ordered, reckoned from the offer."""
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, null=True)
    """The lot they were booked into; empty while on their way."""

    def __str__(self) -> str:
        return f"{self.count} × {self.offer}"
