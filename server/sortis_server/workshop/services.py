"""Load what the workshop furnished as core types."""

from functools import lru_cache

from sortis_core.documents import read_document
from sortis_core.standards import Standard
from sortis_core.stock import Offer, PartKind
from sortis_server.sources import Source, SourceKind
from sortis_server.versions import newest_versions
from sortis_server.workshop.models import OfferRow, PartKindRow, StandardVersion, Workshop


def workshop() -> Workshop:
    """The workshop's own settings; what nobody furnished yet has plain defaults."""
    return Workshop.objects.first() or Workshop()


@lru_cache(maxsize=128)
def standard_version(key: str, version: int) -> Standard:
    """One version of a standard."""
    row = StandardVersion.objects.get(key=key, version=version)
    return read_document(Standard, row.document)


def newest_standards() -> tuple[Standard, ...]:
    """The newest version of every standard, by key."""
    newest = sorted(newest_versions(StandardVersion).items())
    return tuple(standard_version(key, version) for key, version in newest)


def add_standard(standard: Standard) -> None:
    """Append a version of a standard."""
    StandardVersion.objects.create(
        key=standard.key, version=standard.version, document=standard.model_dump(mode="json")
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
    )


def add_part_kind(kind: PartKind) -> PartKindRow:
    """Add a kind of part."""
    return PartKindRow.objects.create(
        key=kind.key,
        label=kind.label,
        facts=kind.facts.model_dump(mode="json"),
        harvest_value_cents=kind.harvest_value_cents,
        stream=kind.stream or "",
        grams=kind.grams,
    )


def part_kinds() -> dict[str, PartKind]:
    """All part kinds by key."""
    rows = PartKindRow.objects.order_by("key")
    return {row.key: part_kind(row) for row in rows}


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
