"""Settings, standards and prices of the workshop."""

from datetime import datetime
from typing import Any

from django.contrib.auth import login
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from sortis_core.documents import read_document
from sortis_core.forgetting import PEOPLE, Forgotten
from sortis_core.gates.choices import GateChoice, gate_choices
from sortis_core.intake.models import ModelNames
from sortis_core.labels import USUAL_SIZES, LabelSize
from sortis_core.policy import Policy
from sortis_core.prices import (
    PastedRow,
    PriceCell,
    PriceHistory,
    by_percent,
    price_history,
    read_pasted,
    with_prices,
)
from sortis_core.rights import SEEN_BY, Money
from sortis_core.standards import Standard
from sortis_core.vocabulary.states import Role
from sortis_core.vocabulary.words import TermWords
from sortis_core.workshop import Beginning, WorkshopSettings
from sortis_server.furnish.effect import BatchEffect, effect_of_policy, effect_of_standards
from sortis_server.furnish.file import (
    FileVerdict,
    read_workshop_file,
    take_workshop_file,
    workshop_file,
)
from sortis_server.furnish.settings import save_settings
from sortis_server.furnish.standards import read_standard, save_standard
from sortis_server.furnish.start import is_open, start
from sortis_server.people.api import Session, session_of
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets
from sortis_server.versions import Document
from sortis_server.workshop.models import StandardVersion, WorkshopVersion
from sortis_server.workshop.services import SETTINGS, newest_standards, workshop_version

router = Router(tags=["furnish"])
MOST_VERSIONS = 50


class KeptVersion(BaseModel):
    """One version in the history of a document."""

    version: int
    by: str
    at: datetime
    words: str


class MoneyRight(BaseModel):
    """A kind of money figures, and the roles that see it."""

    money: Money
    roles: list[Role]


class SettingsView(BaseModel):
    """The settings as they are, and who changed them."""

    settings: WorkshopSettings
    usual_labels: list[LabelSize]
    """Sizes that every workshop has."""
    money: list[MoneyRight]
    """Who sees which money while it is not open to everyone."""
    forgotten: list[Forgotten]
    """What goes after the term of what is no evidence; names have their own."""
    version: int
    history: list[KeptVersion]


class SaveDocument(BaseModel):
    """A document to keep as the next version."""

    document: dict[str, Any]
    started_from: int = Field(ge=0)
    words: str = Field(default="", max_length=200)


class StandardView(BaseModel):
    """One standard with its history."""

    standard: Standard
    history: list[KeptVersion]


class StandardsView(BaseModel):
    """All standards, the gates there may be, and the models that want a price."""

    standards: list[StandardView]
    retired: list[str]
    gates: list[GateChoice]
    models: list[list[str]]
    """Key and name of every model sheet."""
    unpriced: list[str]
    """Keys of models without any price."""


class Pasted(BaseModel):
    """Prices out of a spreadsheet, as text."""

    text: str = Field(max_length=400_000)


class Percent(BaseModel):
    """Prices to change by per cent."""

    cells: list[PriceCell] = Field(max_length=20_000)
    percent: float = Field(ge=-100, le=1_000, allow_inf_nan=False)
    whole_cents: int = Field(default=100, ge=1, le=100_000)


class PricesOf(BaseModel):
    """Prices of one standard to change."""

    standard: str
    started_from: int
    cells: list[PriceCell] = Field(max_length=20_000)


class SavePrices(BaseModel):
    """Prices of several standards, kept together or not at all."""

    changes: list[PricesOf] = Field(min_length=1, max_length=40)
    words: str = Field(default="", max_length=200)


class TryStandards(BaseModel):
    """Standards that are not kept yet, to see what they would change."""

    documents: list[dict[str, Any]] = Field(default=[], max_length=40)
    prices: list[PricesOf] = Field(default=[], max_length=40)


class StartAsked(BaseModel):
    """The link of the first start."""

    key: str = Field(max_length=80)


class StartChoices(BaseModel):
    """Whether the first start is open; what a locale or currency is checked by comes with it."""

    open: bool
    begin: list[TermWords]


class Start(StartAsked):
    """The workshop, its first person, and what it begins with."""

    settings: dict[str, Any]
    begin: Beginning
    username: str = Field(max_length=40)
    name: str = Field(max_length=80)
    password: str = Field(max_length=200)


def history_of(model: type[Document], key: str) -> list[KeptVersion]:
    """Who kept which version of a document, the newest first."""
    rows = model.objects.filter(key=key).select_related("by").order_by("-version")
    return [
        KeptVersion(
            version=row.version, by=row.by.name if row.by else "", at=row.at, words=row.words
        )
        for row in rows[:MOST_VERSIONS]
    ]


def _settings() -> SettingsView:
    settings, version = workshop_version()
    return SettingsView(
        settings=settings,
        forgotten=[what for what in Forgotten if what not in PEOPLE],
        usual_labels=list(USUAL_SIZES),
        money=[MoneyRight(money=one, roles=list(roles)) for one, roles in SEEN_BY.items()],
        version=version,
        history=history_of(WorkshopVersion, SETTINGS),
    )


@router.post("/start/asked", auth=None, response=StartChoices)
def start_asked(request: HttpRequest, given: StartAsked):
    """Whether this link opens the first start."""
    return StartChoices(
        open=is_open(given.key),
        begin=[
            TermWords(code=one.value, label=one.label, explained=one.explained) for one in Beginning
        ],
    )


@router.post("/start", auth=None, response=Session)
def started(request: HttpRequest, given: Start):
    """Set an empty database up; whoever does it is signed in then."""
    person = start(
        given.key, given.settings, given.begin, given.username, given.name, given.password
    )
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    return session_of(request)


