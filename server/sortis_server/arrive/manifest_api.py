"""Manifests: looked at, corrected, taken in, stopped."""

from collections import Counter

from django.http import HttpRequest
from ninja import File, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_core.intake.manifest import Field as ManifestField
from sortis_core.intake.manifest import RowMend, RowState, RowVerdict
from sortis_core.intake.models import Likeness
from sortis_core.vocabulary.states import ImportState, Role
from sortis_server.arrive.manifests import (
    begin_taking,
    correct,
    import_called,
    mend,
    open_import,
    set_faults_aside,
    stop_import,
    waiting_imports,
)
from sortis_server.arrive.models import ManifestImport
from sortis_server.arrive.services import batch_called
from sortis_server.arrive.views import Offset
from sortis_server.people.roles import by, signed_in
from sortis_server.sheets.services import note_model

router = Router(tags=["manifests"])
PAGE = 100


class UnclearName(BaseModel):
    """A model name that somebody has to choose a sheet for."""

    name: str
    rows: int
    alternatives: list[Likeness]


class RowCounts(BaseModel):
    """Rows by their verdict."""

    ok: int
    look: int
    fault: int
    left_out: int
    aside: int


class ImportView(BaseModel):
    """A manifest on its way in."""

    number: int
    name: str
    state: ImportState
    fields: list[ManifestField]
    columns: dict[str, int]
    headers: list[str]
    samples: list[list[str]]
    total: int
    done: int
    doing: str
    counts: RowCounts
    unclear: list[UnclearName]
    likely: list[UnclearName]
    refusal: str
    first_tag: str
    last_tag: str


class RowPage(BaseModel):
    """Some rows with their verdicts."""

    rows: list[RowVerdict]
    total: int


class Correction(BaseModel):
    """What columns and model names mean."""

    columns: dict[str, int] | None = None
    chosen: dict[str, str] | None = Field(default=None, max_length=500)


class NotedModel(BaseModel):
    """A model that has no sheet yet."""

    name: str = Field(max_length=400)
    """As the list writes it."""
    maker: str = Field(min_length=1, max_length=60)
    model: str = Field(min_length=1, max_length=60)


def _names(verdicts: list[RowVerdict], state: RowState) -> list[UnclearName]:
    """Names that somebody should look at, the most frequent first."""
    found: dict[str, UnclearName] = {}
    for verdict in verdicts:
        asked = verdict.asks_model or verdict.state is RowState.LOOK
        if verdict.state is state and asked:
            offered = list(verdict.alternatives)
            one = found.setdefault(
                verdict.name, UnclearName(name=verdict.name, rows=0, alternatives=offered)
            )
            one.rows += 1
    return sorted(found.values(), key=lambda one: -one.rows)


def _view(row: ManifestImport) -> ImportView:
    verdicts = [RowVerdict.model_validate(verdict) for verdict in row.verdicts]
    counts = Counter(verdict.state for verdict in verdicts)
    return ImportView(
        number=row.pk,
        name=row.name,
        state=ImportState(row.state),
        fields=list(ManifestField),
        columns=row.columns,
        headers=row.headers,
        samples=row.samples,
        total=row.total,
        done=row.done,
        doing=row.doing,
        counts=RowCounts(
            ok=counts[RowState.OK],
            look=counts[RowState.LOOK],
            fault=counts[RowState.FAULT],
            left_out=counts[RowState.LEFT_OUT],
            aside=counts[RowState.ASIDE],
        ),
        unclear=_names(verdicts, RowState.FAULT),
        likely=_names(verdicts, RowState.LOOK),
        refusal=row.refusal,
        first_tag=row.first_tag,
        last_tag=row.last_tag,
    )


@router.post(
    "/batches/{slug}/manifests", response=ImportView, auth=by(Role.RECEIVER, "Taking a manifest in")
)
def look(request: HttpRequest, slug: str, file: File[UploadedFile]):
    """Read a manifest; nothing of it is taken in yet."""
    person = signed_in(request)
    return _view(open_import(batch_called(slug), file.name or "list", file.read(), person))


@router.get("/batches/{slug}/manifests", response=list[ImportView])
def waiting_lists(request: HttpRequest, slug: str):
    """Rows that were set aside, each list with what is wrong with them."""
    return [_view(row) for row in waiting_imports(batch_called(slug))]


@router.get("/batches/{slug}/manifests/{number}", response=ImportView)
def one_import(request: HttpRequest, slug: str, number: int):
    """How far an import is."""
    return _view(import_called(batch_called(slug), number))


@router.get("/batches/{slug}/manifests/{number}/rows", response=RowPage)
def rows(request: HttpRequest, slug: str, number: int, state: str = "", offset: Offset = 0):
    """Rows with their verdicts, a page at a time, of one state or all."""
    verdicts = import_called(batch_called(slug), number).verdicts
    wanted = [v for v in verdicts if not state or v["state"] == state]
    page = wanted[offset : offset + PAGE]
    return RowPage(rows=[RowVerdict.model_validate(v) for v in page], total=len(wanted))


@router.put(
    "/batches/{slug}/manifests/{number}",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def corrected(request: HttpRequest, slug: str, number: int, given: Correction):
    """Say what columns and names mean; every row is judged again."""
    row = import_called(batch_called(slug), number)
    return _view(correct(row, given.columns, given.chosen))


@router.put(
    "/batches/{slug}/manifests/{number}/rows/{line}",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def mended(request: HttpRequest, slug: str, number: int, line: int, given: RowMend):
    """Say what one row means, leave it out with a reason, or set it aside."""
    return _view(mend(import_called(batch_called(slug), number), line, given))


@router.post(
    "/batches/{slug}/manifests/{number}/aside",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def faults_aside(request: HttpRequest, slug: str, number: int):
    """Set all rows aside that cannot be taken in; they wait to be mended, the others come in."""
    return _view(set_faults_aside(import_called(batch_called(slug), number)))


@router.post(
    "/batches/{slug}/manifests/{number}/model",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def noted(request: HttpRequest, slug: str, number: int, given: NotedModel):
    """Note a model that nobody knows yet, and go on; its sheet is written before Inspect."""
    person = signed_in(request)
    row = import_called(batch_called(slug), number)
    sheet = note_model(given.maker, given.model, person)
    return _view(correct(row, None, {given.name: sheet.key}))


@router.post(
    "/batches/{slug}/manifests/{number}/take",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def taken(request: HttpRequest, slug: str, number: int):
    """Take all rows in, or none."""
    return _view(begin_taking(import_called(batch_called(slug), number)))


@router.post(
    "/batches/{slug}/manifests/{number}/stop",
    response=ImportView,
    auth=by(Role.RECEIVER, "Taking a manifest in"),
)
def stopped(request: HttpRequest, slug: str, number: int):
    """Stop what a worker is doing with the list."""
    return _view(stop_import(import_called(batch_called(slug), number)))
