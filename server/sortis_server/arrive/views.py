"""What a screen shows of batches and units."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated

from ninja import Query
from pydantic import BaseModel

from sortis_core.stages import Stage
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import counts_of
from sortis_server.sheets.services import sheet_version

Offset = Annotated[int, Query(ge=0, le=10_000_000)]
"""Where a page of a long list begins."""


class BatchView(BaseModel):
    """A batch with how many units wait in each stage."""

    slug: str
    name: str
    source: str
    arrived_on: date
    due_on: date
    currency: str
    money_cents: int
    bench_minutes: int
    closed: bool
    units: int
    models: int
    counts: dict[str, int]


class UnitLine(BaseModel):
    """One unit in a list."""

    tag: str
    batch: str
    serial: str
    notes: str
    sheet: str
    model: str
    stage: Stage
    blocked: bool
    inspected: bool


def batch_views(batches: Sequence[Batch]) -> list[BatchView]:
    """Batches as their frames show them; the number of queries does not grow with them."""
    counts = counts_of(batches)
    return [
        BatchView(
            slug=batch.slug,
            name=batch.name,
            source=batch.source,
            arrived_on=batch.arrived_on,
            due_on=batch.due_on,
            currency=batch.currency,
            money_cents=batch.money_cents,
            bench_minutes=batch.bench_minutes,
            closed=batch.closed_at is not None,
            units=counts[batch.pk].units,
            models=counts[batch.pk].models,
            counts=counts[batch.pk].stages,
        )
        for batch in batches
    ]


def batch_view(batch: Batch) -> BatchView:
    """One batch as its frame shows it."""
    return batch_views([batch])[0]


def unit_lines(units: list[Unit]) -> list[UnitLine]:
    """Units for a list, without their strips: cheap enough for thousands."""
    return [
        UnitLine(
            tag=unit.tag,
            batch=unit.batch.slug,
            serial=unit.serial,
            notes=unit.notes,
            sheet=unit.sheet_key,
            model=sheet_version(unit.sheet_key, unit.sheet_version).name,
            stage=unit.stage,
            blocked=unit.blocked,
            inspected=unit.inspection_number > 0,
        )
        for unit in units
    ]
