"""What the balance shows of a plan."""

import hashlib
from collections.abc import Iterable
from datetime import datetime
from threading import Lock

from cachetools import LRUCache
from pydantic import BaseModel

from sortis_core.actions import Action, action_words, after_actions
from sortis_core.documents import read_document
from sortis_core.facts.memory import beyond_stated, memory_facts
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, Plan
from sortis_core.plan.explain import end_words
from sortis_core.plan.result import (
    Bought,
    ChangedOrder,
    Harvested,
    LeftOut,
    PlanGroup,
    Proof,
    Rung,
    SalesOrderMet,
    Scarce,
    Sought,
    UnitOutcome,
    Unpriced,
)
from sortis_core.policy import Policy
from sortis_core.route.minutes import SkillMinutes
from sortis_core.sheets import ModelSheet
from sortis_core.strip import Strip, draw_strip
from sortis_core.vocabulary.states import PlanState
from sortis_server.decide.models import PlanRow

KEPT_STRIPS = 2000


_strips: LRUCache[str, Strip] = LRUCache(KEPT_STRIPS)
_strips_lock = Lock()
"""The strips drawn last: turning a dial shows mostly the same ones again."""


class BalanceRow(BaseModel):
    """Units of one group that end the same way: a row of the balance."""

    group: int
    model: str
    detail: str
    """Trim and cosmetic grade."""
    tags: list[str]
    outcome: OutcomeKind
    standard: str
    end: str
    """Outcome and standard in words."""
    action_words: list[str]
    gives: list[str]
    """What a donor gives, in words."""
    found: str
    """Key of the strip as found, in ``strips``."""
    planned: str
    """Key of the strip as planned; empty where nothing changes."""
    price_cents: int
    cost_cents: int
    """Parts, labour and fees of all its units."""
    contribution_cents: int
    pinned: bool
    kept: bool
    order: str
    """Customer it counts toward."""
    waits_for: list[str]


class PlanFigures(BaseModel):
    """A plan in figures."""

    currency: str
    goal: str
    contribution_cents: int
    gap_percent: float
    proofs: list[Proof]
    spend_cents: int
    surplus_cents: int
    minutes: float
    bench_minutes: float
    skills: list[SkillMinutes]
    ready: int
    decided: int


class PlanView(BaseModel):
    """A plan as the balance shows it; number 0 is one that was tried and not kept."""

    number: int
    state: PlanState
    refusal: str
    progress: dict
    stopped: bool
    by: str
    at: datetime
    approved_by: str
    policy: Policy
    goal: str
    money_cents: int
    bench_minutes: float
    skills: list[SkillMinutes]
    figures: PlanFigures | None
    rows: list[BalanceRow]
    strips: dict[str, Strip]
    scarce: list[Scarce]
    binds: list[str]
    buying: list[Bought]
    harvest: list[Harvested]
    sales_orders: list[SalesOrderMet]
    changes: list[ChangedOrder]
    left_out: list[LeftOut]
    unpriced: list[Unpriced]
    sought: list[Sought]


class RungView(BaseModel):
    """One option on the ladder, in words."""

    key: str
    title: str
    outcome: OutcomeKind
    standard: str
    action_words: list[str]
    memory: str
    """How the memory runs afterwards, where the option changes it."""
    minutes: float
    price_cents: int
    parts_cents: int
    contribution_cents: int
    scarce_cents: int
    units: int


class Sum(BaseModel):
    """How one unit ends, as a sum with its sources."""

    outcome: UnitOutcome
    sources: list[str]
    """Where each of its parts comes from."""


class LadderView(BaseModel):
    """All options of one group, best for the batch first, and the facts against the rest."""

    group: int
    rungs: list[RungView]
    rejections: list[str]
    sums: list[Sum]


def saved_view(row: PlanRow) -> PlanView:
    """A plan as it was kept."""
    case = read_document(Case, row.case)
    plan = read_document(Plan, row.plan) if row.plan else None
    return plan_view(
        case,
        plan,
        number=row.number,
        state=row.state,
        refusal=row.refusal,
        progress=row.progress,
        stopped=row.stop_asked,
        by=row.by.name,
        at=row.at,
        approved_by=row.approved_by.name if row.approved_by else "",
    )


