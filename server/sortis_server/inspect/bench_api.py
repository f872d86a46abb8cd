"""At the bench: the bench line, read-outs, pictures, the search for a unit that does not start."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Form, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_core.documents import read_document
from sortis_core.intake.benchline import (
    SCANNED,
    BenchLine,
    Completion,
    code_words,
    complete,
    read_line,
    write_line,
)
from sortis_core.intake.entry import read_entries
from sortis_core.intake.readout import Comparison, ReadOut, compare
from sortis_core.intake.readout.seen import MachineSeen
from sortis_core.nostart import Search, search
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_tagged
from sortis_server.devices import probe_address, probe_bundle
from sortis_server.inspect.api import InspectionView, Reading, Typed, reading_of, view_of
from sortis_server.inspect.models import ReadOutRow
from sortis_server.inspect.photos import keep_photo, photo_called
from sortis_server.inspect.services import (
    change_sheet,
    findings_of,
    keep_readout,
    sheet_of,
    starting_point,
)
from sortis_server.labels import codes_pdf
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets
from sortis_server.workshop.services import newest_standards

router = Router(tags=["bench"])
PHOTOGRAPHERS = (Role.RECEIVER, Role.INSPECTOR, Role.TECHNICIAN, Role.RELEASER)
COLLECT = settings.HOME / "standins" / "collect.sh"


class Line(Typed):
    """A bench line over what is in the strip already."""

    text: str = Field(max_length=2000)
    caret: int = Field(ge=0, le=2000)


class LineView(BaseModel):
    """A bench line as understood, and the unit with it."""

    line: BenchLine
    completions: list[Completion]
    trim: str
    entries: dict[str, str]
    """All entries of the strip once the line is taken over."""
    reading: Reading
    written: str
    """The whole unit as one line."""


class ReadOutView(BaseModel):
    """A read-out beside what is in the strip."""

    machine: MachineSeen
    comparison: Comparison
    probe: bool
    """Whether a bench probe is set up."""


class SheetChoice(BaseModel):
    """The sheet a unit is to be read against."""

    sheet: str = Field(max_length=60)


class SheetChanged(BaseModel):
    """The unit on its new sheet, and what could not be taken along."""

    view: InspectionView
    left: list[str]


class Searching(Typed):
    """Answers of the search so far: (step, answer)."""

    answers: list[tuple[str, str]] = Field(max_length=20)


@router.post("/{tag}/line", response=LineView)
def line(request: HttpRequest, tag: str, given: Line):
    """What a bench line amounts to; nothing is kept."""
    unit = unit_tagged(tag)
    sheet = sheet_of(unit)
    standards = newest_standards()
    read = read_line(sheet, given.trim, given.text, standards)
    base = dict(given.entries)
    trim = read.trim
    if read.same:
        like = starting_point(unit)
        trim = like.trim if like.trim and read.trim == given.trim else trim
        base |= like.entries
    entries = base | read.entries
    typed = Typed(trim=trim, entries=entries)
    reading = reading_of(unit, typed)
    findings, _ = read_entries(sheet, trim, entries)
    return LineView(
        line=read,
        completions=list(complete(sheet, given.trim, given.text, given.caret)),
        trim=trim,
        entries=entries,
        reading=reading,
        written=write_line(sheet, findings),
    )


def _newest_readout(unit: Unit) -> ReadOutRow | None:
    return unit.readouts.defer("data").order_by("-pk").first()


def _readout_view(unit: Unit, typed: Typed, readout: ReadOut) -> ReadOutView:
    sheet = sheet_of(unit)
    findings, _ = read_entries(sheet, typed.trim, typed.entries)
    return ReadOutView(
        machine=readout.machine,
        comparison=compare(sheet, findings, readout, unit.serial),
        probe=bool(probe_address()),
    )


TAKES = by(Role.INSPECTOR, "Taking a read-out in")


@router.post("/{tag}/readout", response=ReadOutView, auth=TAKES)
def readout(request: HttpRequest, tag: str, file: File[UploadedFile], typed: Form[str] = "{}"):
    """Take a probe bundle in and lay it beside what is typed; nothing typed is changed."""
    unit = unit_tagged(tag)
    row = keep_readout(unit, file.read(), signed_in(request))
    return _readout_view(unit, _typed(unit, typed), row)


def _typed(unit: Unit, text: str) -> Typed:
    try:
        return Typed.model_validate_json(text)
    except ValueError:
        trim = findings_of(unit).trim
        return Typed(trim=trim, entries={})


@router.post("/{tag}/probe", response=ReadOutView, auth=TAKES)
def probe(request: HttpRequest, tag: str, given: Typed):
    """Ask the bench probe for a bundle of this unit."""
    unit = unit_tagged(tag)
    sheet = sheet_of(unit)
    question = {"tag": unit.tag, "serial": unit.serial, "sheet": sheet.model_dump(mode="json")}
    return _readout_view(
        unit, given, keep_readout(unit, probe_bundle(question), signed_in(request))
    )


@router.post("/{tag}/beside", response=ReadOutView)
def beside(request: HttpRequest, tag: str, given: Typed):
    """The newest read-out beside what is typed now."""
    unit = unit_tagged(tag)
    row = _newest_readout(unit)
    readout = read_document(ReadOut, row.document) if row else ReadOut()
    return _readout_view(unit, given, readout)


@router.put(
    "/{tag}/sheet", response=SheetChanged, auth=by(Role.INSPECTOR, "Changing a unit's model")
)
def another_sheet(request: HttpRequest, tag: str, given: SheetChoice):
    """Read the unit against another model's sheet."""
    person = signed_in(request)
    unit, left = change_sheet(unit_tagged(tag).tag, given.sheet, person)
    return SheetChanged(view=view_of(unit), left=left)


