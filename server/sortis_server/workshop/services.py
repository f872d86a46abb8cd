"""Load what the workshop furnished as core types."""

import json
from functools import lru_cache
from typing import Any

from django.db.models import TextField
from django.db.models.functions import Cast

from sortis_core.documents import read_document
from sortis_core.standards import Standard
from sortis_core.stock import Offer, PartKind
from sortis_core.workshop import WorkshopSettings
from sortis_server.people.models import Person
from sortis_server.sources import Source, SourceKind
from sortis_server.versions import add_version, newest_versions
from sortis_server.workshop.models import OfferRow, PartKindRow, StandardVersion, WorkshopVersion

SETTINGS = "workshop"
"""Key of the one document that holds the workshop's own settings."""


def workshop_version() -> tuple[WorkshopSettings, int]:
    """The workshop's own settings and their version; 0 where nobody furnished it yet."""
    row = WorkshopVersion.objects.filter(key=SETTINGS).order_by("-version").first()
    if row is None:
        return WorkshopSettings(), 0
    return read_document(WorkshopSettings, row.document), row.version


def workshop() -> WorkshopSettings:
    """The workshop's own settings; what nobody furnished yet has plain defaults."""
    return workshop_version()[0]


def set_up_workshop(settings: WorkshopSettings, by: Person | None = None) -> None:
    """The first version of the settings."""
    add_version(WorkshopVersion, SETTINGS, settings, started_from=0, name="the settings", by=by)


@lru_cache(maxsize=128)
def standard_version(key: str, version: int) -> Standard:
    """One version of a standard."""
    row = StandardVersion.objects.get(key=key, version=version)
    return read_document(Standard, row.document)


def newest_standards() -> tuple[Standard, ...]:
    """The newest version of every standard that is in use, by key."""
    newest = sorted(newest_versions(StandardVersion).items())
    found = (standard_version(key, version) for key, version in newest)
    return tuple(standard for standard in found if not standard.retired)


def add_standard(standard: Standard, by: Person | None = None) -> None:
    """Append a version of a standard that a file brought along."""
    StandardVersion.objects.create(
        key=standard.key,
        version=standard.version,
        document=standard.model_dump(mode="json"),
        by=by,
    )


def part_kind(row: PartKindRow) -> PartKind:
    """A kind of part as the core knows it."""
    return PartKind(
        key=row.key,
        label=row.label,
        facts=row.facts,
        harvest_value_cents=row.harvest_value_cents,
        stream=row.stream or None,
        grams=row.grams,
        least=row.least,
        instead_of=tuple(row.instead_of),
    )


def add_part_kind(kind: PartKind) -> PartKindRow:
    """Add a kind of part."""
    return PartKindRow.objects.create(key=kind.key, **fields_of(kind))


def fields_of(kind: PartKind) -> dict[str, Any]:
    """What the row of a kind holds, but for its key."""
    return {
        "label": kind.label,
        "facts": kind.facts.model_dump(mode="json"),
        "harvest_value_cents": kind.harvest_value_cents,
        "stream": kind.stream or "",
        "grams": kind.grams,
        "least": kind.least,
        "instead_of": list(kind.instead_of),
    }


def part_kinds() -> dict[str, PartKind]:
    """All part kinds by key."""
    rows = PartKindRow.objects.order_by("key").values_list(
        "key",
        "label",
        Cast("facts", TextField()),
        "harvest_value_cents",
        "stream",
        "grams",
        "least",
        Cast("instead_of", TextField()),
    )
    return {row[0]: _read_kind(*row) for row in rows}


@lru_cache(maxsize=4096)
def _read_kind(
    key: str,
    label: str,
    facts: str,
    harvest_value_cents: int,
    stream: str,
    grams: int,
    least: int,
    instead_of: str,
) -> PartKind:
    """A kind as its row holds it. Whatever is the same was read before: there are hundreds, and
    nearly every call needs them."""
    return part_kind(
        PartKindRow(
            key=key,
            label=label,
            facts=json.loads(facts),
            harvest_value_cents=harvest_value_cents,
            stream=stream,
            grams=grams,
            least=least,
            instead_of=json.loads(instead_of),
        )
    )


def open_offers() -> tuple[Offer, ...]:
    """What can still be bought, as the core sees it."""
    rows = OfferRow.objects.filter(limit__gt=0).select_related("kind").order_by("pk")
    return tuple(core_offer(row) for row in rows)


def core_offer(row: OfferRow) -> Offer:
    """An offer as the core sees it."""
    return Offer(
        key=Source(SourceKind.OFFER, row.pk).key,
        kind=row.kind.key,
        supplier=row.supplier,
        price_cents=row.price_cents,
        limit=row.limit,
        days=row.days,
        pack_size=row.pack_size,
        breaks=row.breaks,
    )
