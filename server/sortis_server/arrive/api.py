"""Batches, manifests, tags."""

import csv
import io
from datetime import date

from django.http import HttpRequest, HttpResponse
from ninja import File, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_server.arrive.models import Batch
from sortis_server.arrive.services import (
    batch_called,
    count_in,
    make_batch,
    read_for,
    take_in,
    unit_tagged,
)
from sortis_server.arrive.views import BatchView, UnitLine, batch_view, unit_lines
from sortis_server.people.models import Role
from sortis_server.people.roles import person_with

router = Router(tags=["arrive"])
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


class NewBatch(BaseModel):
    """What a batch is made from."""

    name: str = Field(max_length=80)
    source: str = Field(max_length=120)
    arrived_on: date
    due_on: date
    money_cents: int = Field(ge=0, le=1_000_000_000)
    bench_minutes: int = Field(ge=0, le=10_000_000)


class ManifestLine(BaseModel):
    """One readable row of a manifest."""

    line: int
    tag: str
    serial: str
    model: str
    notes: str


class CountIn(BaseModel):
    """Tags that were seen; null means all that were announced."""

    tags: list[str] | None


class Counted(BaseModel):
    """How many units were counted in."""

    count: int


@router.get("/batches", response=list[BatchView])
def batches(request: HttpRequest):
    """All batches, the one due first on top."""
    return [batch_view(batch) for batch in Batch.objects.order_by("due_on", "name")]


@router.post("/batches", response=BatchView)
def new_batch(request: HttpRequest, given: NewBatch):
    """Make an empty batch."""
    person_with(request, Role.RECEIVER, "Making a batch")
    return batch_view(make_batch(**given.model_dump()))


@router.get("/batches/{slug}", response=BatchView)
def batch(request: HttpRequest, slug: str):
    """One batch."""
    return batch_view(batch_called(slug))


@router.get("/batches/{slug}/units", response=list[UnitLine])
def units(request: HttpRequest, slug: str, stage: str = ""):
    """Units of a batch in pallet order, of one stage or all."""
    rows = batch_called(slug).units.select_related("batch").order_by("position")
    return unit_lines(list(rows.filter(stage=stage) if stage else rows))


@router.post("/batches/{slug}/manifest", response=list[ManifestLine])
def manifest(request: HttpRequest, slug: str, file: File[UploadedFile], keep: bool = False):
    """Read a manifest; with ``keep`` its units are taken in, all or none."""
    person_with(request, Role.RECEIVER, "Taking a manifest in")
    batch = batch_called(slug)
    data = file.read()
    read = read_for(batch, data)
    tags = {row.line: row.tag for row, _ in read}
    if keep:
        units = take_in(batch, data)
        tags = {row.line: unit.tag for (row, _), unit in zip(read, units, strict=True)}
    return [
        ManifestLine(
            line=row.line,
            tag=tags[row.line],
            serial=row.serial,
            model=sheet.name,
            notes=row.notes,
        )
        for row, sheet in read
    ]


@router.post("/batches/{slug}/count-in", response=Counted)
def counted(request: HttpRequest, slug: str, given: CountIn):
    """Count announced units in."""
    person_with(request, Role.RECEIVER, "Counting units in")
    return Counted(count=count_in(batch_called(slug), given.tags))


@router.get("/units/{tag}", response=UnitLine)
def unit(request: HttpRequest, tag: str):
    """The unit with this tag, however it was typed: where it waits is its next step."""
    return unit_lines([unit_tagged(tag)])[0]


@router.get("/batches/{slug}/units.csv")
def units_csv(request: HttpRequest, slug: str):
    """The batch as CSV; cells that a spreadsheet would run are made plain text."""
    batch = batch_called(slug)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["tag", "serial", "model", "stage", "blocked", "contents", "notes"])
    for line in unit_lines(list(batch.units.select_related("batch").order_by("position"))):
        cells = [line.tag, line.serial, line.model, line.stage]
        cells += ["yes" if line.blocked else "", line.strip.words, line.notes]
        writer.writerow([f"'{c}" if c.startswith(FORMULA_STARTS) else c for c in cells])
    answer = HttpResponse("\ufeff" + out.getvalue(), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{batch.slug}.csv"'
    return answer
