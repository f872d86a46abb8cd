"""The whole furnishing of a workshop as one file, out and in (docs/formats.md, Workshop file).

A zip of JSON: ``workshop.json`` with settings, kinds and offers, ``standards/KEY.json``,
``sheets/KEY.json``. No stock, no units, no people's secrets.
"""

import io
import json
import zipfile
import zlib
from pathlib import Path
from typing import Any

from django.conf import settings as django_settings
from django.db import transaction
from pydantic import BaseModel, Field, ValidationError

from sortis_core.base import SortisError
from sortis_core.documents import DocumentRefused, read_document
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import sheet_faults
from sortis_core.standards import Standard
from sortis_core.stock import PartKind, PriceBreak, breaks_fall
from sortis_core.workshop import WorkshopSettings
from sortis_server.arrive.models import Batch
from sortis_server.furnish.standards import require_own_name
from sortis_server.people.models import Person
from sortis_server.sheets.models import SheetVersion
from sortis_server.sheets.offered import offer_sheet
from sortis_server.sheets.services import newest_sheets
from sortis_server.stock.models import Lot
from sortis_server.versions import add_version, newest_versions
from sortis_server.workshop.models import (
    OfferRow,
    PartKindRow,
    StandardVersion,
    WorkshopVersion,
)
from sortis_server.workshop.services import (
    SETTINGS,
    add_part_kind,
    fields_of,
    newest_standards,
    part_kinds,
    standard_version,
    workshop_version,
)

FORMAT = "sortis-workshop-file-4"
LARGEST_BYTES = 8_000_000
LARGEST_UNPACKED = 60_000_000
MOST_FILES = 5_000
UNREADABLE = (
    zipfile.BadZipFile,
    zlib.error,
    NotImplementedError,
    RuntimeError,
    EOFError,
    OSError,
)
STARTER = django_settings.HOME / "starter"


class FileRefused(SortisError):
    """The file is no workshop file, or nothing of it could be taken."""

    title = "The workshop file was not taken in"


class FileOffer(BaseModel):
    """An offer as a file holds it."""

    kind: str
    supplier: str = Field(min_length=1, max_length=80)
    article: str = Field(default="", max_length=60)
    price_cents: int = Field(ge=0, le=100_000_000)
    limit: int = Field(ge=0, le=1_000_000)
    days: int = Field(ge=0, le=365)
    pack_size: int = Field(default=1, ge=1, le=10_000)
    breaks: list[PriceBreak] = []


class WorkshopFile(BaseModel):
    """A workshop file as it was read."""

    settings: WorkshopSettings | None
    kinds: list[PartKind]
    offers: list[FileOffer]
    standards: list[Standard]
    sheets: list[ModelSheet]


class FileVerdict(BaseModel):
    """What taking a file in would do, or did."""

    new: list[str] = []
    """What was not there, in words."""
    changed: list[str] = []
    """What becomes another version."""
    asked: list[str] = []
    """Sheets that differ from ours; each fact is a question under Sheets."""
    same: int = 0
    left: list[str] = []
    """What stays as it is here, and why."""


def workshop_file() -> bytes:
    """The furnishing as it is now; the same furnishing gives the same bytes."""
    settings, _ = workshop_version()
    offers = OfferRow.objects.select_related("kind").order_by("supplier", "article", "pk")
    head = {
        "format": FORMAT,
        "settings": settings.model_dump(mode="json"),
        "kinds": [kind.model_dump(mode="json") for kind in part_kinds().values()],
        "offers": [
            {
                "kind": row.kind.key,
                "supplier": row.supplier,
                "article": row.article,
                "price_cents": row.price_cents,
                "limit": row.limit,
                "days": row.days,
                "pack_size": row.pack_size,
                "breaks": row.breaks,
            }
            for row in offers
        ],
    }
    parts = {"workshop.json": head}
    parts |= {f"standards/{s.key}.json": s.model_dump(mode="json") for s in newest_standards()}
    parts |= {f"sheets/{k}.json": s.model_dump(mode="json") for k, s in newest_sheets().items()}
    return packed(parts)


