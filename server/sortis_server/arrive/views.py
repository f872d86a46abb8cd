"""What a screen shows of batches and units."""

from datetime import date

from pydantic import BaseModel

from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.stages import Stage
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import stage_counts
from sortis_server.inspect.models import Inspection
from sortis_server.sheets.services import newest_standards, sheet_version


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


def batch_view(batch: Batch) -> BatchView:
    """The batch as its frame shows it."""
    return BatchView(
        slug=batch.slug,
        name=batch.name,
        source=batch.source,
        arrived_on=batch.arrived_on,
        due_on=batch.due_on,
        currency=batch.currency,
        money_cents=batch.money_cents,
        bench_minutes=batch.bench_minutes,
        units=batch.units.count(),
        models=batch.units.values("sheet_key").distinct().count(),
        counts=stage_counts(batch),
    )


def newest_findings(units: list[Unit]) -> dict[int, Findings]:
    """Unit id -> newest findings, in one query; units without any are left out."""
    wanted = {unit.pk: unit.inspection_number for unit in units if unit.inspection_number}
    rows = Inspection.objects.filter(
        unit_id__in=wanted, number__in=set(wanted.values())
    ).values_list("unit_id", "number", "findings")
    return {
        unit: read_document(Findings, findings)
        for unit, number, findings in rows
        if wanted[unit] == number
    }


def blank_findings(unit: Unit) -> Findings:
    """Nothing looked at yet, in the sheet's first trim."""
    sheet = sheet_version(unit.sheet_key, unit.sheet_version)
    return Findings(sheet=unit.sheet_key, trim=sheet.trims[0].key)


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


def strips_of(units: list[Unit]) -> dict[str, Strip]:
    """The strips of units by tag; the number of queries does not grow with them."""
    found = newest_findings(units)
    standards = newest_standards()
    return {
        unit.tag: draw_strip(
            sheet_version(unit.sheet_key, unit.sheet_version),
            found.get(unit.pk) or blank_findings(unit),
            standards,
        )
        for unit in units
    }
