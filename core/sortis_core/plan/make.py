"""From a case to its plan."""

import hashlib
from collections import Counter, defaultdict
from threading import Lock

from cachetools import LRUCache

from sortis_core.base import SortisError, listed, money
from sortis_core.options import OutcomeKind
from sortis_core.plan.aside import stand_aside
from sortis_core.plan.case import Case, CaseUnit
from sortis_core.plan.clash import explain_clash
from sortis_core.plan.deal import Dealt, as_far_as_used, circle, deal_in_turn, deal_tags
from sortis_core.plan.dialled import quick_plan
from sortis_core.plan.explain import Explainer, Reason, end_words
from sortis_core.plan.grouping import Group, cheapest_cents, group_units
from sortis_core.plan.result import (
    Bought,
    ChangedOrder,
    Harvested,
    LeftOut,
    Plan,
    PlanGroup,
    Proof,
    SalesOrderMet,
    Scarce,
    UnitOutcome,
)
from sortis_core.plan.shelf import shelf
from sortis_core.plan.solve import Solution, Watch, WishesClash, solve
from sortis_core.plan.sources import sources_of
from sortis_core.plan.uncollected import uncollected
from sortis_core.plan.waiting import sought, unpriced
from sortis_core.route.minutes import Skill, SkillMinutes

KEPT = Reason(sentence="Its work order stands as it was approved.")
KEPT_GROUPINGS = 4
REMEMBERED_UNITS = 400
"""Larger cases are not turned by hand, and to tell whether one is known costs as much as it."""

_lately: LRUCache[str, tuple[Group, ...]] = LRUCache(KEPT_GROUPINGS)
_lately_lock = Lock()


class NothingToPlan(SortisError):
    """No unit of the batch waits for a decision."""

    title = "There is nothing to plan"


def grouped(case: Case, *, prune: bool = True) -> tuple[Group, ...]:
    """The groups of the units that can be decided; the last few cases are remembered.

    :raises NothingToPlan: where no unit can be decided.
    """
    units = _open_units(case)
    if not prune or len(units) > REMEMBERED_UNITS:
        return group_units(case, units, prune=prune)
    return _grouped_lately(case)


def _all_but_the_dials(case: Case) -> str:
    """Digest of what the groups depend on.

    Money, hours, goal and orders do not change what a unit could end as, so that turning those
    dials finds the groups ready.
    """
    alike = case.model_copy(
        update={
            "money_cents": 0,
            "bench_minutes": 0.0,
            "skills": (),
            "sales_orders": (),
            "goal": "",
            "sheets": (),
        }
    )
    digest = hashlib.sha256(alike.__pydantic_serializer__.to_json(alike, warnings=False))
    for sheet in case.sheets:
        digest.update(sheet.digest)
    return digest.hexdigest()


def _grouped_lately(case: Case) -> tuple[Group, ...]:
    digest = _all_but_the_dials(case)
    with _lately_lock:
        known = _lately.get(digest)
    if known is None:
        known = shelf().take(digest)
        if known is None:
            known = group_units(case, _open_units(case))
            shelf().lay(digest, known)
        with _lately_lock:
            # Of two that found them at once all go on with the same ones.
            known = _lately.setdefault(digest, known)
    return known


def _open_units(case: Case) -> tuple[CaseUnit, ...]:
    units = tuple(unit for unit in case.units if not unit.findings.hazards)
    if not units:
        count = len(case.units)
        blocked = f" {count} of them blocked by a hazard." if count else ""
        raise NothingToPlan(
            f"No inspected unit of {case.batch} waits for a decision.{blocked} Inspect at least "
            "one unit, then plan."
        )
    return units


def make_plan(
    case: Case, *, watch: Watch | None = None, prune: bool = True, quick: bool = False
) -> Plan:
    """Decide every unit of the case; the same case gives the same plan.

    Units with a hazard are left out: nothing may be decided about them before the pack is gone.

    :param watch: told of the progress, and may stop the search, whose plan is then proven less
        closely.
    :param quick: near enough while a dial turns: proven less closely, without ladders, reasons and
        what one more of everything is worth.
    :raises NothingToPlan: where no unit can be decided.
    :raises WishesClash: where orders and pins cannot all hold; names the smallest set.
    """
    with uncollected():
        groups = grouped(case, prune=prune)
        try:
            solution = quick_plan(case, groups) if quick else solve(case, groups, watch=watch)
            writer = _Writer(case, groups, solution, explained=not quick)
            if circle(writer.allocations):
                # Nobody may wait for each other; unless all orders of waiting were looked at, the
                # bound of the plan in which they did is the one that holds for all.
                freely = solution.proofs
                solution = (
                    quick_plan(case, groups, in_turn=True)
                    if quick
                    else solve(case, groups, watch=watch, in_turn=True)
                )
                if not solution.every_turn:
                    proofs = _with_bounds(solution.proofs, freely)
                    solution = solution.model_copy(update={"proofs": proofs})
                writer = _Writer(case, groups, solution, explained=not quick)
        except WishesClash:
            raise explain_clash(case, groups) from None
        return writer.plan()


