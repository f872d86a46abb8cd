"""Plans, the outcomes they gave, and what people wish of them: orders and pins."""

from django.conf import settings
from django.db import models

from sortis_core.options import OutcomeKind
from sortis_core.vocabulary.states import PlanState
from sortis_server.arrive.models import Batch, Unit
from sortis_server.terms import TermField


class PlanRow(models.Model):
    """One plan, with the case it was solved from: the same case gives the same plan."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="plans")
    number = models.PositiveIntegerField()
    state = TermField(PlanState, max_length=12, default=PlanState.SOLVING)
    case = models.JSONField()
    plan = models.JSONField(null=True)
    refusal = models.CharField(max_length=600, blank=True)
    progress = models.JSONField(default=dict)
    """What the worker is at: goal, best value, bound."""
    stop_asked = models.BooleanField(default=False)
    """The planner would rather have a plan soon than the last cent."""
    cause = models.CharField(max_length=200, blank=True)
    """A surprise at the bench that this was solved for; only its unit follows it."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)
    approved_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="approved"
    )
    approved_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["batch", "number"], name="plan_once")]

    def __str__(self) -> str:
        return f"{self.batch} plan {self.number}"


class CustomerOrder(models.Model):
    """A customer wants so many units of a standard out of this batch."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="customer_orders")
    customer = models.CharField(max_length=80)
    standard = models.CharField(max_length=60)
    count = models.PositiveIntegerField()
    sheets = models.JSONField(default=list)
    """Keys of the models that will do; empty means any."""
    due_on = models.DateField(null=True)
    price_cents = models.PositiveIntegerField(null=True)
    """What the customer pays for each; empty for what the standard gives."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.count} for {self.customer}"


class PinChange(models.Model):
    """Somebody pinned a unit or took its pin off; append-only."""

    unit = models.ForeignKey(Unit, on_delete=models.CASCADE, related_name="pin_changes")
    outcome = TermField(OutcomeKind, max_length=20, blank=True)
    """Empty where the pin was taken off."""
    standard = models.CharField(max_length=60, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.outcome or 'free'}"


class UnitPin(models.Model):
    """What a person decided or noted about one unit."""

    unit = models.OneToOneField(Unit, on_delete=models.CASCADE, related_name="pin")
    outcome = TermField(OutcomeKind, max_length=20, blank=True)
    """Empty for a note alone."""
    standard = models.CharField(max_length=60, blank=True)
    option = models.CharField(max_length=400, blank=True)
    """Key of the very option chosen from the ladder."""
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.outcome or self.note}"
