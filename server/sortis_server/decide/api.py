"""The plan of a batch."""

from datetime import date, datetime

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.documents import read_document
from sortis_core.options import OutcomeKind
from sortis_core.options.sought import MOST_SOUGHT
from sortis_core.plan import Case, Goal, Plan, WishesClash
from sortis_core.plan.because import Because, because
from sortis_core.plan.result import Sought
from sortis_core.plan.whatif import (
    Curve,
    CurvePoint,
    Figures,
    OneMoreFigures,
    Rule,
    UnitWays,
    curve_of,
    figures,
    one_more,
    other_rules,
    spending,
    unit_ways,
)
from sortis_core.policy import Policy
from sortis_core.rights import Money
from sortis_core.route.minutes import Skill
from sortis_core.vocabulary.states import PlanState, Role
from sortis_core.workshop import Missing
from sortis_server.arrive.models import Batch
from sortis_server.arrive.services import batch_called
from sortis_server.decide.approval import approve, approve_back
from sortis_server.decide.buying import buying_csv, buying_xlsx
from sortis_server.decide.cases import (
    Dials,
    case_of,
    missing_of,
    open_orders_of,
    require_furnished,
    what_is_left,
)
from sortis_server.decide.hand import after_the_hand, hand_waits
from sortis_server.decide.models import PlanRow, UnitPin
from sortis_server.decide.moved import MovedOn, units_moved
from sortis_server.decide.services import (
    SOLVED_AT_ONCE,
    PlanRefused,
    ask_to_stop,
    begin_plan,
    newest_plan,
    plan_numbered,
    solve_one_more,
    solve_sought,
    solved,
)
from sortis_server.decide.views import LadderView, PlanView, ladder_view, plan_view, saved_view
from sortis_server.decide.wishes import add_order, drop_order, pin_units, woken_units
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets
from sortis_server.workshop.money import Seeing
from sortis_server.workshop.services import newest_standards, part_kinds

router = Router(tags=["decide"])
SEES_PLAN = Seeing(Money.RESULTS, "The plan of a batch")
SEES_BUYING = Seeing(Money.COSTS, "The buying list")


class Named(BaseModel):
    """Something that can be chosen."""

    key: str
    name: str


class SalesOrderView(BaseModel):
    """A customer's order."""

    id: int
    customer: str
    standard: str
    standard_name: str
    count: int
    sheets: list[str]
    due_on: date | None
    price_cents: int | None
    """What the customer pays for each; empty for what the standard gives."""


class PinView(BaseModel):
    """What a person decided or noted about a unit."""

    tag: str
    outcome: OutcomeKind | None
    """None where it is only noted about."""
    standard: str
    option: str
    note: str
    by: str


class PlanLine(BaseModel):
    """A kept plan in the list of plans."""

    number: int
    state: PlanState
    by: str
    at: datetime
    goal: Goal
    contribution_cents: int | None
    ready: int | None
    spend_cents: int | None


class Woken(BaseModel):
    """A held unit whose part has come."""

    tag: str
    parts: list[str]


class DecideView(BaseModel):
    """What can be turned, what people wish, and the newest plan."""

    waiting: int
    open_orders: int
    """Work orders approved and not begun; the plan keeps them unless forced."""
    missing: list[Missing]
    """What the workshop lacks before anything sensible can be decided."""
    live: bool
    """Small enough to be solved while the hand is on the dial."""
    money_cents: int
    bench_minutes: float
    skills: dict[Skill, float]
    policy: Policy
    sales_orders: list[SalesOrderView]
    pins: list[PinView]
    woken: list[Woken]
    moved: list[MovedOn]
    """Units of the plan that are elsewhere by now, or at the bench."""
    models: list[Named]
    standards: list[Named]
    plans: list[PlanLine]
    plan: PlanView | None


class TryDials(Dials):
    """Dials to try without keeping the plan."""

    quick: bool = True
    """Near enough while the hand is on the dial; otherwise proven, with what one more is worth."""
    known: list[str] = Field(default=[], max_length=5000)
    """Keys of strips that the screen has already; they are not sent again."""


class AskGroup(Dials):
    """Which ladder to open: of a kept plan by its number, or of the plan tried under the dials."""

    number: int = 0
    group: int


class AskUnit(Dials):
    """Which unit's ways to solve for."""

    tag: str


class AskBecause(AskUnit):
    """A unit of a kept plan, or of the one under the dials."""

    number: int = 0


class AskMore(Dials):
    """What to have one more of; of a kept plan by its number, else under the dials."""

    key: str
    number: int = 0


class AskSought(Dials):
    """Parts that nobody has: what may be paid for one of each."""

    kinds: list[str] = Field(min_length=1, max_length=MOST_SOUGHT)
    number: int = 0


