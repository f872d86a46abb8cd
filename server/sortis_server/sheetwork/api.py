"""Model sheets: drawn while edited, saved as versions, compared, imported; resale standards."""

import json
from datetime import datetime
from typing import Any

from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from ninja import File, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.guide.answers import Asks, SheetAnswers, answered, asks
from sortis_core.intake.readout import ReadOut
from sortis_core.merging import SheetQuestion, Whose, questions
from sortis_core.policy import Policy
from sortis_core.route.check import RouteGap, route_gaps
from sortis_core.route.ways_to import WayTo, ways_to
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import (
    Change,
    ProvenOffer,
    SheetFault,
    from_nearest,
    from_readout,
    only_named,
    sheet_faults,
    what_changed,
    with_proof,
)
from sortis_core.standards import Standard
from sortis_core.strip import Strip, draw_strip
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_tagged
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.sheets.models import OfferedSheet, SheetVersion
from sortis_server.sheets.offered import offer_sheet, sheet_of
from sortis_server.sheets.services import newest_sheets, sheet_called, sheet_version
from sortis_server.sheetwork.editing import SheetRefused, offer_of, save_sheet
from sortis_server.sheetwork.merging import leave_offered, merge_offered, waiting_sheet
from sortis_server.workshop.services import newest_standards, part_kinds, workshop

router = Router(tags=["sheets"])


class SheetUse(BaseModel):
    """A sheet and how many units are read against it."""

    sheet: ModelSheet
    units: int
    strip: Strip


class VersionView(BaseModel):
    """One version of a sheet: who, when, what changed, and the units on it."""

    version: int
    at: datetime
    by: str
    words: str
    changes: list[Change]
    tags: list[str]


class Draft(BaseModel):
    """A sheet while it is edited."""

    document: dict[str, Any]
    trim: str = ""


class Drawing(BaseModel):
    """A draft as it would be: its strip, or why it is no sheet yet."""

    faults: list[SheetFault]
    gaps: list[RouteGap]
    """What a technician would miss; the sheet can be kept with them."""
    strip: Strip | None
    ways: list[WayTo]
    """To each place, for the drawing of the route."""
    changes: list[Change]
    """Against the newest version of the same key."""


class Guided(BaseModel):
    """A draft with its questions, their answers, and what there is to pick from."""

    document: ModelSheet
    asks: Asks


class Answered(BaseModel):
    """Answers to the questions that matter first, to a draft."""

    document: dict[str, Any]
    answers: SheetAnswers


class Save(BaseModel):
    """A sheet to be saved as the next version."""

    document: dict[str, Any]
    started_from: int = Field(ge=0)
    words: str = Field(default="", max_length=200)
    move_waiting: bool = True


class Saved(BaseModel):
    """The sheet as saved, and units that stay on their version."""

    sheet: ModelSheet
    left: list[str]


class Begin(BaseModel):
    """What a new sheet is begun from: a near sheet, or a unit's read-out."""

    maker: str = Field(min_length=1, max_length=60)
    model: str = Field(min_length=1, max_length=60)
    near: str = Field(default="", max_length=60)
    tag: str = Field(default="", max_length=12)


class Imported(BaseModel):
    """A sheet of a file: for the editor where it is new, else what it asks."""

    sheet: ModelSheet
    known: bool
    """There is a sheet of this key here."""
    offered: int | None = None
    """Number of the kept sheet whose questions wait; None where nothing differs."""


class OfferedLine(BaseModel):
    """A sheet of another workshop that waits for answers."""

    id: int
    key: str
    name: str
    came_from: str
    by: str
    at: datetime
    questions: int


class OfferedView(BaseModel):
    """Ours and theirs, drawn, and each fact in which they differ."""

    line: OfferedLine
    version: int
    ours: Strip
    theirs: Strip
    questions: list[SheetQuestion]


class MergeAnswers(BaseModel):
    """Whose fact the sheet is to hold, by question."""

    answers: dict[str, Whose]
    started_from: int = Field(ge=1)


def _trim(sheet: ModelSheet, asked: str) -> str:
    known = [one.key for one in sheet.trims]
    return asked if asked in known else known[0]


def _blank(sheet: ModelSheet, trim: str = "") -> Findings:
    return Findings(sheet=sheet.key, trim=_trim(sheet, trim))


def _json(document: Any, name: str) -> HttpResponse:
    text = json.dumps(document, indent=1, ensure_ascii=False)
    answer = HttpResponse(text, content_type="application/json; charset=utf-8")
    answer["Content-Disposition"] = f'inline; filename="{name}.json"'
    return answer


