"""Rows that stand until somebody takes them back; they are never deleted."""

from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone


class Retractable(models.Model):
    """A row that may be taken back and stays on record.

    ``valid`` is True until then and NULL afterwards, so that a unique constraint over it lets one
    valid row be and any number of those that were taken back.
    """

    valid = models.BooleanField(null=True, default=True, editable=False)
    taken_back_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+"
    )
    taken_back_at = models.DateTimeField(null=True)

    class Meta:
        abstract = True

    def take_back(self, by: Any) -> None:
        """From now on it does not count; who did it and when stays."""
        self.valid, self.taken_back_by, self.taken_back_at = None, by, timezone.now()
        self.save(update_fields=["valid", "taken_back_by", "taken_back_at"])