class AskRule(Dials):
    """Which changed rule to try."""

    key: str


class RuleList(BaseModel):
    """The plan as it is, and the rules that could be otherwise."""

    now: Figures
    rules: list[Rule]


class RuleAnswer(BaseModel):
    """The plan under a changed rule."""

    then: Figures | None
    impossible: str
    """Why there is none: orders and pins clash under it."""


class NewOrder(BaseModel):
    """A customer's order."""

    customer: str = Field(min_length=1, max_length=80)
    standard: str
    count: int = Field(ge=1, le=100_000)
    sheets: list[str] = []
    due_on: date | None = None
    price_cents: int | None = Field(default=None, ge=0, le=100_000_000)


class NewPin(BaseModel):
    """How units end, or a note on them."""

    tags: list[str] = Field(min_length=1, max_length=500)
    outcome: OutcomeKind | None = None
    standard: str = ""
    option: str = Field(default="", max_length=400)
    note: str | None = None


def _sales_orders(batch: Batch) -> list[SalesOrderView]:
    names = {standard.key: standard.name for standard in newest_standards()}
    return [
        SalesOrderView(
            id=row.pk,
            customer=row.customer,
            standard=row.standard,
            standard_name=names.get(row.standard, row.standard),
            count=row.count,
            sheets=row.sheets,
            due_on=row.due_on,
            price_cents=row.price_cents,
        )
        for row in batch.customer_orders.order_by("pk")
    ]


def _pins(batch: Batch) -> list[PinView]:
    rows = UnitPin.objects.filter(unit__batch=batch).select_related("unit", "by")
    return [
        PinView(
            tag=row.unit.tag,
            outcome=row.outcome or None,
            standard=row.standard,
            option=row.option,
            note=row.note,
            by=row.by.name,
        )
        for row in rows.order_by("unit__tag")
    ]


def _line(row: PlanRow) -> PlanLine:
    plan = row.plan or {}
    return PlanLine(
        number=row.number,
        state=row.state,
        by=row.by.name,
        at=row.at,
        goal=row.case["goal"],
        contribution_cents=plan.get("contribution_cents"),
        ready=plan.get("ready"),
        spend_cents=plan.get("spend_cents"),
    )


def _woken(batch: Batch) -> list[Woken]:
    labels = {key: kind.label for key, kind in part_kinds().items()}
    return [
        Woken(tag=tag, parts=[labels.get(kind, kind) for kind in kinds])
        for tag, kinds in woken_units(batch).items()
    ]


@router.get("/{slug}/plan", response=DecideView, auth=SEES_PLAN)
def plan(request: HttpRequest, slug: str):
    """The newest plan of the batch, what its dials stand at, and what people wish."""
    batch = batch_called(slug)
    money, minutes = what_is_left(batch)
    row = newest_plan(batch)
    waiting = batch.units.filter(stage="decide").count()
    open_orders = len(open_orders_of(batch))
    here = set(batch.units.values_list("sheet_key", flat=True))
    names = {key: sheet.name for key, sheet in newest_sheets().items()}
    view = saved_view(row) if row else None
    return DecideView(
        waiting=waiting,
        open_orders=open_orders,
        missing=list(missing_of(batch)),
        live=waiting + open_orders <= SOLVED_AT_ONCE,
        money_cents=money,
        bench_minutes=minutes,
        skills=batch.skill_minutes,
        policy=read_document(Policy, batch.policy),
        sales_orders=_sales_orders(batch),
        pins=_pins(batch),
        woken=_woken(batch),
        moved=units_moved(batch, view) if view else [],
        models=[Named(key=key, name=names[key]) for key in sorted(here) if key in names],
        standards=[Named(key=s.key, name=s.name) for s in newest_standards()],
        plans=[
            _line(kept)
            for kept in batch.plans.filter(cause="").select_related("by").order_by("-number")[:30]
        ],
        plan=view,
    )


@router.post("/{slug}/plan", response=PlanView, auth=by(Role.PLANNER, "Planning"))
def keep(request: HttpRequest, slug: str, given: Dials):
    """Solve the batch under the dials and keep the plan."""
    person = signed_in(request)
    return saved_view(begin_plan(batch_called(slug), person, given))


@router.post("/{slug}/plan/try", response=PlanView, auth=by(Role.PLANNER, "Planning"))
def try_dials(request: HttpRequest, slug: str, given: TryDials):
    """The plan under the dials, not kept: the hand is still on them."""
    person = signed_in(request)
    with hand_waits() if given.quick else after_the_hand():
        batch = batch_called(slug)
        require_furnished(batch)
        case = case_of(batch, given)
        view = plan_view(
            case,
            solved(case, quick=given.quick),
            known=frozenset(given.known),
            number=0,
            state=PlanState.TRIED,
            refusal="",
            progress={},
            stopped=False,
            by=person.name,
            at=timezone.now(),
            approved_by="",
        )
        # Written once: a hand on a dial does not wait for the answer to be checked again.
        return HttpResponse(view.model_dump_json(), content_type="application/json")


