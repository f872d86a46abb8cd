"""Plans and the outcomes they gave."""

from django.conf import settings
from django.db import models

from sortis_server.arrive.models import Batch, Unit


class PlanState(models.TextChoices):
    """How far a plan is."""

    SOLVING = "solving"
    SOLVED = "solved"
    REFUSED = "refused"
    APPROVED = "approved"


class PlanRow(models.Model):
    """One plan, with the case it was solved from: the same case gives the same plan."""

    batch = models.ForeignKey(Batch, on_delete=models.PROTECT, related_name="plans")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=12, choices=PlanState.choices, default=PlanState.SOLVING)
    case = models.JSONField()
    plan = models.JSONField(null=True)
    refusal = models.CharField(max_length=400, blank=True)
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


class Outcome(models.Model):
    """The approved outcome of one unit; the document is the core's UnitOutcome."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="outcomes")
    plan = models.ForeignKey(PlanRow, on_delete=models.PROTECT, related_name="outcomes")
    document = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "plan"], name="outcome_once")]

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.document['outcome']}"
