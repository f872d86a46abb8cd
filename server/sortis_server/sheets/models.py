"""Model sheets: versioned documents, append-only."""

from django.db import models

from sortis_server.versions import Document


class SheetVersion(Document):
    """One version of a model sheet."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["key", "version"], name="sheet_version")]
