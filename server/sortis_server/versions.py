"""What versioned documents of the database share."""

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


def newest_versions(model: type[Document]) -> dict[str, int]:
    """The newest version of every document of a kind, by key."""
    newest: dict[str, int] = {}
    for key, version in model.objects.values_list("key", "version").order_by("version"):
        newest[key] = version
    return newest
