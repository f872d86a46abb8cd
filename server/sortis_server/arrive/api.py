"""Batches, their units, labels."""

from datetime import date
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.labels import LabelSize, size_called
from sortis_core.policy import Policy
from sortis_core.rights import Money
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Batch
from sortis_server.arrive.services import (
    batch_called,
    change_batch,
    close_batch,
    make_batch,
    search_batches,
    unit_tagged,
)
from sortis_server.arrive.views import (
    BatchView,
    Offset,
    UnitLine,
    batch_view,
    batch_views,
    unit_lines,
)
from sortis_server.devices import print_labels, printer_address
from sortis_server.labels import Label, labels_pdf
from sortis_server.people.roles import by
from sortis_server.sheets.services import sheet_version
from sortis_server.workshop.money import sees_money
from sortis_server.workshop.services import workshop

router = Router(tags=["arrive"])
BATCHES_A_PAGE = 30


class NewBatch(BaseModel):
    """What a batch is made from."""

    name: str = Field(max_length=80)
    source: str = Field(max_length=120)
    arrived_on: date
    due_on: date
    money_cents: int | None = Field(default=None, ge=0, le=1_000_000_000)
    """What is set by who may see it; else nothing, and as it stands."""
    bench_minutes: int = Field(ge=0, le=10_000_000)


def _told(request: HttpRequest, given: NewBatch, money_cents: int) -> dict[str, Any]:
    """What is to be set; the money by who may see it, else as it stands."""
    told = given.model_dump()
    if given.money_cents is None or not sees_money(request, Money.RESULTS):
        told["money_cents"] = money_cents
    return told


class Print(BaseModel):
    """Which labels to print, and on what."""

    size: str = "roll-70x36"
    tags: list[str] = Field(max_length=2000)


class LabelChoices(BaseModel):
    """Sizes of labels, and where the label printer shows what it printed; empty without one."""

    sizes: list[LabelSize]
    usual: str
    """Key of the one that tags are printed in here."""
    printer: str


class Printed(BaseModel):
    """What went to the printer."""

    count: int


class BatchPage(BaseModel):
    """Some batches, and how many there are in all."""

    batches: list[BatchView]
    total: int
    closed: int
    """Laid aside, whatever is searched."""


class Closing(BaseModel):
    """Whether a batch is laid aside."""

    closed: bool


@router.get("/batches", response=BatchPage)
def batches(request: HttpRequest, search: str = "", closed: bool = False, offset: Offset = 0):
    """A page of batches, the one due first on top; closed ones apart."""
    found = search_batches(search[:120], closed=closed)
    page = list(found[offset : offset + BATCHES_A_PAGE])
    laid_aside = Batch.objects.filter(closed_at__isnull=False).count()
    return BatchPage(batches=batch_views(page), total=found.count(), closed=laid_aside)


@router.post("/batches/{slug}/closed", response=BatchView, auth=by(Role.PLANNER, "Closing a batch"))
def close(request: HttpRequest, slug: str, given: Closing):
    """Lay a batch aside, or open it again."""
    return batch_view(close_batch(batch_called(slug), closed=given.closed))


@router.post("/batches", response=BatchView, auth=by(Role.RECEIVER, "Making a batch"))
def new_batch(request: HttpRequest, given: NewBatch):
    """Make an empty batch."""
    return batch_view(make_batch(**_told(request, given, 0)))


@router.put(
    "/batches/{slug}",
    response=BatchView,
    auth=by((Role.RECEIVER, Role.PLANNER), "Changing a batch"),
)
def batch_changed(request: HttpRequest, slug: str, given: NewBatch):
    """Change name, days, money and hours of a batch."""
    batch = batch_called(slug)
    return batch_view(change_batch(batch, **_told(request, given, batch.money_cents)))


@router.put(
    "/batches/{slug}/policy",
    response=BatchView,
    auth=by(Role.PLANNER, "Changing the schools of a batch"),
)
def policy_changed(request: HttpRequest, slug: str, given: Policy):
    """Decide a batch by other schools and costs than the workshop's."""
    batch = batch_called(slug)
    batch.policy = given.model_dump(mode="json")
    batch.save(update_fields=["policy"])
    return batch_view(batch)


@router.get("/batches/{slug}", response=BatchView)
def batch(request: HttpRequest, slug: str):
    """One batch."""
    return batch_view(batch_called(slug))


@router.get("/batches/{slug}/units", response=list[UnitLine])
def units(request: HttpRequest, slug: str, stage: str = ""):
    """Units of a batch in pallet order, of one stage or all."""
    rows = batch_called(slug).units.order_by("position")
    return unit_lines(list(rows.filter(stage=stage) if stage else rows))


@router.get("/labels", response=LabelChoices)
def label_choices(request: HttpRequest):
    """Sizes labels can be printed in, and the printer."""
    shop = workshop()
    return LabelChoices(
        sizes=list(shop.label_sizes), usual=shop.door_label, printer=printer_address()
    )


def _labels(slug: str, tags: list[str]) -> list[Label]:
    rows = batch_called(slug).units.order_by("position")
    return [
        Label(
            tag=unit.tag,
            model=sheet_version(unit.sheet_key, unit.sheet_version).name,
            serial=unit.serial,
            lines=[unit.notes] if unit.notes else [],
        )
        for unit in (rows.filter(tag__in=tags) if tags else rows)
    ]


@router.get("/batches/{slug}/labels.pdf")
def labels(request: HttpRequest, slug: str, size: str = "", tags: str = ""):
    """Labels of units, of all or those named, as PDF."""
    wanted = [tag for tag in tags.split(",") if tag]
    shop = workshop()
    chosen = size_called(size or shop.door_label, shop.label_sizes)
    pdf = labels_pdf(_labels(slug, wanted), chosen)
    answer = HttpResponse(pdf, content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="labels-{slug}.pdf"'
    return answer


@router.post(
    "/batches/{slug}/labels/print", response=Printed, auth=by(Role.RECEIVER, "Printing labels")
)
def print_(request: HttpRequest, slug: str, given: Print):
    """Send labels to the label printer."""
    size = size_called(given.size, workshop().label_sizes)
    found = _labels(slug, given.tags)
    print_labels(labels_pdf(found, size), size.key, f"{len(found)} labels")
    return Printed(count=len(found))


@router.get("/units/{tag}", response=UnitLine)
def unit(request: HttpRequest, tag: str):
    """The unit with this tag, however it was typed: where it waits is its next step."""
    return unit_lines([unit_tagged(tag)])[0]