def plan_view(
    case: Case, plan: Plan | None, *, known: frozenset[str] = frozenset(), **told: object
) -> PlanView:
    """A plan, kept or tried. ``told`` are the fields that the plan itself does not know.

    :param known: keys of strips that are left out.
    """
    strips: dict[str, Strip] = {}
    # What stands was approved with its own minutes; the dial shows what is left for the rest.
    promised_minutes = sum(one.minutes for one in case.open_orders)
    rows = _rows(case, plan, strips) if plan else []
    return PlanView(
        policy=case.policy,
        goal=case.goal,
        money_cents=case.money_cents,
        bench_minutes=round(case.bench_minutes - promised_minutes, 2),
        skills=list(case.skills),
        figures=PlanFigures(
            **{name: getattr(plan, name) for name in PlanFigures.model_fields if name != "decided"},
            decided=len(plan.outcomes),
        )
        if plan
        else None,
        rows=rows,
        strips={key: strip for key, strip in strips.items() if key not in known},
        scarce=plan.scarce if plan else [],
        binds=plan.binds if plan else [],
        buying=plan.buying if plan else [],
        harvest=plan.harvest if plan else [],
        sales_orders=plan.sales_orders if plan else [],
        changes=plan.changes if plan else [],
        left_out=plan.left_out if plan else [],
        unpriced=plan.unpriced if plan else [],
        sought=plan.sought if plan else [],
        **told,
    )


class _Words:
    """Names of everything a plan speaks of."""

    def __init__(self, case: Case) -> None:
        self.sheets = {sheet.key: sheet for sheet in case.sheets}
        self.kinds = {kind.key: kind for kind in case.kinds}
        self.findings = {unit.tag: unit.findings for unit in case.units}
        self.standards = {standard.key: standard for standard in case.standards}
        self.places = {lot.key: lot.place for lot in case.lots}
        self.suppliers = {offer.key: offer.supplier for offer in case.offers}

    def name(self, standard: str) -> str:
        return self.standards[standard].name if standard in self.standards else ""

    def end(self, outcome: UnitOutcome | Rung) -> str:
        return end_words(outcome.outcome, self.name(outcome.standard))

    def actions(self, sheet: ModelSheet, actions: Iterable[Action]) -> list[str]:
        return [action_words(sheet, action, self.kinds) for action in actions]


def _rows(case: Case, plan: Plan, strips: dict[str, Strip]) -> list[BalanceRow]:
    words = _Words(case)
    customers = {order.key: order.customer for order in case.sales_orders}
    merged: dict[tuple, list[UnitOutcome]] = {}
    for outcome in plan.outcomes:
        keys = tuple(action.key for action in outcome.actions)
        ends = (outcome.outcome, outcome.standard, keys, outcome.sales_order, outcome.kept)
        merged.setdefault((outcome.group, *ends), []).append(outcome)
    rows: list[BalanceRow] = []
    for outcomes in merged.values():
        first = outcomes[0]
        findings = words.findings[first.tag]
        sheet = words.sheets[findings.sheet]
        toward = (first.standard,) if first.standard in words.standards else ()
        standards = tuple(words.standards[key] for key in toward) or case.standards
        changes = first.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR)
        rows.append(
            BalanceRow(
                group=first.group,
                model=sheet.name,
                detail=_detail(sheet, findings),
                tags=[outcome.tag for outcome in outcomes],
                outcome=first.outcome,
                standard=words.name(first.standard),
                end=words.end(first),
                action_words=words.actions(sheet, first.actions),
                gives=[action.takes_out_label for action in first.actions if action.takes_out]
                if first.outcome is OutcomeKind.DONOR
                else [],
                found=_drawn(strips, words, sheet, findings, standards, ()),
                planned=_drawn(strips, words, sheet, findings, standards, first.actions)
                if changes
                else "",
                price_cents=sum(o.price_cents + o.customer_cents for o in outcomes),
                cost_cents=sum(o.parts_cents + o.labour_cents + o.fees_cents for o in outcomes),
                contribution_cents=sum(o.contribution_cents for o in outcomes),
                pinned=first.pinned,
                kept=first.kept,
                order=customers.get(first.sales_order, ""),
                waits_for=[words.kinds[kind].label for kind in first.waits_for],
            )
        )
    return sorted(
        rows, key=lambda row: (row.kept, -len(row.tags), -row.contribution_cents, row.tags[0])
    )


