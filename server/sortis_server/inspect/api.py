"""Inspection of one unit: read while typing, keep, hazards."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.assess import Assessment
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.sheets import Trim
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_tagged
from sortis_server.inspect.services import (
    assess_unit,
    clear_hazard,
    findings_of,
    keep_inspection,
    sheet_of,
)
from sortis_server.people.models import Role
from sortis_server.people.roles import person_with
from sortis_server.sheets.services import newest_standards

router = Router(tags=["inspect"])


class Reading(BaseModel):
    """What typed entries amount to."""

    strip: Strip
    refusals: dict[str, str]
    """Place -> why it cannot hold what was typed."""
    assessment: Assessment


class HazardView(BaseModel):
    """A dangerous pack and what was done with it."""

    place: str
    seen_by: str
    seen_at: datetime
    done: str
    done_by: str


class Kept(BaseModel):
    """Who kept the newest inspection, and when."""

    by: str
    at: datetime
    source: str


class InspectionView(BaseModel):
    """A unit open for inspection."""

    tag: str
    batch: str
    serial: str
    notes: str
    model: str
    sheet: str
    sheet_version: int
    summary: str
    seals: list[str]
    trims: list[Trim]
    trim: str
    stage: str
    blocked: bool
    number: int
    kept: Kept | None
    entries: dict[str, str]
    reading: Reading
    hazards: list[HazardView]


class Typed(BaseModel):
    """What stands in the places right now."""

    trim: str
    entries: dict[str, str] = Field(max_length=80)


class Keep(Typed):
    """What is to be kept."""

    started_from: int
    enough: bool = False


class HazardDone(BaseModel):
    """What was done with the pack."""

    words: str = Field(max_length=400)


def _reading(unit: Unit, given: Typed) -> Reading:
    sheet = sheet_of(unit)
    findings, refusals = read_entries(sheet, given.trim, given.entries)
    return Reading(
        strip=draw_strip(sheet, findings, newest_standards()),
        refusals=refusals,
        assessment=assess_unit(unit, findings),
    )


def _view(unit: Unit) -> InspectionView:
    sheet = sheet_of(unit)
    findings = findings_of(unit)
    entries = write_entries(findings)
    newest = unit.inspections.select_related("by").order_by("-number").first()
    return InspectionView(
        tag=unit.tag,
        batch=unit.batch.slug,
        serial=unit.serial,
        notes=unit.notes,
        model=sheet.name,
        sheet=sheet.key,
        sheet_version=sheet.version,
        summary=sheet.summary,
        seals=list(sheet.seals),
        trims=list(sheet.trims),
        trim=findings.trim,
        stage=unit.stage,
        blocked=unit.blocked,
        number=unit.inspection_number,
        kept=Kept(by=newest.by.name, at=newest.at, source=newest.source) if newest else None,
        entries=entries,
        reading=_reading(unit, Typed(trim=findings.trim, entries=entries)),
        hazards=[
            HazardView(
                place=sheet.label_of(hazard.place),
                seen_by=hazard.seen_by.name,
                seen_at=hazard.seen_at,
                done=hazard.done,
                done_by=hazard.done_by.name if hazard.done_by else "",
            )
            for hazard in unit.hazards.select_related("seen_by", "done_by").order_by("seen_at")
        ],
    )


@router.get("/{tag}/inspection", response=InspectionView)
def inspection(request: HttpRequest, tag: str):
    """The unit as it was last inspected, on its model sheet."""
    return _view(unit_tagged(tag))


@router.post("/{tag}/read", response=Reading)
def read(request: HttpRequest, tag: str, given: Typed):
    """What the entries amount to; nothing is kept."""
    return _reading(unit_tagged(tag), given)


@router.post("/{tag}/inspection", response=InspectionView)
def keep(request: HttpRequest, tag: str, given: Keep):
    """Append an inspection."""
    person = person_with(request, Role.INSPECTOR, "Inspecting")
    unit = unit_tagged(tag)
    return _view(
        keep_inspection(
            unit.tag, given.started_from, given.trim, given.entries, person, enough=given.enough
        )
    )


@router.post("/{tag}/hazard", response=InspectionView)
def hazard(request: HttpRequest, tag: str, given: HazardDone):
    """Record that the dangerous pack is gone."""
    person = person_with(request, Role.INSPECTOR, "Recording what was done with a pack")
    return _view(clear_hazard(unit_tagged(tag).tag, given.words, person))