@router.post("/{tag}/search", response=Search)
def searching(request: HttpRequest, tag: str, given: Searching):
    """Go on with the search for a unit that does not start."""
    unit = unit_tagged(tag)
    sheet = sheet_of(unit)
    findings, _ = read_entries(sheet, given.trim, given.entries)
    return search(sheet, findings, tuple(given.answers))


@router.post("/{tag}/photos", response=InspectionView, auth=by(PHOTOGRAPHERS, "Keeping a picture"))
def add_photo(request: HttpRequest, tag: str, file: File[UploadedFile], words: Form[str] = ""):
    """Keep a picture of damage."""
    person = signed_in(request)
    unit = unit_tagged(tag)
    keep_photo(unit, file.read(), words, person)
    return view_of(unit)


@router.get("/{tag}/photos/{number}.jpg")
def photo(request: HttpRequest, tag: str, number: int):
    """One picture."""
    answer = HttpResponse(
        bytes(photo_called(unit_tagged(tag), number).data), content_type="image/jpeg"
    )
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@router.delete(
    "/{tag}/photos/{number}",
    response=InspectionView,
    auth=by(PHOTOGRAPHERS, "Taking a picture off"),
)
def remove_photo(request: HttpRequest, tag: str, number: int):
    """Take a picture off the unit; ``undo`` puts it back."""
    unit = unit_tagged(tag)
    found = photo_called(unit, number)
    found.removed, found.removed_at, found.shown = True, timezone.now(), None
    found.save(update_fields=["removed", "removed_at", "shown"])
    return view_of(unit)


@router.post(
    "/{tag}/photos/{number}/back",
    response=InspectionView,
    auth=by(PHOTOGRAPHERS, "Putting a picture back"),
)
def photo_back(request: HttpRequest, tag: str, number: int):
    """Put a picture back that was taken off."""
    unit = unit_tagged(tag)
    if not unit.photos.filter(pk=number).update(removed=False, removed_at=None):
        raise NotThere(f"{unit.tag} has no such picture.")
    return view_of(unit)


@router.get("/codes/{key}.pdf")
def codes(request: HttpRequest, key: str):
    """A printable sheet of scan codes: words all models share, or those of one sheet too."""
    sheet = newest_sheets().get(key)
    if sheet is None and key != "all":
        raise NotThere(f"There is no sheet {key}.")
    title = f"Bench line codes · {sheet.name}" if sheet else "Bench line codes"
    # The mark tells a scanned word from a typed one.
    words = {name: [(SCANNED + w, w) for w in group] for name, group in code_words(sheet).items()}
    pdf = codes_pdf(title, words)
    answer = HttpResponse(pdf, content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="codes-{key}.pdf"'
    return answer


@router.get("/probe/collect.sh")
def collect(request: HttpRequest):
    """The script that collects a bundle on a unit started from any live system."""
    answer = HttpResponse(COLLECT.read_bytes(), content_type="text/x-shellscript; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="collect.sh"'
    return answer
