"""What versioned documents of the database share."""

from typing import TypeVar

from django.conf import settings
from django.db import models, transaction

from sortis_core.base import Record
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion

Kind = TypeVar("Kind", bound=Record)


class Document(models.Model):
    """One version of a document; nothing is ever changed, a new version is added."""

    key = models.CharField(max_length=60)
    version = models.PositiveIntegerField()
    document = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True)
    """None for what a file or a new database brought along."""
    words = models.CharField(max_length=200, blank=True)
    """Why it was changed."""

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


def add_version(
    model: type[Document],
    key: str,
    record: Kind,
    *,
    started_from: int,
    name: str,
    by: Person | None,
    words: str = "",
) -> Kind:
    """Append the next version of a document.

    :param started_from: the version that somebody began with; 0 for a new document.
    :param name: of the document, for people.
    :returns: the record as it is kept; with its number where it carries one.
    :raises StaleVersion: where somebody else saved since; both versions are in the facts.
    """
    with transaction.atomic():
        newest = model.objects.select_for_update().filter(key=key).order_by("-version").first()
        last = newest.version if newest else 0
        if last != started_from:
            who = newest.by.name if newest and newest.by else "Somebody"
            raise StaleVersion(
                f"{who} saved version {last} of {name} after you opened it. Yours is still on this "
                "screen; compare, then save it as the next version.",
                version=last,
                document=newest.document if newest else None,
            )
        kept = record
        if "version" in type(record).model_fields:
            kept = record.model_copy(update={"version": last + 1})
        model.objects.create(
            key=key,
            version=last + 1,
            document=kept.model_dump(mode="json"),
            by=by,
            words=words.strip()[:200],
        )
        return kept
