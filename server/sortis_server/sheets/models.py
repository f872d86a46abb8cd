"""Model sheets: versioned documents, append-only."""

from django.conf import settings
from django.db import models

from sortis_server.versions import Document


class SheetVersion(Document):
    """One version of a model sheet."""

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True)
    """Nobody for sheets that came with the workshop."""
    words = models.CharField(max_length=200, blank=True)
    """Why it was changed, as its writer says."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="sheet_version")]