@router.get("", response=list[SheetUse])
def sheets(request: HttpRequest):
    """The newest version of every sheet."""
    counts = dict(Unit.objects.values_list("sheet_key").annotate(Count("pk")))
    standards = newest_standards()
    return [
        SheetUse(
            sheet=sheet,
            units=counts.get(key, 0),
            strip=draw_strip(sheet, _blank(sheet), standards),
        )
        for key, sheet in newest_sheets().items()
    ]


@router.get("/standards", response=list[Standard])
def standards(request: HttpRequest):
    """The newest version of every standard."""
    return list(newest_standards())


@router.get("/schema.json")
def schema(request: HttpRequest):
    """The JSON Schema of a sheet."""
    return _json(ModelSheet.model_json_schema(), "sheet-schema")


@router.post("/draw", response=Drawing)
def draw(request: HttpRequest, given: Draft):
    """Draw a sheet while it is edited; nothing is kept."""
    faults = sheet_faults(given.document)
    if faults:
        return Drawing(faults=list(faults), gaps=[], strip=None, ways=[], changes=[])
    sheet = read_document(ModelSheet, given.document)
    known = newest_sheets().get(sheet.key)
    return Drawing(
        faults=[],
        gaps=list(route_gaps(sheet)),
        strip=draw_strip(sheet, _blank(sheet, given.trim), newest_standards()),
        ways=list(ways_to(sheet, _trim(sheet, given.trim), Policy())),
        changes=list(what_changed(known, sheet)) if known else [],
    )


def _sound(document: dict[str, Any]) -> ModelSheet:
    if faults := sheet_faults(document):
        raise SheetRefused(
            f"{faults[0].where}: {faults[0].sentence}",
            faults=[(fault.where, fault.sentence) for fault in faults],
        )
    return read_document(ModelSheet, document)


@router.post("/guide", response=Guided)
def guide(request: HttpRequest, given: Draft):
    """The questions that matter first of a draft, with the answers it holds; nothing is kept."""
    sheet = _sound(given.document)
    return Guided(document=sheet, asks=asks(sheet))


@router.post("/guide/answer", response=Guided)
def guide_answered(request: HttpRequest, given: Answered):
    """The draft as the answers have it; nothing is kept."""
    answer = answered(_sound(given.document), given.answers, part_kinds())
    sheet = _sound(answer.model_dump(mode="json"))
    return Guided(document=sheet, asks=asks(sheet))


@router.post("", response=Saved, auth=by(Role.INSPECTOR, "Writing a sheet"))
def save(request: HttpRequest, given: Save):
    """Save a sheet as its next version."""
    person = signed_in(request)
    sheet, left = save_sheet(
        given.document, given.started_from, given.words, person, move_waiting=given.move_waiting
    )
    return Saved(sheet=sheet, left=left)