@router.get("/file.zip", auth=by(Role.OWNER, "Taking the workshop out as a file"))
def file_out(request: HttpRequest):
    """The whole furnishing as one file."""
    answer = HttpResponse(workshop_file(), content_type="application/zip")
    answer["Content-Disposition"] = 'attachment; filename="workshop.zip"'
    return answer


@router.post("/file/look", response=FileVerdict, auth=by(Role.OWNER, "Taking a workshop file in"))
def file_looked(request: HttpRequest, file: File[UploadedFile]):
    """What taking a workshop file in would do; nothing is kept."""
    person = signed_in(request)
    return take_workshop_file(read_workshop_file(file.read()), person, trial=True)


@router.post("/file", response=FileVerdict, auth=by(Role.OWNER, "Taking a workshop file in"))
def file_in(request: HttpRequest, file: File[UploadedFile]):
    """Take a workshop file in, all or nothing."""
    person = signed_in(request)
    return take_workshop_file(read_workshop_file(file.read()), person)


@router.get("/settings", response=SettingsView)
def settings(request: HttpRequest):
    """The workshop's own settings."""
    return _settings()


@router.put("/settings", response=SettingsView, auth=by(Role.OWNER, "Changing the workshop"))
def settings_saved(request: HttpRequest, given: SaveDocument):
    """Keep the next version of the settings."""
    person = signed_in(request)
    save_settings(given.document, given.started_from, given.words, person)
    return _settings()


@router.get("/versions/{kind}/{key}/{int:version}", response=dict[str, Any])
def one_version(request: HttpRequest, kind: str, key: str, version: int):
    """An earlier version of the settings or of a standard, to look at or go back to."""
    model = {"settings": WorkshopVersion, "standards": StandardVersion}.get(kind)
    row = model.objects.filter(key=key, version=version).first() if model else None
    if row is None:
        raise NotThere(f"There is no version {version} of {key}.")
    return row.document


def _standards() -> StandardsView:
    standards = newest_standards()
    used = {standard.key for standard in standards}
    every = StandardVersion.objects.values_list("key", flat=True).distinct()
    sheets = newest_sheets()
    priced = {price.sheet for standard in standards for price in standard.prices}
    return StandardsView(
        standards=[
            StandardView(standard=one, history=history_of(StandardVersion, one.key))
            for one in sorted(standards, key=lambda one: (one.rank, one.key))
        ],
        retired=sorted(set(every) - used),
        gates=list(gate_choices()),
        models=[[key, sheet.name] for key, sheet in sheets.items()],
        unpriced=[key for key in sheets if key not in priced],
    )


@router.get("/standards", response=StandardsView)
def standards(request: HttpRequest):
    """All standards with their gates and prices."""
    return _standards()


@router.put("/standards", response=StandardsView, auth=by(Role.OWNER, "Changing a standard"))
def standard_saved(request: HttpRequest, given: SaveDocument):
    """Keep the next version of a standard."""
    person = signed_in(request)
    save_standard(given.document, given.started_from, given.words, person)
    return _standards()


def _priced(change: PricesOf) -> Standard:
    known = {standard.key: standard for standard in newest_standards()}
    if change.standard not in known:
        raise NotThere(f"There is no standard {change.standard}.")
    return with_prices(known[change.standard], change.cells)


@router.put("/prices", response=StandardsView, auth=by(Role.OWNER, "Changing prices"))
def prices_saved(request: HttpRequest, given: SavePrices):
    """Keep prices of several standards, all or none."""
    person = signed_in(request)
    with transaction.atomic():
        for change in given.changes:
            document = _priced(change).model_dump(mode="json")
            save_standard(document, change.started_from, given.words, person)
    return _standards()


@router.get(
    "/prices/history",
    response=list[PriceHistory],
    auth=by((Role.OWNER, Role.PLANNER, Role.RELEASER), "The history of prices"),
)
def prices_before(request: HttpRequest, sheet: str):
    """How the prices of a model changed, by standard and grade."""
    rows = StandardVersion.objects.select_related("by").order_by("at", "pk")
    versions = [
        (row.at, row.by.name if row.by else "", read_document(Standard, row.document))
        for row in rows
    ]
    return list(price_history(sheet, versions))


@router.post("/prices/percent", response=list[PriceCell])
def prices_by_percent(request: HttpRequest, given: Percent):
    """Prices changed by per cent and rounded; nothing is kept."""
    return [
        cell
        if cell.price_cents is None
        else cell.model_copy(
            update={"price_cents": by_percent(cell.price_cents, given.percent, given.whole_cents)}
        )
        for cell in given.cells
    ]


@router.post("/prices/paste", response=list[PastedRow])
def prices_pasted(request: HttpRequest, given: Pasted):
    """What pasted prices mean; nothing is kept."""
    return list(read_pasted(given.text, ModelNames(newest_sheets().values())))


@router.post(
    "/standards/effect",
    response=list[BatchEffect],
    auth=by((Role.OWNER, Role.PLANNER), "Trying standards"),
)
def effect(request: HttpRequest, given: TryStandards):
    """Which units of open batches would end otherwise; nothing is kept."""
    changed = [read_standard(document) for document in given.documents]
    return effect_of_standards([*changed, *map(_priced, given.prices)])


@router.post(
    "/settings/effect",
    response=list[BatchEffect],
    auth=by((Role.OWNER, Role.PLANNER), "Trying schools"),
)
def settings_effect(request: HttpRequest, given: Policy):
    """Which units of open batches would end otherwise by other schools and costs."""
    return effect_of_policy(given)
