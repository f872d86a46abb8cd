"""Papers of units and batches, as PDF and as data."""

from typing import Annotated

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.papers import Paper, PaperKind, PrintKind, delivery_note, pick_list
from sortis_core.selling import SaleState
from sortis_core.vocabulary.states import JobState, Role
from sortis_server.arrive.services import batch_called, unit_tagged
from sortis_server.papers.many import MOST_UNITS, begin_job, job_of, stop_job
from sortis_server.papers.models import PaperJob
from sortis_server.papers.pdf import papers_pdf
from sortis_server.papers.services import (
    certificate_of,
    drives_of,
    record_of,
    release_of,
    spec_of,
    written,
)
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.release.address import address_of
from sortis_server.sell.services import on_its_way
from sortis_server.workshop.services import workshop

router = Router(tags=["papers"])


def _pdf(papers: list[tuple[Paper, str]], name: str) -> HttpResponse:
    answer = HttpResponse(papers_pdf(papers), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="{name}.pdf"'
    return answer


class NewJob(BaseModel):
    """Papers of many units."""

    kind: PrintKind
    tags: list[Annotated[str, Field(max_length=12)]] = Field(min_length=1, max_length=MOST_UNITS)


class JobView(BaseModel):
    """How far papers of many units are."""

    id: int
    kind: PrintKind
    state: JobState
    ended: bool
    units: int
    done: int
    doing: str
    refusal: str


def _job(row: PaperJob) -> JobView:
    return JobView(
        id=row.pk,
        kind=row.kind,
        state=row.state,
        ended=row.state.ended,
        units=len(row.tags),
        done=row.done,
        doing=row.doing,
        refusal=row.refusal,
    )


KEEPERS_OF_RECORDS = (Role.RELEASER, Role.PLANNER, Role.OWNER)
RECORD = by(KEEPERS_OF_RECORDS, "The internal record")
CERTIFICATE = by(KEEPERS_OF_RECORDS, "The certificate of drives")


@router.post("/papers/jobs", response=JobView, auth=by(KEEPERS_OF_RECORDS, "Papers of units"))
def job_begun(request: HttpRequest, given: NewJob):
    """Draw papers of many units; a worker does, where they are more than a few."""
    return _job(begin_job(given.kind, given.tags, signed_in(request)))


@router.get("/papers/jobs/{int:number}", response=JobView)
def job(request: HttpRequest, number: int):
    """How far it is."""
    return _job(job_of(number, request.user))


@router.post("/papers/jobs/{int:number}/stop", response=JobView)
def job_stopped(request: HttpRequest, number: int):
    """Let it stop."""
    return _job(stop_job(number, request.user))


@router.get("/papers/jobs/{int:number}.pdf")
def job_pdf(request: HttpRequest, number: int):
    """What was drawn."""
    row = job_of(number, request.user)
    if row.data is None:
        raise NotThere("These papers are not drawn yet.")
    answer = HttpResponse(bytes(row.data), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="{row.kind.value}.pdf"'
    return answer


@router.get("/units/{tag}/papers/{kind}.pdf")
def paper_pdf(request: HttpRequest, tag: str, kind: PaperKind):
    """One paper of a unit, as PDF."""
    return _pdf([_paper(request, tag, kind)], f"{tag}-{kind.value}")


@router.get("/units/{tag}/papers/{kind}", response=Paper)
def paper(request: HttpRequest, tag: str, kind: PaperKind):
    """One paper of a unit, as data."""
    return _paper(request, tag, kind)[0]


def _paper(request: HttpRequest, tag: str, kind: PaperKind) -> tuple[Paper, str]:
    unit = unit_tagged(tag)
    if kind is PaperKind.SPEC:
        return spec_of(unit), address_of(release_of(unit))
    if kind is PaperKind.RECORD:
        RECORD.require(signed_in(request))
        return record_of(unit), ""
    if kind is PaperKind.DRIVES:
        CERTIFICATE.require(signed_in(request))
        return drives_of(unit), ""
    raise NotThere("That paper is not of one unit.")


@router.get(
    "/batches/{slug}/certificate",
    response=Paper,
    auth=by(KEEPERS_OF_RECORDS, "The batch certificate"),
)
def certificate(request: HttpRequest, slug: str):
    """What became of a batch, as data."""
    return certificate_of(batch_called(slug))


@router.get(
    "/batches/{slug}/certificate.pdf",
    auth=by(KEEPERS_OF_RECORDS, "The batch certificate"),
)
def certificate_pdf(request: HttpRequest, slug: str):
    """What became of a batch, as PDF."""
    return _pdf([(certificate_of(batch_called(slug)), "")], f"{slug}-certificate")


@router.get("/shelf/pick-list.pdf", auth=by(Role.RELEASER, "The pick list"))
def pick_list_pdf(request: HttpRequest):
    """What is to be packed, as PDF."""
    return _pdf([(written(pick_list(on_its_way(), workshop().name)), "")], "pick-list")


@router.get("/shelf/delivery.pdf", auth=by(Role.RELEASER, "The delivery note"))
def delivery_pdf(request: HttpRequest, buyer: Annotated[str, Field(max_length=120)]):
    """What one buyer gets, as PDF."""
    sold = on_its_way()
    if not any(one.buyer == buyer and one.state is SaleState.PACKED for one in sold):
        raise NotThere(f"Nothing is packed for {buyer}.")
    return _pdf([(written(delivery_note(buyer, sold, workshop().name)), "")], "delivery-note")