@router.post("/import", response=Imported, auth=by(Role.INSPECTOR, "Writing a sheet"))
def import_(request: HttpRequest, file: File[UploadedFile]):
    """Read a sheet from a JSON file: a new one for the editor, a known one as questions."""
    person = signed_in(request)
    try:
        document = json.loads(file.read().decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise SheetRefused(
            "The file is not JSON in UTF-8, or is cut off. Export the sheet again.", faults=[]
        ) from error
    theirs = _sound(document)
    here = newest_sheets().get(theirs.key)
    if here is None or not here.written:
        return Imported(sheet=theirs, known=False)
    row, _ = offer_sheet(here, theirs, file.name or "a file", person)
    return Imported(sheet=here, known=True, offered=row.pk if row else None)


def _offered_line(row: OfferedSheet) -> OfferedLine:
    ours, theirs = sheet_called(row.key), sheet_of(row)
    return OfferedLine(
        id=row.pk,
        key=row.key,
        name=ours.name,
        came_from=row.came_from,
        by=row.by.name if row.by else "",
        at=row.at,
        questions=len(questions(ours, theirs)),
    )


@router.get("/offered", response=list[OfferedLine])
def offered(request: HttpRequest):
    """Sheets of other workshops whose questions wait."""
    rows = OfferedSheet.objects.filter(settled_at=None).select_related("by").order_by("pk")
    return [_offered_line(row) for row in rows]


@router.get("/offered/{int:number}", response=OfferedView)
def one_offered(request: HttpRequest, number: int):
    """One of them, with its questions against the newest version of ours."""
    row = waiting_sheet(number)
    ours, theirs = sheet_called(row.key), sheet_of(row)
    standards = newest_standards()
    return OfferedView(
        line=_offered_line(row),
        version=ours.version,
        ours=draw_strip(ours, _blank(ours), standards),
        theirs=draw_strip(theirs, _blank(theirs), standards),
        questions=list(questions(ours, theirs)),
    )


@router.post(
    "/offered/{int:number}/merge", response=Saved, auth=by(Role.INSPECTOR, "Writing a sheet")
)
def offered_merged(request: HttpRequest, number: int, given: MergeAnswers):
    """Keep what the answers make as the next version of ours."""
    person = signed_in(request)
    sheet, left = merge_offered(number, given.answers, given.started_from, person)
    return Saved(sheet=sheet, left=left)


@router.post(
    "/offered/{int:number}/leave",
    response=list[OfferedLine],
    auth=by(Role.INSPECTOR, "Writing a sheet"),
)
def offered_left(request: HttpRequest, number: int):
    """Keep ours as it is."""
    leave_offered(number, signed_in(request))
    return offered(request)


@router.post("/begin", response=ModelSheet, auth=by(Role.INSPECTOR, "Writing a sheet"))
def begin(request: HttpRequest, given: Begin):
    """A draft for an unknown model, from a near sheet, from a unit's read-out, or from nothing."""
    if given.tag:
        row = unit_tagged(given.tag).readouts.order_by("-pk").first()
        if row is None:
            raise NotThere(f"{given.tag} has no read-out yet. Take one in under Inspect first.")
        return from_readout(read_document(ReadOut, row.document), given.maker, given.model)
    if not given.near:
        return only_named(given.maker, given.model).model_copy(update={"written": True})
    return from_nearest(sheet_called(given.near), given.maker, given.model)


@router.get("/{key}", response=ModelSheet)
def sheet(request: HttpRequest, key: str):
    """The newest version of one sheet, as its document."""
    return sheet_called(key)


@router.get("/{key}/export.json")
def export(request: HttpRequest, key: str):
    """The newest version as a file."""
    found = sheet_called(key)
    document = found.model_dump(mode="json", exclude_defaults=True)
    return _json({"format": found.format} | document, found.key)


@router.get("/{key}/ways", response=list[WayTo])
def ways(request: HttpRequest, key: str, trim: str = ""):
    """The way to each place of a trim under the usual schools, for the drawing of the route."""
    sheet = sheet_called(key)
    return ways_to(sheet, _trim(sheet, trim), Policy())


@router.get("/{key}/versions", response=list[VersionView])
def versions(request: HttpRequest, key: str):
    """All versions, newest first, with what changed and which units are on each."""
    rows = list(
        SheetVersion.objects.select_related("by")
        .defer("document")
        .filter(key=key)
        .order_by("version")
    )
    if not rows:
        raise NotThere(f"There is no sheet {key}.")
    tags: dict[int, list[str]] = {}
    for tag, version in (
        Unit.objects.filter(sheet_key=key).order_by("tag").values_list("tag", "sheet_version")
    ):
        tags.setdefault(version, []).append(tag)
    found: list[VersionView] = []
    before: ModelSheet | None = None
    for row in rows:
        now = sheet_version(key, row.version)
        found.append(
            VersionView(
                version=row.version,
                at=row.at,
                by=row.by.name if row.by else "",
                words=row.words,
                changes=list(what_changed(before, now)) if before else [],
                tags=tags.get(row.version, []),
            )
        )
        before = now
    return found[::-1]


@router.get("/{key}/versions/{version}", response=ModelSheet)
def one_version(request: HttpRequest, key: str, version: int):
    """One version as its document."""
    return sheet_version(key, version)


@router.get("/{key}/proof", response=ProvenOffer | None)
def proof(request: HttpRequest, key: str):
    """What released units prove beyond the stated memory, if anything."""
    return offer_of(sheet_called(key))


@router.post("/{key}/proof", response=Saved, auth=by(Role.INSPECTOR, "Writing a sheet"))
def prove(request: HttpRequest, key: str):
    """Take the proof of released units into the sheet, as its next version."""
    person = signed_in(request)
    known = sheet_called(key)
    offer = offer_of(known)
    if offer is None:
        raise NotThere(f"No released {known.name} ran beyond what its sheet says.")
    document = with_proof(known, offer, workshop().name).model_dump(mode="json")
    saved, left = save_sheet(document, known.version, offer.sentence, person, move_waiting=True)
    return Saved(sheet=saved, left=left)
