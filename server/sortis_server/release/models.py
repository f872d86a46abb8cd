"""Signatures at the last check, and releases."""

import secrets

from django.conf import settings
from django.db import models

from sortis_core.waivers import LONGEST_ABOUT
from sortis_server.arrive.models import Unit
from sortis_server.takeback import Retractable

LONGEST_WORDS = 1000


def public_key() -> str:
    """The address of one buyer's page."""
    return secrets.token_urlsafe(16)


class GateSignature(Retractable):
    """Somebody saw that a gate is met; append-only, taken back until the release."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="signatures")
    gate = models.CharField(max_length=60)
    words = models.CharField(max_length=LONGEST_WORDS)
    about = models.CharField(max_length=200, blank=True)
    """What was signed for: which drives. Other drives want a signature of their own."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["unit", "gate", "about", "valid"], name="signed_once")
        ]

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.gate}"


class GateWaiver(Retractable):
    """Somebody answerable let a unit leave without a gate; taken back until the release."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="waivers")
    gate = models.CharField(max_length=60)
    about = models.CharField(max_length=LONGEST_ABOUT)
    """What the gate said then; where it says something else, the waiver does not count."""
    reason = models.CharField(max_length=200)
    told = models.BooleanField()
    """The buyer reads it on the spec sheet."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["unit", "gate", "about", "valid"], name="waived_once")
        ]

    def __str__(self) -> str:
        return f"{self.unit.tag} {self.gate} waived"


class Release(Retractable):
    """A released unit with all its evidence, as it was then; taken back until it is sold."""

    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="releases")
    standard_key = models.CharField(max_length=60)
    standard_version = models.PositiveIntegerField()
    public_key = models.CharField(max_length=40, unique=True, default=public_key)
    """Of the buyer's page; nobody guesses it."""
    label = models.JSONField()
    gates = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["unit", "valid"], name="released_once")]

    def __str__(self) -> str:
        return f"{self.unit.tag} released"