def _drawn(
    strips: dict[str, Strip],
    words: _Words,
    sheet: ModelSheet,
    findings: Findings,
    standards: tuple,
    actions: tuple[Action, ...],
) -> str:
    """Draw a strip once for all rows that look alike, and give its key."""
    told = [sheet.key, str(sheet.version), findings.model_dump_json()]
    told += [f"{standard.key} {standard.version}" for standard in standards]
    told += [action.key for action in actions]
    key = hashlib.sha1("|".join(told).encode(), usedforsecurity=False).hexdigest()[:12]
    if key not in strips:
        with _strips_lock:
            strip = _strips.get(key)
        if strip is None:
            strip = draw_strip(sheet, findings, standards, words.kinds, actions)
            with _strips_lock:
                _strips[key] = strip
        strips[key] = strip
    return key


def _detail(sheet: ModelSheet, findings: Findings) -> str:
    trims = [trim.label for trim in sheet.trims if trim.key == findings.trim]
    grade = f"grade {findings.grade}" if findings.grade else "no grade"
    return ", ".join([*(trims if len(sheet.trims) > 1 else []), grade])


def ladder_view(case: Case, plan: Plan, number: int) -> LadderView | None:
    """The ladder of one group with the sums of its units; None where the plan has no such group."""
    group = next((group for group in plan.groups if group.number == number), None)
    if group is None:
        return None
    words = _Words(case)
    return LadderView(
        group=number,
        rungs=[_rung(case, words, group, rung) for rung in group.ladder],
        rejections=[
            f"{words.name(r.standard) or r.outcome.heading}: {r.fact}" for r in group.rejections
        ],
        sums=[
            Sum(outcome=outcome, sources=_sources(plan, words, outcome.tag))
            for outcome in plan.outcomes
            if outcome.group == number
        ],
    )


def _rung(case: Case, words: _Words, group: PlanGroup, rung: Rung) -> RungView:
    sheet, findings = words.sheets[group.sheet], words.findings[group.tags[0]]
    slots = {slot.key for slot in sheet.memory.slots} | {"board"}
    memory = ""
    if any(action.place in slots and action.kind for action in rung.actions):
        after = after_actions(sheet, findings, rung.actions, words.kinds)
        facts = memory_facts(sheet, after, case.policy)
        speed = f", {facts.runs_mts} MT/s" if facts.runs_mts else ""
        risk = beyond_stated(sheet, after)
        memory = f"{facts.total_gb} GB, {facts.channels}{speed}. {risk}".removesuffix(". ")
    return RungView(
        key=rung.key,
        title=words.end(rung),
        outcome=rung.outcome,
        standard=rung.standard,
        action_words=words.actions(sheet, rung.actions),
        memory=memory,
        minutes=rung.minutes,
        price_cents=rung.price_cents,
        parts_cents=rung.parts_cents,
        contribution_cents=rung.contribution_cents,
        scarce_cents=rung.scarce_cents,
        units=rung.units,
    )


def _sources(plan: Plan, words: _Words, tag: str) -> list[str]:
    said: list[str] = []
    for part in plan.allocations:
        if part.tag != tag:
            continue
        label = words.kinds[part.kind].label
        if part.source == "unit":
            said.append(f"{label} out of {part.source_key}")
        elif part.source == "offer":
            said.append(f"{label} bought from {words.suppliers.get(part.source_key, 'a supplier')}")
        else:
            said.append(f"{label} from {words.places.get(part.source_key, 'the store')}")
    return said
