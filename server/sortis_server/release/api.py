"""The last check of a unit, its label."""

from datetime import datetime
from typing import Annotated

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_core.check import Checked
from sortis_core.documents import read_document
from sortis_core.findings import Grade
from sortis_core.gates.sanitised import drives_with_data
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.intake.erasure import LARGEST_BYTES
from sortis_core.labels import LabelSize, size_called
from sortis_core.pictures import MOST_SHOWN, ShownPicture
from sortis_core.release import ReleaseGate
from sortis_core.stages import Stage
from sortis_core.strip import Strip, draw_strip
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.models import Unit
from sortis_server.arrive.services import unit_tagged
from sortis_server.devices import eraser_address, eraser_report, probe_address, probe_bundle
from sortis_server.inspect.photos import keep_photo
from sortis_server.inspect.services import findings_of, keep_readout, policy_of, sheet_of
from sortis_server.labels import Label, code_svg, labels_pdf
from sortis_server.people.roles import by, signed_in
from sortis_server.release.address import code_of
from sortis_server.release.pictures import UnitPicture, pictures_of, show, show_also
from sortis_server.release.services import (
    checked,
    gates_of,
    lines_of,
    open_again,
    release,
    release_back,
    send_back,
    sign,
    sign_back,
    standard_of,
    waive,
    waive_back,
)
from sortis_server.stock.erasures import serials_seen
from sortis_server.workshop.services import workshop

router = Router(tags=["release"])


class ReleaseView(BaseModel):
    """A unit at the last check."""

    tag: str
    batch: str
    serial: str
    model: str
    stage: Stage
    standard: str
    price_cents: int
    grade: Grade | None
    gates: list[ReleaseGate]
    label: list[str]
    check: Checked | None
    """What the machine says of the work; None without a read-out since."""
    probe: bool
    """Whether a bench probe can be asked."""
    seen: Strip | None
    """The unit as the machine sees it."""
    eraser: bool
    """Whether an eraser can be asked for its reports."""
    label_size: LabelSize
    """What its label is printed in."""
    strip: Strip
    released_by: str
    released_at: datetime | None


class ShowPictures(BaseModel):
    """Which pictures the buyer sees, in order."""

    shown: list[ShownPicture] = Field(max_length=MOST_SHOWN)
    known: list[int] = Field(max_length=MOST_SHOWN)
    """Numbers of those that were shown when somebody began to change it."""


class Sent(BaseModel):
    """Where a unit waits now."""

    tag: str
    stage: Stage


class SendBack(BaseModel):
    """What is not as it should be, and which places somebody has to look at."""

    places: list[str] = Field(default=[], max_length=60)
    words: str = Field(max_length=70)


class OpenAgain(BaseModel):
    """Where something has to be seated again."""

    place: str = Field(max_length=60)


class SignBack(BaseModel):
    """Which gate's signature or waiver is taken back."""

    gate: str = Field(max_length=60)


class Waive(BaseModel):
    """Which gate a unit may leave without, why, and whether its buyer is told."""

    gate: str = Field(max_length=60)
    reason: str = Field(max_length=200)
    told: bool


class Sign(BaseModel):
    """Which gate was seen, and what is to be recorded."""

    gate: str = Field(max_length=60)
    words: str = Field(default="", max_length=200)
    reports: list[Annotated[str, Field(max_length=LARGEST_BYTES)]] = Field(default=[], max_length=8)
    """Of an eraser, one for each drive that held data."""


def _as_seen(unit: Unit, found: Checked | None) -> Strip | None:
    """The strip of what the machine says; places that it says nothing of are not looked at."""
    if found is None:
        return None
    sheet = sheet_of(unit)
    said = {one.place: one.entry for one in found.places if one.entry}
    findings, _ = read_entries(sheet, findings_of(unit).trim, said)
    return draw_strip(sheet, findings, (standard_of(unit),))


def _label_size() -> LabelSize:
    shop = workshop()
    return size_called(shop.unit_label, shop.label_sizes)


