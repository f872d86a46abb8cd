"""Model sheets and standards: versioned documents, append-only."""

from django.conf import settings
from django.db import models


class Document(models.Model):
    """One version of a document; nothing is ever changed, a new version is added."""

    key = models.CharField(max_length=60)
    version = models.PositiveIntegerField()
    document = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return f"{self.key} version {self.version}"


class SheetVersion(Document):
    """One version of a model sheet."""

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True)
    """Nobody for sheets that came with the workshop."""
    words = models.CharField(max_length=200, blank=True)
    """Why it was changed, as its writer says."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="sheet_version")]


class StandardVersion(Document):
    """One version of a resale standard."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="standard_version")]
