"""The plan of a batch."""

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.actions import action_words
from sortis_core.findings import Findings
from sortis_core.plan import Case
from sortis_core.plan.result import Plan
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Policy, Standard
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.services import batch_called
from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import (
    approve,
    begin_plan,
    case_of,
    newest_plan,
    what_is_left,
)
from sortis_server.people.models import Role
from sortis_server.people.roles import person_with

router = Router(tags=["decide"])


class BalanceRow(BaseModel):
    """Units of one group that end the same way: a row of the balance."""

    group: int
    model: str
    detail: str
    """Trim and cosmetic grade."""
    tags: list[str]
    outcome: str
    standard: str
    action_words: list[str]
    found: Strip
    planned: Strip | None
    cost_cents: int
    """Parts, labour and fees of all its units."""
    contribution_cents: int
    reason: str


class RungView(BaseModel):
    """One option on the ladder, in words."""

    title: str
    action_words: list[str]
    minutes: float
    price_cents: int
    parts_cents: int
    contribution_cents: int
    scarce_cents: int
    units: int


class LadderView(BaseModel):
    """All options of one group, best for the batch first, and the facts against the rest."""

    group: int
    rungs: list[RungView]
    rejections: list[str]


class PlanView(BaseModel):
    """A plan as the balance shows it."""

    number: int
    state: str
    refusal: str
    by: str
    at: datetime
    approved_by: str
    policy: Policy
    money_cents: int
    bench_minutes: float
    plan: Plan | None
    rows: list[BalanceRow]
    ladders: list[LadderView]


class DecideView(BaseModel):
    """What can be turned, and the newest plan."""

    waiting: int
    money_cents: int
    bench_minutes: float
    policy: Policy
    plan: PlanView | None


class Dials(BaseModel):
    """What the planner turned; nothing given means what the batch has left."""

    money_cents: int | None = Field(default=None, ge=0)
    bench_minutes: float | None = Field(default=None, ge=0)
    policy: Policy | None = None


def _plan_view(row: PlanRow) -> PlanView:
    case = Case.model_validate(row.case)
    plan = Plan.model_validate(row.plan) if row.plan else None
    return PlanView(
        number=row.number,
        state=row.state,
        refusal=row.refusal,
        by=row.by.name,
        at=row.at,
        approved_by=row.approved_by.name if row.approved_by else "",
        policy=case.policy,
        money_cents=case.money_cents,
        bench_minutes=case.bench_minutes,
        plan=plan,
        rows=_rows(case, plan) if plan else [],
        ladders=_ladders(case, plan) if plan else [],
    )


def _rows(case: Case, plan: Plan) -> list[BalanceRow]:
    sheets = {sheet.key: sheet for sheet in case.sheets}
    kinds = {kind.key: kind for kind in case.kinds}
    findings = {unit.tag: unit.findings for unit in case.units}
    names = {standard.key: standard.name for standard in case.standards}
    merged: dict[tuple, list] = {}
    for outcome in plan.outcomes:
        key = (outcome.group, outcome.outcome, outcome.standard, outcome.actions)
        merged.setdefault(key, []).append(outcome)
    rows: list[BalanceRow] = []
    for (group, kind, standard, actions), outcomes in merged.items():
        first = outcomes[0]
        sheet = sheets[findings[first.tag].sheet]
        standards: tuple[Standard, ...] = (
            tuple(s for s in case.standards if s.key == standard) or case.standards
        )
        changes = kind in ("fit", "donor")
        rows.append(
            BalanceRow(
                group=group,
                model=sheet.name,
                detail=_detail(sheet, findings[first.tag]),
                tags=[outcome.tag for outcome in outcomes],
                outcome=kind,
                standard=names.get(standard, ""),
                action_words=[action_words(sheet, action, kinds) for action in actions],
                found=draw_strip(sheet, findings[first.tag], standards),
                planned=draw_strip(sheet, findings[first.tag], standards, kinds, actions)
                if changes
                else None,
                cost_cents=sum(o.parts_cents + o.labour_cents + o.fees_cents for o in outcomes),
                contribution_cents=sum(o.contribution_cents for o in outcomes),
                reason=first.reason,
            )
        )
    return sorted(rows, key=lambda row: (-len(row.tags), -row.contribution_cents, row.tags[0]))


def _detail(sheet: ModelSheet, findings: Findings) -> str:
    trims = [trim.label for trim in sheet.trims if trim.key == findings.trim]
    grade = f"grade {findings.grade}" if findings.grade else "no grade"
    return ", ".join([*(trims if len(sheet.trims) > 1 else []), grade])


def _ladders(case: Case, plan: Plan) -> list[LadderView]:
    sheets = {sheet.key: sheet for sheet in case.sheets}
    kinds = {kind.key: kind for kind in case.kinds}
    names = {standard.key: standard.name for standard in case.standards}
    ladders: list[LadderView] = []
    for group in plan.groups:
        sheet = sheets[group.sheet]
        ladders.append(
            LadderView(
                group=group.number,
                rungs=[
                    RungView(
                        title=f"{rung.outcome} {names.get(rung.standard, '')}".strip().capitalize()
                        if not rung.standard
                        else f"{'Fit to' if rung.actions else 'Release as'} {names[rung.standard]}",
                        action_words=[action_words(sheet, a, kinds) for a in rung.actions],
                        minutes=rung.minutes,
                        price_cents=rung.price_cents,
                        parts_cents=rung.parts_cents,
                        contribution_cents=rung.contribution_cents,
                        scarce_cents=rung.scarce_cents,
                        units=rung.units,
                    )
                    for rung in group.ladder
                ],
                rejections=[
                    f"{names.get(r.standard, str(r.outcome).capitalize())}: {r.fact}"
                    for r in group.rejections
                ],
            )
        )
    return ladders


@router.get("/{slug}/plan", response=DecideView)
def plan(request: HttpRequest, slug: str):
    """The newest plan of the batch, and what its dials stand at."""
    batch = batch_called(slug)
    money, minutes = what_is_left(batch)
    row = newest_plan(batch)
    return DecideView(
        waiting=batch.units.filter(stage="decide").count(),
        money_cents=money,
        bench_minutes=minutes,
        policy=Policy.model_validate(batch.policy),
        plan=_plan_view(row) if row else None,
    )


@router.post("/{slug}/plan", response=PlanView)
def solve(request: HttpRequest, slug: str, given: Dials):
    """Solve the batch under the dials."""
    person = person_with(request, Role.PLANNER, "Planning")
    row = begin_plan(
        batch_called(slug),
        person,
        money_cents=given.money_cents,
        bench_minutes=given.bench_minutes,
        policy=given.policy,
    )
    return _plan_view(row)


@router.post("/{slug}/plan/{number}/approve", response=PlanView)
def approved(request: HttpRequest, slug: str, number: int):
    """Approve a plan: promises, purchases and work orders, all or nothing."""
    person = person_with(request, Role.PLANNER, "Approving a plan")
    return _plan_view(approve(batch_called(slug), number, person))


@router.get("/{slug}/case.json")
def case_json(request: HttpRequest, slug: str):
    """The case of the batch as it stands now, for the core's command line."""
    case = case_of(batch_called(slug))
    answer = HttpResponse(case.model_dump_json(indent=2), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="{slug}.case.json"'
    return answer