def packed(parts: dict[str, Any]) -> bytes:
    """Documents as a zip whose bytes depend on nothing but them."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for name in sorted(parts):
            one = zipfile.ZipInfo(name, date_time=(2000, 1, 1, 0, 0, 0))
            one.compress_type = zipfile.ZIP_DEFLATED
            file.writestr(one, json.dumps(parts[name], indent=1, ensure_ascii=False))
    return out.getvalue()


def starter_set() -> bytes:
    """What a new workshop may begin with, in the same form."""
    files = sorted(Path(STARTER).rglob("*.json"))
    return packed({str(f.relative_to(STARTER)): json.loads(f.read_text()) for f in files})


def read_workshop_file(data: bytes) -> WorkshopFile:
    """A workshop file.

    :raises FileRefused: naming the part that does not read.
    """
    parts = _unpacked(data)
    head = parts.pop("workshop.json", None)
    if not isinstance(head, dict) or head.get("format") != FORMAT:
        raise FileRefused(
            f"This is no workshop file of this Sortis: workshop.json with the format {FORMAT} is "
            "missing."
        )
    try:
        found = WorkshopFile(
            settings=read_document(WorkshopSettings, head["settings"])
            if head.get("settings")
            else None,
            kinds=[PartKind.model_validate(one) for one in head.get("kinds", [])],
            offers=[FileOffer.model_validate(one) for one in head.get("offers", [])],
            standards=[],
            sheets=[],
        )
    except (ValidationError, DocumentRefused, TypeError, ValueError) as error:
        raise FileRefused(f"workshop.json: {_first_of(error)}") from error
    for name, document in parts.items():
        try:
            if name.startswith("standards/"):
                found.standards.append(read_document(Standard, document))
            elif name.startswith("sheets/"):
                if faults := sheet_faults(document):
                    raise FileRefused(f"{name}: {faults[0].where}: {faults[0].sentence}")
                found.sheets.append(read_document(ModelSheet, document))
            else:
                raise FileRefused(f"{name} is no part of a workshop file. Take it out.")
        except (ValidationError, DocumentRefused, TypeError, ValueError) as error:
            raise FileRefused(f"{name}: {_first_of(error)}") from error
    kinds = {kind.key for kind in found.kinds} | set(part_kinds())
    if strange := [key for kind in found.kinds for key in kind.instead_of if key not in kinds]:
        raise FileRefused(f"A part goes in the place of {strange[0]}, a kind which neither has.")
    if strange := [offer.kind for offer in found.offers if offer.kind not in kinds]:
        raise FileRefused(f"An offer is of the kind {strange[0]}, which neither has.")
    for offer in found.offers:
        if not breaks_fall(offer.price_cents, offer.breaks):
            raise FileRefused(
                f"The price breaks of {offer.supplier} for {offer.kind} do not fall. Correct them."
            )
    return found


def _first_of(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        return f"{' › '.join(map(str, first['loc']))}: {first['msg'].removeprefix('Value error, ')}"
    return getattr(error, "sentence", str(error))[:300]


def _unpacked(data: bytes) -> dict[str, Any]:
    if len(data) > LARGEST_BYTES:
        raise FileRefused(f"The file is larger than {LARGEST_BYTES // 1_000_000} MB.")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            listed = file.infolist()
            if len(listed) > MOST_FILES:
                raise FileRefused(f"The file holds more than {MOST_FILES:,} parts.")
            if sum(one.file_size for one in listed) > LARGEST_UNPACKED:
                raise FileRefused(f"It unpacks to more than {LARGEST_UNPACKED // 1_000_000} MB.")
            return {one.filename: _json_of(file, one) for one in listed if not one.is_dir()}
    except UNREADABLE as error:
        raise FileRefused("This is no zip file, or it is cut off. Send it again.") from error


def _json_of(file: zipfile.ZipFile, one: zipfile.ZipInfo) -> Any:
    with file.open(one) as part:
        raw = part.read(one.file_size + 1)
    if len(raw) > one.file_size:
        raise FileRefused(f"{one.filename} is larger than it says.")
    try:
        return json.loads(raw)
    except (ValueError, RecursionError) as error:
        raise FileRefused(f"{one.filename} is no JSON.") from error


def take_workshop_file(
    given: WorkshopFile, by: Person | None, *, settings: bool = True, trial: bool = False
) -> FileVerdict:
    """Take a furnishing in, all or nothing: what differs becomes the next version here.

    :param settings: take the workshop's own settings over, too.
    :param trial: only say what it would do.
    """
    said = FileVerdict()
    with transaction.atomic():
        if settings and given.settings:
            _settings(given.settings, by, said)
        _kinds(given.kinds, said)
        _offers(given.offers, said)
        _standards(given.standards, by, said)
        _sheets(given.sheets, given.settings, by, said)
        if trial:
            transaction.set_rollback(True)
    return said


def _settings(wanted: WorkshopSettings, by: Person | None, said: FileVerdict) -> None:
    now, version = workshop_version()
    if wanted == now:
        said.same += 1
        return
    if wanted.currency != now.currency and (Batch.objects.exists() or Lot.objects.exists()):
        raise FileRefused(
            f"The file reckons in {wanted.currency}, this workshop in {now.currency}. Their "
            "figures do not mix."
        )
    add_version(
        WorkshopVersion,
        SETTINGS,
        wanted,
        started_from=version,
        name="the settings",
        by=by,
        words="from a workshop file",
    )
    said.changed.append(f"settings of {wanted.name}")


def _kinds(kinds: list[PartKind], said: FileVerdict) -> None:
    known = part_kinds()
    stocked = set(Lot.objects.values_list("kind__key", flat=True))
    for kind in kinds:
        if kind.key not in known:
            add_part_kind(kind)
            said.new.append(f"part kind {kind.label}")
        elif known[kind.key] == kind:
            said.same += 1
        elif known[kind.key].facts != kind.facts and kind.key in stocked:
            said.left.append(f"part kind {kind.label}: it is another part here, with stock")
        else:
            PartKindRow.objects.filter(key=kind.key).update(**fields_of(kind))
            said.changed.append(f"part kind {kind.label}")


def _offers(offers: list[FileOffer], said: FileVerdict) -> None:
    kinds = {row.key: row for row in PartKindRow.objects.all()}
    for offer in offers:
        told = offer.model_dump(mode="json", exclude={"kind"})
        own = {"supplier": offer.supplier, "article": offer.article, "kind": kinds[offer.kind]}
        row = OfferRow.objects.filter(**own).first()
        if row is None:
            OfferRow.objects.create(**{**told, "kind": kinds[offer.kind]})
            said.new.append(f"offer of {offer.supplier}: {kinds[offer.kind].label}")
        elif all(getattr(row, name) == value for name, value in told.items()):
            said.same += 1
        else:
            for name, value in told.items():
                setattr(row, name, value)
            row.save()
            said.changed.append(f"offer of {offer.supplier}: {kinds[offer.kind].label}")


def _standards(wanted: list[Standard], by: Person | None, said: FileVerdict) -> None:
    versions = newest_versions(StandardVersion)
    for standard in wanted:
        require_own_name(standard)
        version = versions.get(standard.key, 0)
        if version:
            here = standard_version(standard.key, version)
            if here == standard.model_copy(update={"version": version}):
                said.same += 1
                continue
        add_version(
            StandardVersion,
            standard.key,
            standard,
            started_from=version,
            name=standard.name,
            by=by,
            words="from a workshop file",
        )
        (said.changed if version else said.new).append(f"standard {standard.name}")


def _sheets(
    wanted: list[ModelSheet],
    settings: WorkshopSettings | None,
    by: Person | None,
    said: FileVerdict,
) -> None:
    """New sheets come in; what differs from ours is asked, and nothing of ours is overwritten."""
    known = newest_sheets()
    came_from = settings.name if settings else "a workshop file"
    for sheet in wanted:
        here = known.get(sheet.key)
        if here is None or not here.written:
            add_version(
                SheetVersion,
                sheet.key,
                sheet,
                started_from=here.version if here else 0,
                name=sheet.name,
                by=by,
                words=f"from {came_from}",
            )
            said.new.append(f"sheet {sheet.name}")
            continue
        row, asked = offer_sheet(here, sheet, came_from, by)
        if row is None:
            said.same += 1
        else:
            facts = "fact differs" if len(asked) == 1 else "facts differ"
            said.asked.append(f"sheet {here.name}: {len(asked)} {facts}")
