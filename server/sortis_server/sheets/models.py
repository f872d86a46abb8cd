"""Model sheets: versioned documents, append-only."""

from django.conf import settings
from django.db import models

from sortis_server.versions import Document


class OfferedSheet(models.Model):
    """A sheet of another workshop that differs from ours, until somebody answered."""

    key = models.CharField(max_length=60)
    came_from = models.CharField(max_length=120)
    """The other workshop, or the file."""
    document = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True)
    """None for a file that was taken in on the command line."""
    at = models.DateTimeField(auto_now_add=True)
    settled_at = models.DateTimeField(null=True)
    """When it was merged, or left."""
    settled_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+"
    )

    def __str__(self) -> str:
        return f"{self.key} from {self.came_from}"


class SheetVersion(Document):
    """One version of a model sheet."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="sheet_version")]