def _view(unit: Unit) -> ReleaseView:
    standard = standard_of(unit)
    findings = findings_of(unit)
    sheet = sheet_of(unit)
    released = unit.releases.filter(valid=True).select_related("by").first()
    price = standard.sells_for(sheet, findings, policy_of(unit))
    found = None if released else checked(unit)
    gates = gates_of(unit)
    if released:
        gates = tuple(read_document(ReleaseGate, gate) for gate in released.gates)
    return ReleaseView(
        tag=unit.tag,
        batch=unit.batch.slug,
        serial=unit.serial,
        model=sheet.name,
        stage=unit.stage,
        standard=standard.name,
        price_cents=price or 0,
        grade=findings.grade,
        gates=list(gates),
        label=list(released.label if released else lines_of(unit)),
        check=found,
        probe=bool(probe_address()),
        seen=_as_seen(unit, found),
        eraser=bool(eraser_address()),
        label_size=_label_size(),
        strip=draw_strip(sheet, findings, (standard,)),
        released_by=released.by.name if released else "",
        released_at=released.at if released else None,
    )


@router.get("/{tag}/release", response=ReleaseView)
def last_check(request: HttpRequest, tag: str):
    """All gates of the unit's standard with their evidence."""
    return _view(unit_tagged(tag))


@router.post("/{tag}/release/sign", response=ReleaseView, auth=by(Role.RELEASER, "Signing a gate"))
def signed(request: HttpRequest, tag: str, given: Sign):
    """Sign one gate."""
    person = signed_in(request)
    return _view(sign(unit_tagged(tag).tag, given.gate, given.words, person, given.reports))


class EraserReports(BaseModel):
    """What the eraser says of the drives of a unit, as it says it."""

    texts: list[str]


@router.post(
    "/{tag}/release/erasures", response=EraserReports, auth=by(Role.RELEASER, "Asking the eraser")
)
def erasures(request: HttpRequest, tag: str):
    """Ask the eraser for its reports of the unit's drives; nothing is signed by it."""
    unit = unit_tagged(tag)
    places = drives_with_data(findings_of(unit))
    seen = serials_seen(unit)
    serials = seen if len(seen) == len(places) else [f"{unit.serial}-{place}" for place in places]
    return EraserReports(texts=[eraser_report(serial) for serial in serials])


@router.post("/{tag}/release", response=ReleaseView, auth=by(Role.RELEASER, "Releasing"))
def released(request: HttpRequest, tag: str):
    """Release the unit."""
    person = signed_in(request)
    return _view(release(unit_tagged(tag).tag, person))


@router.post(
    "/{tag}/release/sign/back", response=ReleaseView, auth=by(Role.RELEASER, "Signing a gate")
)
def signed_back(request: HttpRequest, tag: str, given: SignBack):
    """Take one signature back."""
    person = signed_in(request)
    return _view(sign_back(unit_tagged(tag).tag, given.gate, person))


@router.post("/{tag}/release/waive", response=ReleaseView, auth=by(Role.OWNER, "Waiving a gate"))
def waived(request: HttpRequest, tag: str, given: Waive):
    """Let the unit leave without one gate."""
    person = signed_in(request)
    return _view(waive(unit_tagged(tag).tag, given.gate, given.reason, person, told=given.told))


@router.post(
    "/{tag}/release/waive/back", response=ReleaseView, auth=by(Role.OWNER, "Waiving a gate")
)
def waived_back(request: HttpRequest, tag: str, given: SignBack):
    """Take one waiver back."""
    person = signed_in(request)
    return _view(waive_back(unit_tagged(tag).tag, given.gate, person))


@router.post(
    "/{tag}/release/readout",
    response=ReleaseView,
    auth=by((Role.RELEASER, Role.INSPECTOR), "Taking a read-out in at the last check"),
)
def read_out(request: HttpRequest, tag: str, file: File[UploadedFile]):
    """Take a fresh read-out in, beside what was ordered."""
    person = signed_in(request)
    unit = unit_tagged(tag)
    keep_readout(unit, file.read(), person)
    return _view(unit)


