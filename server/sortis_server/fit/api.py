"""Work orders at the bench."""

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.surprise import Surprise, SurpriseKind
from sortis_core.vocabulary.states import Role
from sortis_server.arrive.services import batch_called, unit_tagged
from sortis_server.decide.surprises import leave_open, surprise
from sortis_server.fit import bench
from sortis_server.fit.scanning import scan_part
from sortis_server.fit.views import OrderLine, WorkView, order_lines, work_view
from sortis_server.orders.models import WorkOrderRow
from sortis_server.people.roles import by, signed_in

router = Router(tags=["fit"])


class Seen(BaseModel):
    """The version of the order the screen showed."""

    version: int


class BeginWork(Seen):
    """Somebody wants to begin, or to go on."""

    on_purpose: bool = False
    """Also where parts of it are not here yet."""


class Tick(Seen):
    """One step done."""

    token: str = Field(default="", max_length=40)
    """Names the tick; the same one sent twice counts once."""
    seconds: float | None = Field(default=None, ge=0)
    """What the screen measured, for a tick kept while it was not connected."""
    step: int | None = Field(default=None, ge=0)
    """How many steps were done before it, as whoever pressed the key saw it: what the screen heard
    since then must not move the tick to another step."""


class Stop(Seen):
    """What is not as written."""

    words: str = Field(max_length=400)


class Told(Seen):
    """A surprise at the bench."""

    kind: SurpriseKind
    place: str = Field(default="", max_length=40)
    entry: str = Field(default="", max_length=60)
    words: str = Field(default="", max_length=400)


class ScannedPart(BaseModel):
    """What a scanner read off a part or its drawer."""

    code: str = Field(max_length=60)
    instead: bool = False
    """Take it from this lot, though another was promised."""


@router.get("/batches/{slug}/work", response=list[OrderLine])
def orders(request: HttpRequest, slug: str):
    """Open work orders of a batch: begun first, then those whose parts are all there."""
    rows = WorkOrderRow.objects.filter(unit__batch=batch_called(slug), state="open").select_related(
        "unit__batch", "outcome", "worker"
    )
    return order_lines(list(rows))


@router.get("/units/{tag}/work", response=WorkView)
def work(request: HttpRequest, tag: str):
    """The work order of a unit."""
    return work_view(bench.order_of(unit_tagged(tag)), request.user)


@router.post(
    "/units/{tag}/work/begin", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def begun(request: HttpRequest, tag: str, given: BeginWork):
    """Take the order to the bench, take it over, or go on after a rest."""
    person = signed_in(request)
    order = bench.begin(unit_tagged(tag).tag, given.version, person, on_purpose=given.on_purpose)
    return work_view(order, person)


@router.post(
    "/units/{tag}/work/pause", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def paused(request: HttpRequest, tag: str, given: Seen):
    """The clock stops; anybody may go on."""
    person = signed_in(request)
    return work_view(bench.pause(unit_tagged(tag).tag, given.version, person), person)


@router.post(
    "/units/{tag}/work/discount",
    response=WorkView,
    auth=by(Role.TECHNICIAN, "Working at the bench"),
)
def discounted(request: HttpRequest, tag: str, given: Seen):
    """The time of the step in hand is no measure of it, or is one after all."""
    person = signed_in(request)
    return work_view(bench.discount(unit_tagged(tag).tag, given.version, person), person)


@router.post(
    "/units/{tag}/work/tick", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def ticked(request: HttpRequest, tag: str, given: Tick):
    """Tick the next step."""
    person = signed_in(request)
    order = bench.tick(
        unit_tagged(tag).tag,
        given.version,
        person,
        token=given.token,
        seconds=given.seconds,
        seen=given.step,
    )
    return work_view(order, person)


@router.post(
    "/units/{tag}/work/back", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def taken_back(request: HttpRequest, tag: str, given: Seen):
    """Take the last tick back."""
    person = signed_in(request)
    return work_view(bench.back(unit_tagged(tag).tag, given.version, person), person)


@router.post(
    "/units/{tag}/work/stop", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def stopped(request: HttpRequest, tag: str, given: Stop):
    """Something else is wrong: stop the order and send the unit back to inspection."""
    person = signed_in(request)
    return work_view(bench.stop(unit_tagged(tag).tag, given.version, given.words, person), person)


@router.post(
    "/units/{tag}/work/surprise",
    response=WorkView,
    auth=by(Role.TECHNICIAN, "Working at the bench"),
)
def surprised(request: HttpRequest, tag: str, given: Told):
    """Not as written: findings are updated, the plan is solved again, the answer says what now."""
    person = signed_in(request)
    said = Surprise(kind=given.kind, place=given.place, entry=given.entry, words=given.words)
    return work_view(surprise(unit_tagged(tag).tag, given.version, said, person), person)


@router.post(
    "/units/{tag}/work/leave", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def left(request: HttpRequest, tag: str, given: Seen):
    """Set a unit aside open instead of closing it."""
    person = signed_in(request)
    return work_view(leave_open(unit_tagged(tag).tag, given.version, person), person)


@router.post(
    "/units/{tag}/work/scan", response=WorkView, auth=by(Role.TECHNICIAN, "Working at the bench")
)
def scanned(request: HttpRequest, tag: str, given: ScannedPart):
    """Confirm a part by its label, before it is fitted."""
    person = signed_in(request)
    order = scan_part(unit_tagged(tag).tag, given.code, person, instead=given.instead)
    return work_view(order, person)
