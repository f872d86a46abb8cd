"""Work orders, what was promised to them, and what was ticked."""

from django.conf import settings
from django.db import models

from sortis_server.arrive.models import Unit
from sortis_server.decide.models import Outcome
from sortis_server.stock.models import Lot, PartKindRow, Purchase


class OrderState(models.TextChoices):
    """How far a work order is."""

    OPEN = "open"
    DONE = "done"
    STOPPED = "stopped"


class WorkOrderRow(models.Model):
    """One unit at the bench; the document is the core's WorkOrder."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="orders")
    outcome = models.OneToOneField(Outcome, on_delete=models.PROTECT)
    document = models.JSONField()
    state = models.CharField(max_length=10, choices=OrderState.choices, default=OrderState.OPEN)
    done_steps = models.PositiveIntegerField(default=0)
    version = models.PositiveIntegerField(default=1)
    words = models.CharField(max_length=400, blank=True)
    """Why it was stopped."""

    def __str__(self) -> str:
        return f"work order of {self.unit.tag}"


class Reservation(models.Model):
    """One part promised to one place of one work order.

    It waits for a lot, for a purchase on its way, or for another unit to be taken apart;
    once the part lies in a lot, ``lot`` says which.
    """

    order = models.ForeignKey(WorkOrderRow, on_delete=models.PROTECT, related_name="reservations")
    place = models.CharField(max_length=40)
    kind = models.ForeignKey(PartKindRow, on_delete=models.PROTECT)
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, null=True)
    purchase = models.ForeignKey(Purchase, on_delete=models.PROTECT, null=True)
    giver = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, related_name="gives")
    taken = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["order", "place"], name="one_part_a_place")]

    def __str__(self) -> str:
        return f"{self.kind.key} for {self.order.unit.tag}"


class StepLog(models.Model):
    """One step ticked or taken back; append-only."""

    order = models.ForeignKey(WorkOrderRow, on_delete=models.PROTECT, related_name="log")
    step = models.PositiveIntegerField()
    what = models.CharField(max_length=10, choices=[("done", "done"), ("back", "back")])
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.order} step {self.step} {self.what}"
