"""The count at the door."""

from datetime import datetime
from typing import assert_never

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.intake.count import ComesAlong, CountVerdict, ScanVerdict
from sortis_core.stages import Stage
from sortis_core.vocabulary.states import Role, Settling
from sortis_server.arrive.counting import (
    count_extra,
    next_unit,
    scan,
    set_aside,
    swap_labels,
    take_surplus,
)
from sortis_server.arrive.models import Batch
from sortis_server.arrive.seen import count_back, count_in
from sortis_server.arrive.services import batch_called
from sortis_server.people.roles import by, signed_in

router = Router(tags=["count"])


class CountIn(BaseModel):
    """Tags that were seen; null means all that were announced."""

    tags: list[str] | None


class Counted(BaseModel):
    """How many units were counted in, and which."""

    count: int
    tags: list[str]


class CountBack(BaseModel):
    """Tags that one count brought in, to be taken back."""

    tags: list[str] = Field(max_length=20_000)


class Scan(BaseModel):
    """A scanned or typed code, and the tag scanned just before."""

    code: str = Field(min_length=1, max_length=200)
    before: str = Field(default="", max_length=12)


class NoteView(BaseModel):
    """Something that did not match."""

    number: int
    verdict: CountVerdict
    code: str
    tag: str
    other: str
    sentence: str
    by: str
    at: datetime
    settled: str


class ExtraView(BaseModel):
    """Adapters, docks or loose packs."""

    kind: ComesAlong
    expected: int
    seen: int


class CountView(BaseModel):
    """Expected against seen."""

    expected: int
    seen: int
    notes: list[NoteView]
    extras: list[ExtraView]


class Settle(BaseModel):
    """What is done about a note."""

    how: Settling
    sheet: str = Field(default="", max_length=60)


class ExtraSeen(BaseModel):
    """How many were counted."""

    kind: ComesAlong
    seen: int = Field(ge=0, le=100_000)


def _view(batch: Batch) -> CountView:
    extras = {extra.kind: extra for extra in batch.extras.all()}
    notes = batch.scan_notes.select_related("by").order_by("settled", "-at")[:200]
    return CountView(
        expected=batch.units.count(),
        seen=batch.units.exclude(stage=Stage.ARRIVE).count(),
        notes=[
            NoteView(
                number=note.pk,
                verdict=note.verdict,
                code=note.code,
                tag=note.tag,
                other=note.other,
                sentence=note.sentence,
                by=note.by.name,
                at=note.at,
                settled=note.settled,
            )
            for note in notes
        ],
        extras=[
            ExtraView(
                kind=kind,
                expected=extras[kind].expected if kind in extras else 0,
                seen=extras[kind].seen if kind in extras else 0,
            )
            for kind in ComesAlong
        ],
    )


@router.get("/batches/{slug}/count", response=CountView)
def count(request: HttpRequest, slug: str):
    """Expected against seen, and what did not match."""
    return _view(batch_called(slug))


@router.post(
    "/batches/{slug}/count-in", response=Counted, auth=by(Role.RECEIVER, "Counting units in")
)
def counted(request: HttpRequest, slug: str, given: CountIn):
    """Count announced units in without scanning each."""
    tags = count_in(batch_called(slug), given.tags)
    return Counted(count=len(tags), tags=tags)


@router.post(
    "/batches/{slug}/count-back", response=Counted, auth=by(Role.RECEIVER, "Counting units in")
)
def counted_back(request: HttpRequest, slug: str, given: CountBack):
    """Take a count back that was made by mistake; what was inspected meanwhile stays."""
    return Counted(count=count_back(batch_called(slug), given.tags), tags=[])


@router.post(
    "/batches/{slug}/scan", response=ScanVerdict, auth=by(Role.RECEIVER, "Counting units in")
)
def scanned(request: HttpRequest, slug: str, given: Scan):
    """Judge one scan; a match is counted in, the rest is noted."""
    person = signed_in(request)
    return scan(batch_called(slug), given.code.strip(), given.before, person)


@router.post(
    "/batches/{slug}/notes/{number}",
    response=CountView,
    auth=by(Role.RECEIVER, "Counting units in"),
)
def settled(request: HttpRequest, slug: str, number: int, given: Settle):
    """Settle something that did not match."""
    batch = batch_called(slug)
    match given.how:
        case Settling.SWAP:
            swap_labels(batch, number)
        case Settling.NEXT:
            next_unit(batch, number)
        case Settling.TAKE:
            take_surplus(batch, number, given.sheet)
        case Settling.ASIDE:
            set_aside(batch, number)
        case _:
            assert_never(given.how)
    return _view(batch)


@router.post(
    "/batches/{slug}/extras", response=CountView, auth=by(Role.RECEIVER, "Counting units in")
)
def extras(request: HttpRequest, slug: str, given: ExtraSeen):
    """Say how many adapters, docks or loose packs there are."""
    batch = batch_called(slug)
    count_extra(batch, given.kind, given.seen)
    return _view(batch)