def _with_bounds(proofs: tuple[Proof, ...], freely: tuple[Proof, ...]) -> tuple[Proof, ...]:
    """What was reached, against the bounds that hold for every plan, whoever waits for whom.

    The bound of a later goal holds only as long as the goals before it were reached alike.
    """
    found: list[Proof] = []
    alike = True
    for proof, free in zip(proofs, freely, strict=True):
        found.append(proof.model_copy(update={"bound": free.bound}) if alike else proof)
        alike = alike and proof.value == free.value
    return tuple(found)


def waits_in_circle(case: Case, groups: tuple[Group, ...], solution: Solution) -> bool:
    """Whether units wait for each other's parts as the plan deals them out."""
    return circle(deal_in_turn(case, deal_tags(groups, solution), solution))


def write_plan(case: Case, groups: tuple[Group, ...], solution: Solution) -> Plan:
    """The plan that a solution amounts to, without reasons."""
    return _Writer(case, groups, solution, explained=False).plan()


class _Writer:
    """Writes the plan that a solution amounts to.

    :param explained: with ladders and reasons, which rest on what one more of everything is worth.
    """

    def __init__(
        self, case: Case, groups: tuple[Group, ...], solution: Solution, *, explained: bool
    ) -> None:
        self.case, self.groups, self.solution, self.explained = case, groups, solution, explained
        dealt = deal_tags(groups, solution)
        self.allocations = deal_in_turn(case, dealt, solution)
        self.dealt = as_far_as_used(dealt, self.allocations)
        # What an order that stands has was promised before, and is not in the counts.
        kept = frozenset(one.tag for one in dealt if one.option is None)
        self.explainer = Explainer(case, solution.worth, groups, self.allocations, kept)
        self.names = {standard.key: standard.name for standard in case.standards}
        self.labels = {kind.key: kind.label for kind in case.kinds}
        offers = {offer.key: offer for offer in case.offers}
        self.paid = {key: offers[key].each_cents(count) for key, count in solution.bought.items()}
        self._prices = cheapest_cents(case)
        self._sales_orders = {order.key: order for order in case.sales_orders}
        self._reasons: dict[tuple[int, str, str], tuple[Reason, tuple[str, ...]]] = {}
        self._outcomes_of: dict[tuple[int, str, str, int, int], UnitOutcome] = {}
        self._left_over: Counter[str] = Counter()
        for source in sources_of(case):
            self._left_over[source.kind] += source.limit
        for part in self.allocations:
            if part.source != "unit" and part.tag not in kept:
                self._left_over[part.kind] -= 1
        self.spend = sum(self.paid[key] * count for key, count in solution.bought.items())

    def plan(self) -> Plan:
        case, solution = self.case, self.solution
        outcomes = self._outcomes()
        used = sum(a.unit_cost_cents for a in self.allocations if a.source == "offer")
        surplus = self.spend - used
        skills: dict[Skill, float] = defaultdict(float)
        for outcome in outcomes:
            for one in outcome.skills:
                skills[one.skill] += one.minutes
        minutes = round(sum(outcome.minutes for outcome in outcomes), 1)
        per_group: dict[int, dict[int, int]] = defaultdict(lambda: defaultdict(int))
        for g, o, _, count in solution.chosen:
            per_group[g][o] += count
        scarce = self._scarce(minutes, skills)
        held = frozenset(o.tag for o in outcomes if o.outcome is OutcomeKind.HOLD)
        return Plan(
            batch=case.batch,
            currency=case.currency,
            goal=case.goal,
            contribution_cents=sum(o.contribution_cents for o in outcomes) - surplus,
            proofs=solution.proofs,
            gap_percent=round(
                max(100 * abs(p.bound - p.value) / max(1.0, abs(p.value)) for p in solution.proofs),
                4,
            ),
            spend_cents=self.spend,
            surplus_cents=surplus,
            minutes=minutes,
            bench_minutes=case.bench_minutes,
            skills=tuple(
                SkillMinutes(skill=s, minutes=round(skills[s], 1)) for s in Skill if skills[s]
            ),
            ready=sum(o.outcome.ready for o in outcomes),
            outcomes=outcomes,
            groups=tuple(
                PlanGroup(
                    number=group.number,
                    sheet=group.sheet,
                    tags=group.tags,
                    ladder=self.explainer.ladder(group, per_group[g]),
                    rejections=group.rejections,
                )
                for g, group in enumerate(self.groups)
                if self.explained
            ),
            allocations=self.allocations,
            scarce=scarce,
            binds=self._binds(scarce),
            buying=self._buying(),
            harvest=tuple(
                Harvested(giver=a.source_key, kind=a.kind, label=self.labels[a.kind], taker=a.tag)
                for a in sorted(
                    (a for a in self.allocations if a.source == "unit"),
                    key=lambda a: (a.source_key, a.kind, a.tag),
                )
            ),
            sales_orders=tuple(
                SalesOrderMet(
                    key=order.key,
                    customer=order.customer,
                    standard=order.standard,
                    wanted=order.count,
                    tags=tuple(o.tag for o in outcomes if o.sales_order == order.key),
                )
                for order in case.sales_orders
            ),
            changes=self._changes(outcomes),
            unpriced=unpriced(case, self.groups, held),
            sought=sought(case, self.groups, {o.tag: o.outcome for o in outcomes}),
            left_out=tuple(
                LeftOut(
                    tag=unit.tag,
                    reason="Blocked by a danger, waiting for the record of what was done.",
                )
                for unit in case.units
                if unit.findings.hazards
            ),
        )

    def _outcomes(self) -> tuple[UnitOutcome, ...]:
        parts: Counter[str] = Counter()
        gives: Counter[str] = Counter()
        for allocation in self.allocations:
            parts[allocation.tag] += allocation.unit_cost_cents
            if allocation.source == "unit":
                gives[allocation.source_key] += allocation.unit_cost_cents
        return tuple(self._outcome(one, parts[one.tag], gives[one.tag]) for one in self.dealt)

    def _outcome(self, one: Dealt, parts: int, gives: int) -> UnitOutcome:
        """Written once for all units that end alike, but for the tag."""
        option = one.option.key if one.option else one.tag
        if one.option and one.option.outcome is OutcomeKind.DONOR:
            option += "".join(f" {action.key}" for action in one.option.actions)
        way = (one.group.number, option, one.sales_order, parts, gives)
        alike = self._outcomes_of.get(way)
        if alike is None:
            alike = self._outcomes_of[way] = self._written(one, parts, gives)
        return alike if alike.tag == one.tag else alike.model_copy(update={"tag": one.tag})

    def _written(self, one: Dealt, parts: int, gives: int) -> UnitOutcome:
        end = one.option or one.group.open_order
        assert end
        order = self._sales_orders.get(one.sales_order)
        customer = order.adds_cents(end.price_cents) if order else 0
        net = end.price_cents + customer - end.labour_cents - end.fees_cents
        reason, waits_for = self._reason(one, customer)
        return UnitOutcome(
            tag=one.tag,
            group=one.group.number,
            outcome=end.outcome,
            standard=end.standard,
            actions=end.actions,
            minutes=end.minutes,
            skills=end.skills,
            price_cents=end.price_cents,
            customer_cents=customer,
            parts_cents=parts,
            gives_cents=gives,
            labour_cents=end.labour_cents,
            fees_cents=end.fees_cents,
            contribution_cents=net - parts + gives,
            sales_order=one.sales_order,
            pinned=one.group.pin is not None,
            kept=one.option is None,
            waits_for=waits_for,
            runner_up=reason.runner_up,
            loss_cents=reason.loss_cents,
            reason=reason.sentence,
        )

    def _reason(self, one: Dealt, customer: int) -> tuple[Reason, tuple[str, ...]]:
        """The reason, and what a held unit waits for; the same for all that end alike.

        :param customer: cents that the customer it counts toward pays more.
        """
        if one.option is None:
            return KEPT, ()
        way = (one.group.number, one.option.key, one.sales_order if customer else "")
        if way not in self._reasons:
            stand_aside()
            reason = (
                self.explainer.reason(
                    one.option, one.group, customer, self._sales_orders.get(one.sales_order)
                )
                if self.explained
                else Reason(sentence="")
            )
            self._reasons[way] = reason, self._waits_for(one)
        return self._reasons[way]

    def _waits_for(self, one: Dealt) -> tuple[str, ...]:
        """What a held unit lacks for its best way: kinds of which nothing is left over."""
        if one.option is None or one.option.outcome is not OutcomeKind.HOLD:
            return ()
        ready = [option for option in one.group.options if option.outcome.ready]
        if one.option.waits_for or not ready:
            return one.option.waits_for
        best = max(
            ready, key=lambda o: o.net_cents - sum(self._prices[p.kind] * p.count for p in o.uses)
        )
        return tuple(part.kind for part in best.uses if part.count > self._left_over[part.kind])

    def _buying(self) -> tuple[Bought, ...]:
        offers = {offer.key: offer for offer in self.case.offers}
        takers: dict[str, list[str]] = defaultdict(list)
        for part in self.allocations:
            takers[part.source_key].append(part.tag)
        return tuple(
            Bought(
                offer=key,
                kind=offers[key].kind,
                label=self.labels[offers[key].kind],
                supplier=offers[key].supplier,
                count=count,
                used=len(takers[key]),
                pack_size=offers[key].pack_size,
                price_cents=self.paid[key],
                days=offers[key].days,
                tags=tuple(sorted(set(takers[key]))),
            )
            for key, count in sorted(self.solution.bought.items())
        )

    def _changes(self, outcomes: tuple[UnitOutcome, ...]) -> tuple[ChangedOrder, ...]:
        open_orders = {one.tag: one for one in self.case.open_orders}
        changes: list[ChangedOrder] = []
        for outcome in outcomes:
            before = open_orders.get(outcome.tag)
            if before is None or outcome.kept:
                continue
            changes.append(
                ChangedOrder(
                    tag=outcome.tag,
                    before=end_words(before.outcome, self.names.get(before.standard, "")),
                    after=end_words(outcome.outcome, self.names.get(outcome.standard, "")),
                    reason="A pin, an order or what is left of stock, money and time does not let "
                    f"its work order stand. {outcome.reason}",
                )
            )
        return tuple(changes)

    def _scarce(self, minutes: float, skills: dict[Skill, float]) -> tuple[Scarce, ...]:
        """Minutes, money, then every part kind an option wants; the worthiest first."""
        case, worth = self.case, self.solution.worth
        wanted = {p.kind for group in self.groups for option in group.options for p in option.uses}
        on_hand: Counter[str] = Counter()
        for lot in case.usable_lots():
            on_hand[lot.kind] += lot.count
        used: Counter[tuple[str, str]] = Counter((a.kind, a.source) for a in self.allocations)
        rows = [
            Scarce(
                key=kind.key,
                label=kind.label,
                measure="parts",
                on_hand=on_hand[kind.key],
                harvested=used[kind.key, "unit"],
                bought=used[kind.key, "offer"],
                used=sum(used[kind.key, source] for source in ("lot", "offer", "unit")),
                worth_cents=max(0, worth.parts.get(kind.key, 0) - self._prices[kind.key]),
            )
            for kind in case.kinds
            if kind.key in wanted
        ]
        rows.sort(key=lambda row: (-row.worth_cents, row.label))

        def hours(key: str, label: str, most: float, taken: float, worth_cents: int) -> Scarce:
            return Scarce(
                key=key,
                label=label,
                measure="minutes",
                on_hand=most,
                harvested=0,
                bought=0,
                used=taken,
                worth_cents=worth_cents,
            )

        return (
            hours("minutes", "Bench hours", case.bench_minutes, minutes, round(worth.minute * 60)),
            *(
                hours(
                    one.skill,
                    f"Hours of {one.skill}" if one.skill is not Skill.BENCH else "Hours of opening",
                    one.minutes,
                    round(skills[one.skill], 1),
                    worth.skills.get(one.skill, 0),
                )
                for one in case.skills
            ),
            Scarce(
                key="money",
                label="Money to spend",
                measure="cents",
                on_hand=case.money_cents,
                harvested=0,
                bought=0,
                used=self.spend,
                worth_cents=worth.money_100,
            ),
            *rows,
        )

    def _binds(self, scarce: tuple[Scarce, ...]) -> tuple[str, ...]:
        """What limits the plan: everything of which one more would add to it."""
        said: list[str] = []
        parts: list[str] = []
        for row in scarce:
            if not row.worth_cents:
                continue
            worth = money(row.worth_cents, self.case.currency)
            if row.measure == "minutes":
                said.append(f"{row.label}: one more hour adds about {worth}.")
            elif row.measure == "cents":
                said.append(f"Money: 100 more adds about {worth}.")
            else:
                parts.append(f"{row.label} ({worth})")
        if parts:
            more = f" and {len(parts) - 4} other kinds" if len(parts) > 4 else ""
            said.append(f"Parts, one more of each adds about: {listed(parts[:4])}{more}.")
        return tuple(said)