@router.post(
    "/{tag}/release/probe",
    response=ReleaseView,
    auth=by((Role.RELEASER, Role.INSPECTOR), "Taking a read-out in at the last check"),
)
def probe(request: HttpRequest, tag: str):
    """Ask the bench probe for a fresh read-out of this unit."""
    person = signed_in(request)
    unit = unit_tagged(tag)
    findings = findings_of(unit)
    question = {
        "tag": unit.tag,
        "serial": unit.serial,
        "sheet": sheet_of(unit).model_dump(mode="json"),
        "trim": findings.trim,
        "entries": write_entries(findings),
    }
    keep_readout(unit, probe_bundle(question), person)
    return _view(unit)


@router.get("/{tag}/pictures", response=list[UnitPicture])
def pictures(request: HttpRequest, tag: str):
    """The unit's pictures: those for its buyer in order, then the others."""
    return pictures_of(unit_tagged(tag))


@router.put(
    "/{tag}/pictures",
    response=list[UnitPicture],
    auth=by(Role.RELEASER, "Choosing pictures for the buyer"),
)
def pictures_shown(request: HttpRequest, tag: str, given: ShowPictures):
    """Set which pictures the buyer sees, their order, words and marks."""
    unit = unit_tagged(tag)
    show(unit, given.shown, given.known)
    return pictures_of(unit)


@router.post(
    "/{tag}/pictures",
    response=list[UnitPicture],
    auth=by(Role.RELEASER, "Taking pictures for the buyer"),
)
def picture_taken(request: HttpRequest, tag: str, file: File[UploadedFile], words: Form[str] = ""):
    """Keep a picture of the closed unit; the buyer sees it after the others."""
    person = signed_in(request)
    unit = unit_tagged(tag)
    with transaction.atomic():
        show_also(unit, keep_photo(unit, file.read(), words, person))
    return pictures_of(unit)


@router.post(
    "/{tag}/release/send-back", response=Sent, auth=by(Role.RELEASER, "Sending a unit back")
)
def sent_back(request: HttpRequest, tag: str, given: SendBack):
    """The last check found something: back to inspection."""
    person = signed_in(request)
    unit = send_back(unit_tagged(tag).tag, given.places, given.words, person)
    return Sent(tag=unit.tag, stage=unit.stage)


@router.post(
    "/{tag}/release/open-again", response=Sent, auth=by(Role.RELEASER, "Sending a unit back")
)
def opened_again(request: HttpRequest, tag: str, given: OpenAgain):
    """The machine misses something: back to the bench, to the step at which it was put in."""
    person = signed_in(request)
    again = open_again(unit_tagged(tag).tag, given.place, person)
    return Sent(tag=again.unit.tag, stage=again.unit.stage)


@router.post("/{tag}/release/back", response=ReleaseView, auth=by(Role.RELEASER, "Releasing"))
def released_back(request: HttpRequest, tag: str):
    """Take the release back."""
    person = signed_in(request)
    return _view(release_back(unit_tagged(tag).tag, person))


@router.get("/{tag}/label.pdf")
def label(request: HttpRequest, tag: str):
    """The unit's label; before release it carries tag and model only."""
    unit = unit_tagged(tag)
    sheet = sheet_of(unit)
    released = unit.releases.filter(valid=True).first()
    lines = released.label if released else ["not released yet"]
    one = Label(
        tag=unit.tag, model=sheet.name, serial=unit.serial, lines=list(lines), code=code_of(unit)
    )
    pdf = labels_pdf([one], _label_size())
    answer = HttpResponse(pdf, content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="{unit.tag}.pdf"'
    return answer


@router.get("/{tag}/code.svg")
def code(request: HttpRequest, tag: str):
    """The QR code of the label, for the screen."""
    return HttpResponse(code_svg(code_of(unit_tagged(tag))), content_type="image/svg+xml")
