"""Sales of units; a sale that ended stays on record."""

from django.conf import settings
from django.db import models

from sortis_core.market import OrderVerdict
from sortis_core.selling import SaleState
from sortis_server.arrive.models import Unit
from sortis_server.decide.models import CustomerOrder
from sortis_server.terms import TermField


class Sale(models.Model):
    """One unit on its way to one buyer."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="sales")
    state = TermField(SaleState, max_length=12, default=SaleState.RESERVED)
    buyer = models.CharField(max_length=120)
    customer_order = models.ForeignKey(
        CustomerOrder, on_delete=models.SET_NULL, null=True, related_name="sales"
    )
    """What it fills, where it was scanned for a customer's order."""
    price_cents = models.PositiveIntegerField()
    reason = models.CharField(max_length=200, blank=True)
    """Why it was cancelled or came back."""
    open_unit = models.OneToOneField(
        Unit, on_delete=models.PROTECT, null=True, related_name="open_sale", editable=False
    )
    """The unit while somebody is to get it, so that the database lets one buyer have it."""
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.state}"

    def save(self, *args: object, **options: object) -> None:
        self.open_unit = self.unit if self.state.open else None
        super().save(*args, **options)


class MarketAnswer(models.Model):
    """What became of one order of the market; each number is answered once."""

    number = models.CharField(max_length=40, unique=True)
    order = models.JSONField()
    """The core's MarketOrder."""
    verdict = TermField(OrderVerdict, max_length=10)
    sentence = models.CharField(max_length=300)
    told = models.BooleanField(default=False)
    """The market heard the answer."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.number}: {self.verdict}"


class SaleStep(models.Model):
    """One thing that happened to a sale; append-only."""

    sale = models.ForeignKey(Sale, on_delete=models.PROTECT, related_name="steps")
    state = TermField(SaleState, max_length=12)
    words = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.sale}: {self.state}"
