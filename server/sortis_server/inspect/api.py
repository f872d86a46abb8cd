"""Inspection of one unit: read while typing, keep, hazards."""

from datetime import date, datetime

from django.db.models import F, Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.assess import Assessment
from sortis_core.facts.functions import RepairFact, repair_facts
from sortis_core.findings import UNIT, HazardKind
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.sheets import ModelSheet, Trim
from sortis_core.stages import Stage
from sortis_core.strip import Strip, draw_strip
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_tagged
from sortis_server.inspect.models import Hazard
from sortis_server.inspect.photos import PhotoView, photos_of
from sortis_server.inspect.services import (
    assess_unit,
    clear_hazard,
    findings_of,
    keep_inspection,
    sheet_of,
    starting_point,
    take_back_danger,
)
from sortis_server.people.roles import by, signed_in
from sortis_server.workshop.services import newest_standards, part_kinds

router = Router(tags=["inspect"])


class Reading(BaseModel):
    """What typed entries amount to."""

    strip: Strip
    refusals: dict[str, str]
    """Place -> why it cannot hold what was typed."""
    assessment: Assessment


class HazardView(BaseModel):
    """A danger and what was done about it."""

    place: str
    whole_unit: bool
    """The unit itself, no single pack."""
    kind: HazardKind
    seen_by: str
    seen_at: datetime
    done: str
    done_by: str


class HazardLine(HazardView):
    """A danger in the list of the day."""

    tag: str
    batch: str
    model: str


class StartingPoint(BaseModel):
    """What most units of this model held so far; to be confirmed, not given."""

    tag: str
    trim: str
    entries: dict[str, str]
    held_by: int
    of: int
    strip: Strip


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
    back_for: str
    """Why it was sent back to inspection, while it waits there."""
    model: str
    sheet: str
    sheet_version: int
    sheet_written: bool
    """False where only the model's name is known: nobody can inspect by it yet."""
    summary: str
    seals: list[str]
    trims: list[Trim]
    trim: str
    stage: Stage
    blocked: bool
    number: int
    kept: Kept | None
    entries: dict[str, str]
    reading: Reading
    hazards: list[HazardView]
    like: StartingPoint | None
    repairs: list[RepairFact]
    photos: list[PhotoView]
    readout: bool
    """Whether a read-out of this unit was taken in."""


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


def reading_of(unit: Unit, given: Typed) -> Reading:
    """What typed entries of a unit amount to."""
    sheet = sheet_of(unit)
    findings, refusals = read_entries(sheet, given.trim, given.entries)
    standards = newest_standards()
    return Reading(
        strip=draw_strip(sheet, findings, standards),
        refusals=refusals,
        assessment=assess_unit(unit, findings, standards),
    )


def view_of(unit: Unit) -> InspectionView:
    """The unit as the bench screen shows it."""
    sheet = sheet_of(unit)
    findings = findings_of(unit)
    entries = write_entries(findings)
    newest = unit.inspections.select_related("by").order_by("-number").first()
    return InspectionView(
        tag=unit.tag,
        batch=unit.batch.slug,
        serial=unit.serial,
        notes=unit.notes,
        back_for=unit.back_for if unit.stage == Stage.INSPECT else "",
        model=sheet.name,
        sheet=sheet.key,
        sheet_version=sheet.version,
        sheet_written=sheet.written,
        summary=sheet.summary,
        seals=list(sheet.seals),
        trims=list(sheet.trims),
        trim=findings.trim,
        stage=unit.stage,
        blocked=unit.blocked,
        number=unit.inspection_number,
        kept=Kept(by=newest.by.name, at=newest.at, source=newest.source) if newest else None,
        entries=entries,
        reading=reading_of(unit, Typed(trim=findings.trim, entries=entries)),
        hazards=[
            HazardView(
                place=_place_words(sheet, hazard),
                whole_unit=hazard.place == UNIT,
                kind=hazard.kind,
                seen_by=hazard.seen_by.name,
                seen_at=hazard.seen_at,
                done=hazard.done,
                done_by=hazard.done_by.name if hazard.done_by else "",
            )
            for hazard in unit.hazards.select_related("seen_by", "done_by").order_by("seen_at")
        ],
        like=_like(unit, sheet),
        repairs=list(repair_facts(sheet, findings.trim, part_kinds())),
        photos=photos_of(unit),
        readout=unit.readouts.exists(),
    )


def _place_words(sheet: ModelSheet, hazard: Hazard) -> str:
    return "The unit" if hazard.place == UNIT else sheet.label_of(hazard.place)


def _like(unit: Unit, sheet: ModelSheet) -> StartingPoint | None:
    like = starting_point(unit)
    if not like.tag:
        return None
    findings, _ = read_entries(sheet, like.trim, like.entries)
    strip = draw_strip(sheet, findings, newest_standards())
    return StartingPoint(**like._asdict(), strip=strip)


@router.get("/hazards", response=list[HazardLine])
def hazards(request: HttpRequest, batch: str = "", day: date | None = None):
    """Dangers that stand open, and those seen or dealt with on a day (today), newest first."""
    on = day or timezone.now().date()
    rows = Hazard.objects.select_related("unit__batch", "seen_by", "done_by").filter(
        Q(done_at=None) | Q(seen_at__date=on) | Q(done_at__date=on)
    )
    if batch:
        rows = rows.filter(unit__batch__slug=batch)
    return [
        HazardLine(
            tag=row.unit.tag,
            batch=row.unit.batch.slug,
            model=sheet_of(row.unit).name,
            place=_place_words(sheet_of(row.unit), row),
            whole_unit=row.place == UNIT,
            kind=row.kind,
            seen_by=row.seen_by.name,
            seen_at=row.seen_at,
            done=row.done,
            done_by=row.done_by.name if row.done_by else "",
        )
        for row in rows.order_by(F("done_at").asc(nulls_first=True), "-seen_at")[:200]
    ]


@router.get("/{tag}/inspection", response=InspectionView)
def inspection(request: HttpRequest, tag: str):
    """The unit as it was last inspected, on its model sheet."""
    return view_of(unit_tagged(tag))


@router.post("/{tag}/read", response=Reading)
def read(request: HttpRequest, tag: str, given: Typed):
    """What the entries amount to; nothing is kept."""
    return reading_of(unit_tagged(tag), given)


@router.post("/{tag}/inspection", response=InspectionView, auth=by(Role.INSPECTOR, "Inspecting"))
def keep(request: HttpRequest, tag: str, given: Keep):
    """Append an inspection."""
    person = signed_in(request)
    unit = unit_tagged(tag)
    return view_of(
        keep_inspection(
            unit.tag, given.started_from, given.trim, given.entries, person, enough=given.enough
        )
    )


@router.delete(
    "/{tag}/hazard", response=InspectionView, auth=by(Role.INSPECTOR, "Taking a danger back")
)
def no_hazard(request: HttpRequest, tag: str):
    """Take a danger back that was noted by mistake a moment ago."""
    person = signed_in(request)
    return view_of(take_back_danger(unit_tagged(tag).tag, person))


@router.post(
    "/{tag}/hazard",
    response=InspectionView,
    auth=by(Role.INSPECTOR, "Recording what was done about a danger"),
)
def hazard(request: HttpRequest, tag: str, given: HazardDone):
    """Record what was done about the danger."""
    person = signed_in(request)
    return view_of(clear_hazard(unit_tagged(tag).tag, given.words, person))