def _plan_asked(batch: Batch, dials: Dials, number: int) -> tuple[Case, Plan | None]:
    """A kept plan by its number, else the one under the dials; None where it is not solved yet."""
    if number:
        row = plan_numbered(batch, number)
        return read_document(Case, row.case), read_document(Plan, row.plan) if row.plan else None
    case = case_of(batch, dials)
    return case, solved(case, quick=False)


def _small_plan(batch: Batch, dials: Dials, number: int, what: str) -> tuple[Case, Plan]:
    """The plan asked for, where it is small enough to be solved anew while somebody waits.

    :param what: is solved, as a sentence begins.
    """
    case, found = _plan_asked(batch, dials, number)
    if found is None:
        raise NotThere("This plan is not solved yet.")
    if len(case.units) > SOLVED_AT_ONCE:
        raise PlanRefused(
            f"{what} for up to {SOLVED_AT_ONCE} units at once; this batch has {len(case.units)}. "
            "What stands here is the estimate."
        )
    return case, found


@router.post("/{slug}/plan/ladder", response=LadderView, auth=SEES_PLAN)
def ladder(request: HttpRequest, slug: str, given: AskGroup):
    """Every option of one group of a plan, with the sums of its units."""
    case, found = _plan_asked(batch_called(slug), given, given.number)
    view = ladder_view(case, found, given.group) if found else None
    if view is None:
        raise NotThere("This plan has no such group. Plan again.")
    return view


def _small_case(slug: str, given: Dials) -> Case:
    case = case_of(batch_called(slug), given)
    if len(case.units) > SOLVED_AT_ONCE:
        raise PlanRefused(
            f"What if is asked of up to {SOLVED_AT_ONCE} units at once; this batch has "
            f"{len(case.units)}. Save its case and ask on the command line: ./sortis core explain."
        )
    return case


