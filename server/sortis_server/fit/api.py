"""Work orders at the bench."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.plan.result import UnitOutcome
from sortis_core.route.work import WorkOrder
from sortis_core.stock import Condition
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.services import batch_called, unit_tagged
from sortis_server.arrive.views import newest_findings
from sortis_server.fit.models import WorkOrderRow
from sortis_server.fit.services import back, order_of, stop, tick
from sortis_server.inspect.services import findings_of, sheet_of
from sortis_server.people.models import Role
from sortis_server.people.roles import person_with
from sortis_server.sheets.services import newest_standards
from sortis_server.stock.services import part_kinds

router = Router(tags=["fit"])


class Fetch(BaseModel):
    """One part to lay ready."""

    label: str
    for_place: str
    where: str
    state: str
    """``ready``, ``to be tried``, ``fitted``, ``in another unit``, ``on order`` or ``lost``."""


class OrderLine(BaseModel):
    """A work order in the list."""

    tag: str
    model: str
    outcome: str
    standard: str
    steps: int
    done_steps: int
    minutes: float
    state: str
    waits_for: list[str]
    strip: Strip


class WorkView(BaseModel):
    """One work order at the bench."""

    tag: str
    batch: str
    model: str
    outcome: UnitOutcome
    standard: str
    work: WorkOrder
    state: str
    done_steps: int
    version: int
    words: str
    fetch: list[Fetch]
    found: Strip
    planned: Strip
    last_tick: datetime | None


class Tick(BaseModel):
    """The version of the order the screen showed."""

    version: int


class Stop(Tick):
    """What is not as written."""

    words: str = Field(max_length=400)


def _fetch(order: WorkOrderRow) -> list[Fetch]:
    kinds = part_kinds()
    sheet = sheet_of(order.unit)
    rows = order.reservations.select_related("lot", "purchase__offer", "giver", "kind")
    found: list[Fetch] = []
    for row in rows.order_by("place"):
        if row.taken:
            state, where = "fitted", f"in {order.unit.tag}"
        elif row.lot:
            untried = row.lot.condition == Condition.HARVESTED_UNTESTED
            state, where = "to be tried" if untried else "ready", row.lot.place
        elif row.giver:
            state, where = "in another unit", row.giver.tag
        elif row.purchase:
            state, where = "on order", f"{row.purchase.offer.supplier}"
        else:
            state, where = "lost", "failed its test"
        found.append(
            Fetch(
                label=kinds[row.kind.key].label,
                for_place=sheet.label_of(row.place.split(":")[0]),
                where=where,
                state=state,
            )
        )
    return found


def _view(order: WorkOrderRow) -> WorkView:
    unit = order.unit
    sheet = sheet_of(unit)
    outcome = UnitOutcome.model_validate(order.outcome.document)
    standards = newest_standards()
    first = unit.inspections.filter(at__lte=order.outcome.plan.at).order_by("-number").first()
    found = findings_of(unit)
    if first:
        found = found.model_validate(first.findings)
    kinds = part_kinds()
    last = order.log.order_by("-pk").first()
    return WorkView(
        tag=unit.tag,
        batch=unit.batch.slug,
        model=sheet.name,
        outcome=outcome,
        standard=next((s.name for s in standards if s.key == outcome.standard), ""),
        work=WorkOrder.model_validate(order.document),
        state=order.state,
        done_steps=order.done_steps,
        version=order.version,
        words=order.words,
        fetch=_fetch(order),
        found=draw_strip(sheet, found, standards),
        planned=draw_strip(sheet, found, standards, kinds, outcome.actions),
        last_tick=last.at if last else None,
    )


@router.get("/batches/{slug}/work", response=list[OrderLine])
def orders(request: HttpRequest, slug: str):
    """Open work orders of a batch: begun first, then those whose parts are all there."""
    batch = batch_called(slug)
    rows = (
        WorkOrderRow.objects.filter(unit__batch=batch, state="open")
        .select_related("unit__batch", "outcome")
        .prefetch_related("reservations__kind", "reservations__giver")
    )
    kinds = part_kinds()
    names = {standard.key: standard.name for standard in newest_standards()}

    findings = newest_findings([row.unit for row in rows])
    lines: list[OrderLine] = []
    for row in rows:
        sheet = sheet_of(row.unit)
        decided = UnitOutcome.model_validate(row.outcome.document)
        waits = [
            f"{kinds[r.kind.key].label} from {r.giver.tag}"
            if r.giver
            else f"{kinds[r.kind.key].label} on order"
            for r in row.reservations.all()
            if r.lot_id is None and not r.taken
        ]
        lines.append(
            OrderLine(
                tag=row.unit.tag,
                model=sheet.name,
                outcome=decided.outcome,
                standard=names.get(decided.standard, ""),
                steps=len(row.document["steps"]),
                done_steps=row.done_steps,
                minutes=row.document["minutes"],
                state=row.state,
                waits_for=waits,
                strip=draw_strip(
                    sheet, findings[row.unit_id], newest_standards(), kinds, decided.actions
                ),
            )
        )
    return sorted(
        lines,
        key=lambda line: (
            not line.done_steps,
            bool(line.waits_for),
            line.outcome != "donor",
            line.tag,
        ),
    )


@router.get("/units/{tag}/work", response=WorkView)
def work(request: HttpRequest, tag: str):
    """The work order of a unit."""
    return _view(order_of(unit_tagged(tag)))


@router.post("/units/{tag}/work/tick", response=WorkView)
def ticked(request: HttpRequest, tag: str, given: Tick):
    """Tick the next step."""
    person = person_with(request, Role.TECHNICIAN, "Working at the bench")
    return _view(tick(unit_tagged(tag).tag, given.version, person))


@router.post("/units/{tag}/work/back", response=WorkView)
def taken_back(request: HttpRequest, tag: str, given: Tick):
    """Take the last tick back."""
    person = person_with(request, Role.TECHNICIAN, "Working at the bench")
    return _view(back(unit_tagged(tag).tag, given.version, person))


@router.post("/units/{tag}/work/stop", response=WorkView)
def stopped(request: HttpRequest, tag: str, given: Stop):
    """Not as written: stop the order and send the unit back to inspection."""
    person = person_with(request, Role.TECHNICIAN, "Working at the bench")
    return _view(stop(unit_tagged(tag).tag, given.version, given.words, person))
