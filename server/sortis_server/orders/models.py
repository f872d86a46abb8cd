"""Outcomes, work orders, what was promised to them, and what was ticked."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from sortis_core.options import OutcomeKind
from sortis_core.stages import Stage
from sortis_core.surprise import Advice, SurpriseKind
from sortis_core.vocabulary.states import LogWhat, OrderState
from sortis_server.arrive.models import Unit
from sortis_server.stock.models import Lot, Purchase
from sortis_server.takeback import Retractable
from sortis_server.terms import TermField
from sortis_server.workshop.models import PartKindRow


class Outcome(Retractable):
    """The approved outcome of one unit, with its sum."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="outcomes")
    plan = models.ForeignKey("decide.PlanRow", on_delete=models.PROTECT, related_name="outcomes")
    outcome = TermField(OutcomeKind, max_length=10)
    standard = models.CharField(max_length=60, blank=True)
    """Key of the standard it reaches; empty where it is not sold."""
    group = models.PositiveIntegerField(default=0)
    actions = models.JSONField(default=list)
    """The core's Action documents."""
    minutes = models.FloatField(default=0)
    skills = models.JSONField(default=list)
    """The core's SkillMinutes documents."""
    price_cents = models.IntegerField(default=0)
    customer_cents = models.IntegerField(default=0)
    """What the customer whose order it counts toward pays more than that, or less."""
    parts_cents = models.IntegerField(default=0)
    gives_cents = models.IntegerField(default=0)
    labour_cents = models.IntegerField(default=0)
    fees_cents = models.IntegerField(default=0)
    contribution_cents = models.IntegerField(default=0)
    order_key = models.CharField(max_length=40, blank=True)
    """Key of the customer's order it counts toward."""
    pinned = models.BooleanField(default=False)
    waits_for = models.JSONField(default=list)
    """Part kinds that a held unit waits for."""
    runner_up = models.CharField(max_length=400, blank=True)
    loss_cents = models.IntegerField(default=0)
    reason = models.TextField(blank=True)
    woken_at = models.DateTimeField(null=True)
    """A part it is held for has come; the next plan may use it."""
    approved_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+"
    )
    approved_at = models.DateTimeField(auto_now_add=True, null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["unit", "plan", "valid"], name="outcome_once")
        ]

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.outcome}"


class WorkOrderRow(models.Model):
    """One unit at the bench; the document is the core's WorkOrder."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="orders")
    outcome = models.ForeignKey(Outcome, on_delete=models.PROTECT, related_name="orders")
    """What it is done for; a second order of one outcome seats something again."""
    document = models.JSONField()
    state = TermField(OrderState, max_length=10, default=OrderState.OPEN)
    done_steps = models.PositiveIntegerField(default=0)
    version = models.PositiveIntegerField(default=1)
    words = models.CharField(max_length=400, blank=True)
    """Why it was stopped, or why the last check opens it again."""
    begun_at = models.DateTimeField(null=True)
    """When somebody took it to the bench; from then on no plan changes it."""
    worker = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="at_bench"
    )
    """Who has it now."""
    clock_from = models.DateTimeField(null=True)
    """Since when the clock of the step in hand runs; empty while it rests."""
    clock_carried = models.FloatField(default=0)
    """Seconds of the step in hand before the last rest."""
    clock_counts = models.BooleanField(default=True)
    """False where the time of the step in hand is no measure of it."""
    left_open = models.JSONField(null=True)
    """The core's Begun: how the unit lies when the order was stopped before it was closed."""
    then = TermField(Stage, max_length=20, blank=True)
    """Stage that the unit goes to when it is done; empty where its outcome says so."""
    open_unit = models.OneToOneField(
        Unit, on_delete=models.PROTECT, null=True, related_name="open_order", editable=False
    )
    """The unit while the order is open, so that the database lets a unit have one at most."""

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(state=OrderState.OPEN.value, open_unit__isnull=False)
                | (~Q(state=OrderState.OPEN.value) & Q(open_unit__isnull=True)),
                name="one_open_order_a_unit",
            )
        ]

    def __str__(self) -> str:
        return f"work order of {self.unit.tag}"

    def save(self, *args: object, **options: object) -> None:
        self.open_unit = self.unit if self.state == OrderState.OPEN else None
        super().save(*args, **options)


class Reservation(models.Model):
    """One part promised to one place of one work order.

    It comes from exactly one source: a lot it lies in, a purchase on its way, or a unit that is to
    be taken apart. ``lost`` where it turned out bad and nothing took its place.
    """

    order = models.ForeignKey(WorkOrderRow, on_delete=models.PROTECT, related_name="reservations")
    place = models.CharField(max_length=40)
    kind = models.ForeignKey(PartKindRow, on_delete=models.PROTECT)
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, null=True)
    purchase = models.ForeignKey(Purchase, on_delete=models.PROTECT, null=True)
    giver = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, related_name="gives")
    lost = models.BooleanField(default=False)
    taken = models.BooleanField(default=False)
    confirmed_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True)
    """Who scanned the part and saw that it is the right one."""

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["order", "place"], name="one_part_a_place"),
            models.CheckConstraint(
                condition=Q(lost=True, lot=None, purchase=None, giver=None)
                | Q(lost=False, lot__isnull=False, purchase=None, giver=None)
                | Q(lost=False, lot=None, purchase__isnull=False, giver=None)
                | Q(lost=False, lot=None, purchase=None, giver__isnull=False),
                name="exactly_one_source",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind.key} for {self.order.unit.tag}"


class StepLog(models.Model):
    """One thing that happened at the bench; append-only."""

    order = models.ForeignKey(WorkOrderRow, on_delete=models.PROTECT, related_name="log")
    step = models.PositiveIntegerField()
    what = TermField(LogWhat, max_length=10)
    key = models.CharField(max_length=60, blank=True)
    """Key of the step."""
    seconds = models.FloatField(null=True)
    """How long the step took; empty where nobody measured it or the time is no measure."""
    sheet_minutes = models.FloatField(null=True)
    """What the sheet says for the same step."""
    token = models.CharField(max_length=40, blank=True, db_index=True)
    """Named by the screen, so that a tick that is sent twice counts once."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.order} step {self.step} {self.what}"


class SurpriseRow(models.Model):
    """What was not as written, and what Sortis answered; append-only."""

    order = models.ForeignKey(WorkOrderRow, on_delete=models.PROTECT, related_name="surprises")
    step = models.PositiveIntegerField()
    kind = TermField(SurpriseKind, max_length=40)
    place = models.CharField(max_length=40, blank=True)
    entry = models.CharField(max_length=60, blank=True)
    words = models.CharField(max_length=400, blank=True)
    advice = TermField(Advice, max_length=30)
    sentence = models.CharField(max_length=600)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.order}: {self.kind}"