@router.post("/{slug}/plan/curve", response=Curve, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def curve(request: HttpRequest, slug: str, given: Dials):
    """Where the curve of units ready and contribution against money goes, under the other dials."""
    return curve_of(_small_case(slug, given))


@router.post("/{slug}/plan/curve/point", response=CurvePoint, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def curve_point(request: HttpRequest, slug: str, given: Dials):
    """One point of it: what the money of the dials reaches.

    Each is asked for alone, so that a hand which turns a dial again waits for one point at most.
    """
    case = _small_case(slug, given)
    return spending(case, case.money_cents)


@router.post("/{slug}/plan/ways", response=UnitWays, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def ways(request: HttpRequest, slug: str, given: AskUnit):
    """Every way for one unit, each solved with the whole batch around it."""
    return unit_ways(_small_case(slug, given), given.tag)


@router.post("/{slug}/plan/because", response=Because, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def why_not(request: HttpRequest, slug: str, given: AskBecause):
    """Why a unit does not end by its best way: the batch solved again with that way forced."""
    batch = batch_called(slug)
    case, found = _small_plan(batch, given, given.number, "Reasons are solved")
    return because(case, found, given.tag)


@router.post("/{slug}/plan/one-more", response=OneMoreFigures, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def more(request: HttpRequest, slug: str, given: AskMore):
    """Solve with one more part, hour or 100 of money; of a kept plan the figure is kept, too."""
    if given.number:
        row = plan_numbered(batch_called(slug), given.number)
        if not row.plan:
            raise NotThere("This plan is not solved yet.")
        return solve_one_more(row, given.key)
    return one_more(_small_case(slug, given), given.key)


@router.post("/{slug}/plan/sought", response=Sought, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def parts_found(request: HttpRequest, slug: str, given: AskSought):
    """Solve with one of each for nothing; of a kept plan the figure is kept, too."""
    batch = batch_called(slug)
    case, plan = _small_plan(batch, given, given.number, "What may be paid is solved")
    row = plan_numbered(batch, given.number) if given.number else None
    return solve_sought(case, plan, tuple(given.kinds), row)


@router.post("/{slug}/plan/rules", response=RuleList, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def rules(request: HttpRequest, slug: str, given: Dials):
    """The schools and gates that could be otherwise; ask for each with ``rule``."""
    case = _small_case(slug, given)
    return RuleList(now=figures(case), rules=[rule for rule, _ in other_rules(case)])


@router.post("/{slug}/plan/rule", response=RuleAnswer, auth=by(Role.PLANNER, "Planning"))
@after_the_hand()
def rule(request: HttpRequest, slug: str, given: AskRule):
    """What one changed school or gate would do."""
    case = _small_case(slug, given)
    for found, other in other_rules(case):
        if found.key == given.key:
            try:
                return RuleAnswer(then=figures(other), impossible="")
            except WishesClash as clash:
                return RuleAnswer(then=None, impossible=clash.sentence)
    raise NotThere("There is no such rule to change.")


@router.get("/{slug}/plan/{int:number}", response=PlanView, auth=SEES_PLAN)
def kept_plan(request: HttpRequest, slug: str, number: int):
    """A plan that was kept."""
    return saved_view(plan_numbered(batch_called(slug), number))


@router.post("/{slug}/plan/{int:number}/stop", response=PlanView, auth=by(Role.PLANNER, "Planning"))
def stopped(request: HttpRequest, slug: str, number: int):
    """Let a plan that a worker solves end soon, proven less closely."""
    return saved_view(ask_to_stop(batch_called(slug), number))


@router.post(
    "/{slug}/plan/{int:number}/approve",
    response=PlanView,
    auth=by(Role.PLANNER, "Approving a plan"),
)
def approved(request: HttpRequest, slug: str, number: int):
    """Approve a plan: promises, purchases and work orders, all or nothing."""
    person = signed_in(request)
    return saved_view(approve(batch_called(slug), number, person))


@router.post(
    "/{slug}/plan/{int:number}/back", response=PlanView, auth=by(Role.PLANNER, "Approving a plan")
)
def approved_back(request: HttpRequest, slug: str, number: int):
    """Take an approval back, until something of it began."""
    person = signed_in(request)
    return saved_view(approve_back(batch_called(slug), number, person))


@router.post(
    "/{slug}/customer-orders", response=list[SalesOrderView], auth=by(Role.PLANNER, "Planning")
)
def new_order(request: HttpRequest, slug: str, given: NewOrder):
    """Keep a customer's order."""
    person = signed_in(request)
    batch = batch_called(slug)
    add_order(
        batch,
        given.customer,
        given.standard,
        given.count,
        given.sheets,
        given.due_on,
        given.price_cents,
        person,
    )
    return _sales_orders(batch)


@router.delete(
    "/{slug}/customer-orders/{order}",
    response=list[SalesOrderView],
    auth=by(Role.PLANNER, "Planning"),
)
def order_off(request: HttpRequest, slug: str, order: int):
    """Take an order off."""
    batch = batch_called(slug)
    drop_order(batch, order)
    return _sales_orders(batch)


@router.post("/{slug}/pins", response=list[PinView], auth=by(Role.PLANNER, "Planning"))
def pin(request: HttpRequest, slug: str, given: NewPin):
    """Pin how units end, or note something about them; empty words take it off."""
    person = signed_in(request)
    batch = batch_called(slug)
    pin_units(batch, given.tags, given.outcome, given.standard, given.option, given.note, person)
    return _pins(batch)


@router.get("/{slug}/case.json", auth=SEES_PLAN)
def case_json(request: HttpRequest, slug: str):
    """The case of the batch as it stands now, for the core's command line."""
    return _download(case_of(batch_called(slug)).model_dump_json(indent=2), f"{slug}.case.json")


@router.get("/{slug}/plan/{int:number}/case.json", auth=SEES_PLAN)
def kept_case_json(request: HttpRequest, slug: str, number: int):
    """The case that a kept plan was solved from."""
    row = plan_numbered(batch_called(slug), number)
    told = read_document(Case, row.case).model_dump_json(indent=2)
    return _download(told, f"{slug}.plan-{number}.case.json")


def _kept(slug: str, number: int) -> Plan:
    row = plan_numbered(batch_called(slug), number)
    if row.plan is None:
        raise NotThere(f"Plan {number} is not solved.")
    return read_document(Plan, row.plan)


@router.get("/{slug}/plan/{int:number}/plan.json", auth=SEES_PLAN)
def kept_plan_json(request: HttpRequest, slug: str, number: int):
    """A kept plan whole, with every allocation."""
    told = _kept(slug, number).model_dump_json(indent=2)
    return _download(told, f"{slug}.plan-{number}.json")


@router.get("/{slug}/plan/{int:number}/buying.csv", auth=SEES_BUYING)
def buying_as_csv(request: HttpRequest, slug: str, number: int):
    """The buying list as CSV."""
    return _download(buying_csv(_kept(slug, number)), f"{slug}.to-buy.csv", "text/csv")


@router.get("/{slug}/plan/{int:number}/buying.xlsx", auth=SEES_BUYING)
def buying_as_xlsx(request: HttpRequest, slug: str, number: int):
    """The buying list as XLSX."""
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return _download(buying_xlsx(_kept(slug, number)), f"{slug}.to-buy.xlsx", kind)


def _download(told: str | bytes, name: str, kind: str = "application/json") -> HttpResponse:
    answer = HttpResponse(told, content_type=kind)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
