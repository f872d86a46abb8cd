"""Check a plan against its case alone.

Recomputes every sum from the sheets, the standards, the steps and the counts of the case. It
shares nothing with the builder of the model, nor with the options: an action is judged by what
the unit is like afterwards, gates by their own second reckoning (``GateBase.audit``), fit by
:mod:`sortis_core.plan.takes`, minutes by :mod:`sortis_core.plan.recount`.
"""

from collections import Counter, defaultdict
from collections.abc import Iterator
from typing import assert_never

from sortis_core.actions import Verb, after_actions
from sortis_core.base import SortisError
from sortis_core.configuration import Aspect
from sortis_core.findings import Findings, PartState, PlaceState, TestState
from sortis_core.options.option import OutcomeKind
from sortis_core.plan.case import Case, Goal
from sortis_core.plan.recount import Recount
from sortis_core.plan.result import Plan, UnitOutcome
from sortis_core.plan.takes import memory_fault, misfit
from sortis_core.policy import BoardSchool, HarvestSchool
from sortis_core.route.minutes import Skill
from sortis_core.sheets import BOARD, ModelSheet
from sortis_core.stock import Condition, DriveFacts, ModuleFacts

ROUNDING_MINUTES = 0.06
"""A plan counts minutes in tenths."""


class PlanDoesNotHold(SortisError):
    """The plan breaks its own case; nothing may be done by it."""

    title = "The plan does not hold"


def require_sound(case: Case, plan: Plan) -> None:
    """Refuse a plan that breaks its case.

    :raises PlanDoesNotHold: with the first fault in words and all of them in its facts.
    """
    if wrong := faults(case, plan):
        more = f" {len(wrong) - 1} more faults were found." if len(wrong) > 1 else ""
        raise PlanDoesNotHold(
            f"Counted again from its case, this plan does not hold: {wrong[0]}{more} Nothing was "
            "approved. Plan again; where it happens again, keep the case and report it.",
            faults=wrong[:20],
        )


def faults(case: Case, plan: Plan) -> list[str]:
    """Everything in which the plan breaks its case, in words; empty when it holds."""
    return list(_Checker(case, plan).faults())


def _boards(sheet: ModelSheet) -> set[str]:
    return {board.kind for board in sheet.boards if board.kind}


def _in_there(sheet: ModelSheet, findings: Findings, place: str) -> set[str]:
    """Part kinds that may be said to sit where a test is run: one, wherever that is known."""
    named = next((t.repair.kind for t in sheet.tests if t.key == place and t.repair), "")
    found: set[str] = set()
    for one in sheet.built_with:
        own = {choice.key: choice.kind for choice in one.choices if choice.place == place}
        if not own:
            continue
        came = [c.key for c in one.choices if not c.trims or findings.trim in c.trims]
        noted = findings.configuration.get(one.aspect)
        kinds = {own.get(code, named) for code in ([noted] if noted else came)}
        if len(kinds) > 1:
            return set()
        found |= kinds
    return found or {named}


class _Checker:
    def __init__(self, case: Case, plan: Plan) -> None:
        self.case, self.plan = case, plan
        self.findings = {unit.tag: unit.findings for unit in case.units}
        self.sheets = {sheet.key: sheet for sheet in case.sheets}
        self.standards = {standard.key: standard for standard in case.standards}
        self.kinds = {kind.key: kind for kind in case.kinds}
        self.ends = {outcome.tag: outcome for outcome in plan.outcomes}
        self.open_orders = {one.tag: one for one in case.open_orders}
        self.kept = {tag for tag in self.open_orders if tag in self.ends and self.ends[tag].kept}

    def faults(self) -> Iterator[str]:
        open_tags = {tag for tag, found in self.findings.items() if not found.hazards}
        if Counter(o.tag for o in self.plan.outcomes) != Counter(open_tags):
            yield "Not every unit that can be decided ends exactly once."
            return
        for outcome in self.plan.outcomes:
            if outcome.tag in self.kept:
                yield from self._stands(outcome)
            else:
                yield from self._end(outcome)
                yield from self._sum(outcome)
        yield from self._parts()
        yield from self._harvest()
        yield from self._limits()
        yield from self._wishes()
        yield from self._totals()

    def _stands(self, outcome: UnitOutcome) -> Iterator[str]:
        before = self.open_orders[outcome.tag]
        if (outcome.outcome, outcome.standard, outcome.actions) != (
            before.outcome,
            before.standard,
            before.actions,
        ):
            yield f"{outcome.tag} is said to stand and does not."

    def _end(self, outcome: UnitOutcome) -> Iterator[str]:
        """The unit reaches its standard by its actions, and each action is possible."""
        findings = self.findings[outcome.tag]
        sheet, policy = self.sheets[findings.sheet], self.case.policy
        attempts = {test.key for test in sheet.tests if test.attempt}
        for action in outcome.actions:
            if action.verb is Verb.SEAT:
                yield f"{outcome.tag}: only the last check asks to seat something again."
            if action.verb is Verb.MEND:
                tried = findings.tests.get(action.place) is not TestState.FAILED
                if tried or action.place not in attempts:
                    yield f"{outcome.tag}: nothing is mended at {action.place} without a part."
            pulled = action.place in findings.drives and action.place in {
                d for d, there in findings.drives.items() if there.state.held
            }
            if findings.drive_array and pulled:
                yield f"{outcome.tag}: a drive of an array is pulled before anybody asked."
            states = {key: module.state for key, module in findings.modules.items()}
            states |= {key: drive.state for key, drive in findings.drives.items()}
            closed = (PlaceState.DEAD, PlaceState.RADIO)
            if action.kind and states.get(action.place) in closed:
                yield f"{outcome.tag}: nothing goes into {action.place} as it is."
            if action.kind:
                if action.place == BOARD and policy.board is BoardSchool.NEVER_SWAP:
                    yield f"{outcome.tag} gets a board and boards are never swapped."
                if wrong := misfit(sheet, action, self.kinds):
                    yield f"{outcome.tag}: {action.kind} does not go into {action.place}: {wrong}."
            if action.takes_out and not self._sits_in(outcome.tag, action.place, action.takes_out):
                yield f"{outcome.tag}: no {action.takes_out} sits in {action.place}."
        if not outcome.outcome.ready:
            if outcome.standard or outcome.price_cents:
                yield f"{outcome.tag} ends by {outcome.outcome} and has a price."
            return
        standard = self.standards.get(outcome.standard)
        if standard is None or findings.grade is None:
            yield f"{outcome.tag} reaches no standard of the case."
            return
        after = after_actions(sheet, findings, outcome.actions, self.kinds)
        price = standard.price_cents(sheet.key, findings)
        more = sum(
            step.adds_cents
            for step in standard.steps
            if step.holds_for(sheet)
            if not step.gate.audit(sheet, after, step.reckoned(policy)).fault
        )
        if price is None or price + more != outcome.price_cents:
            yield f"{outcome.tag} has another price than its standard gives."
        if any(action.place in after.modules for action in outcome.actions if action.kind):
            if wrong := memory_fault(sheet, after, policy):
                yield f"{outcome.tag}: {wrong}."
        for gate in standard.gates:
            if fault := gate.audit(sheet, after, policy).fault:
                yield f"{outcome.tag} does not pass {standard.name}: {fault}."

    def _sits_in(self, tag: str, place: str, kind: str) -> bool:
        """Whether a part of the kind was seen working where it is to come out."""
        findings = self.findings[tag]
        facts = self.kinds[kind].facts if kind in self.kinds else None
        if isinstance(facts, ModuleFacts):
            module = findings.module(place)
            return module.state is PlaceState.PRESENT and module.gb == facts.gb
        if isinstance(facts, DriveFacts):
            drive = findings.drive(place)
            return drive.state is PlaceState.PRESENT and drive.gb == facts.gb
        sheet = self.sheets[findings.sheet]
        if place == BOARD:
            board = next((b for b in sheet.boards if b.kind == kind), None)
            repaired = {t.key for t in sheet.tests if t.repair and t.repair.kind in _boards(sheet)}
            seen = {"starts", *repaired} & {test.key for test in sheet.tests}
            works = all(findings.tests.get(test) is TestState.PASSED for test in seen)
            held = findings.soldered_gb if sheet.memory.soldered else None
            noted = findings.configuration.get(Aspect.PROCESSOR, "")
            alike = board is not None and board.processor in ("", noted or board.processor)
            return works and board is not None and alike and held in (None, board.soldered_gb)
        if any(test.key == place for test in sheet.tests):
            wanted = next(test for test in sheet.tests if test.key == place).repair
            passed = findings.tests.get(place) is TestState.PASSED
            return passed and wanted is not None and kind in _in_there(sheet, findings, place)
        return findings.parts.get(place) is PartState.PRESENT

    def _sum(self, outcome: UnitOutcome) -> Iterator[str]:
        """Minutes, labour, fees and contribution of one unit."""
        policy = self.case.policy
        findings = self.findings[outcome.tag]
        sheet = self.sheets[findings.sheet]
        work = Recount(sheet, findings, outcome.actions, policy)
        minutes, fees = 0.0, 0
        match outcome.outcome:
            case OutcomeKind.HOLD:
                fees = policy.hold_cents
            case OutcomeKind.RECYCLE:
                fees = policy.recycle_cents
            case OutcomeKind.DONOR:
                minutes, fees = work.minutes(donor=True), policy.recycle_cents
                if not findings.starts:
                    minutes += len(outcome.actions) * policy.part_test_minutes
            case OutcomeKind.RELEASE | OutcomeKind.FIT:
                minutes = work.minutes(donor=False)
                if standard := self.standards.get(outcome.standard):
                    for gate in standard.gates:
                        minutes += gate.audit(sheet, findings, policy).minutes
                packs = {place.key for place in sheet.packs}
                out = [a for a in outcome.actions if a.place in packs and a.takes_out_label]
                fees = len(out) * policy.pack_disposal_cents + work.consumables_cents()
            case _:
                assert_never(outcome.outcome)
        if abs(minutes - outcome.minutes) > ROUNDING_MINUTES:
            yield f"{outcome.tag} takes {minutes:.1f} minutes, not {outcome.minutes:.1f}."
        if abs(sum(one.minutes for one in outcome.skills) - outcome.minutes) > ROUNDING_MINUTES:
            yield f"{outcome.tag}: its minutes by skill are not its minutes."
        if fees != outcome.fees_cents:
            yield f"{outcome.tag} costs {fees} in fees, not {outcome.fees_cents}."
        labour = outcome.minutes * policy.labour_cents_per_hour / 60
        # A donor's is rounded at each step on the way and at each part.
        rounded = len(work.done) + len(outcome.actions) + 2
        near = rounded / 2 if outcome.outcome is OutcomeKind.DONOR else 0.5
        if abs(labour - outcome.labour_cents) > near + 0.01:
            yield f"{outcome.tag}: its labour is not its minutes at the rate."
        paid = outcome.price_cents + outcome.customer_cents
        left = paid - outcome.labour_cents - outcome.fees_cents
        if left - outcome.parts_cents + outcome.gives_cents != outcome.contribution_cents:
            yield f"{outcome.tag}: its sum is wrong."

    def _parts(self) -> Iterator[str]:
        """Every action gets its part, nothing is given twice, no source is overdrawn."""
        case = self.case
        lots = {lot.key: lot for lot in case.lots}
        offers = {offer.key: offer for offer in case.offers}
        wanted: Counter[tuple[str, str, str]] = Counter()
        for outcome in self.plan.outcomes:
            for action in outcome.actions:
                wanted.update((outcome.tag, place, kind) for place, kind in action.parts)
        if wanted != Counter((a.tag, a.place, a.kind) for a in self.plan.allocations):
            yield "The parts allocated are not the parts that the actions fit."
        drawn: Counter[str] = Counter()
        waiting = (Condition.AWAITING_SANITISING, Condition.HARVESTED_UNTESTED)
        for part in self.plan.allocations:
            if part.source == "unit" or part.tag in self.kept:
                continue
            drawn[part.source_key] += 1
            source = lots.get(part.source_key) or offers.get(part.source_key)
            if source is None or source.kind != part.kind:
                yield f"{part.tag} gets {part.kind} from {part.source_key}, which has none."
                continue
            lot = lots.get(part.source_key)
            if lot and (lot.condition in waiting or part.unit_cost_cents != lot.unit_cost_cents):
                yield f"{lot.key} cannot be used so: {lot.condition}."
            if not case.in_time(source.days):
                yield f"{part.source_key} comes after the due day."
            if self._must_be_new(part.tag) and lot and lot.condition is not Condition.NEW:
                yield f"{part.tag} wants new parts and gets a harvested {part.kind}."
            order = self.ends[part.tag].sales_order
            days = next((o.days for o in case.sales_orders if o.key == order), None)
            if days is not None and source.days > days:
                yield f"{part.tag} counts toward {order} and waits too long for {part.kind}."
        freed = Counter(
            part.source_key
            for tag, before in self.open_orders.items()
            if tag not in self.kept
            for part in before.parts
        )
        for key, count in drawn.items():
            if key in lots and count > lots[key].count + freed[key]:
                yield f"{key} is asked for {count} parts and has {lots[key].count}."

    def _must_be_new(self, tag: str) -> bool:
        school = self.case.policy.harvest
        if school is HarvestSchool.NEW_ONLY:
            return True
        top = max((standard.rank for standard in self.case.standards), default=0)
        standard = self.standards.get(self.ends[tag].standard)
        return school is HarvestSchool.NEW_FOR_TOP and bool(standard and standard.rank == top)

    def _harvest(self) -> Iterator[str]:
        taken: dict[str, Counter[str]] = defaultdict(Counter)
        value: Counter[str] = Counter()
        for part in self.plan.allocations:
            if part.source == "unit":
                taken[part.source_key][part.kind] += 1
                value[part.source_key] += part.unit_cost_cents
                if self._must_be_new(part.tag) and part.tag not in self.kept:
                    yield f"{part.tag} wants new parts and gets one out of {part.source_key}."
        yield from self._circles()
        for tag, kinds in taken.items():
            if tag not in self.ends:
                continue  # Its order was begun before; what it gives was promised then.
            gives = Counter(a.takes_out for a in self.ends[tag].actions if a.takes_out)
            for kind, count in kinds.items():
                if count > gives[kind]:
                    yield f"{tag} gives {count} {kind} and has {gives[kind]}."
        for outcome in self.plan.outcomes:
            if outcome.gives_cents != value[outcome.tag]:
                yield f"{outcome.tag}: the worth of what it gives is wrong."
            paid = sum(a.unit_cost_cents for a in self.plan.allocations if a.tag == outcome.tag)
            if outcome.parts_cents != paid:
                yield f"{outcome.tag}: the cost of its parts is wrong."

    def _circles(self) -> Iterator[str]:
        """No two units wait for each other's parts."""
        waits: dict[str, set[str]] = defaultdict(set)
        for part in self.plan.allocations:
            if part.source == "unit" and part.source_key != part.tag:
                waits[part.tag].add(part.source_key)
        left = {tag: {giver for giver in givers if giver in waits} for tag, givers in waits.items()}
        while free := [tag for tag, givers in left.items() if not givers & set(left)]:
            for tag in free:
                del left[tag]
        if left:
            yield f"{', '.join(sorted(left))} wait for each other's parts."

    def _limits(self) -> Iterator[str]:
        case, plan = self.case, self.plan
        offers = {offer.key: offer for offer in case.offers}
        drawn = Counter(a.source_key for a in plan.allocations if a.source == "offer")
        spend = 0
        listed = {line.offer: line for line in plan.buying}
        for key, count in drawn.items():
            if key not in listed or listed[key].count < count:
                yield f"{key}: more is used than the buying list buys."
        for key, line in listed.items():
            offer = offers[key]
            if line.count > offer.limit or line.count % offer.pack_size:
                yield f"{key}: {line.count} cannot be bought so."
            if line.price_cents != offer.each_cents(line.count):
                yield f"{key}: its price at {line.count} is {offer.each_cents(line.count)}."
            if line.used != drawn[key]:
                yield f"{key}: {drawn[key]} are used, not {line.used}."
            spend += line.count * offer.each_cents(line.count)
        if spend != plan.spend_cents or spend > case.money_cents:
            yield f"The plan spends {spend} of {case.money_cents} and says {plan.spend_cents}."
        slack = ROUNDING_MINUTES * max(1, len(plan.outcomes))
        minutes = sum(outcome.minutes for outcome in plan.outcomes)
        if minutes > case.bench_minutes + slack:
            yield f"The work takes {minutes:.0f} of {case.bench_minutes:.0f} minutes."
        for skill in Skill:
            work = sum(one.minutes for o in plan.outcomes for one in o.skills if one.skill is skill)
            most = case.most_minutes(skill)
            if most is not None and work > most + slack:
                yield f"{skill} takes {work:.0f} of {most:.0f} minutes."

    def _wishes(self) -> Iterator[str]:
        for pin in self.case.pins:
            end = self.ends.get(pin.tag)
            if end is None or end.outcome != pin.outcome or pin.standard not in ("", end.standard):
                yield f"{pin.tag} does not end as it is pinned."
        ordered = {order.key for order in self.case.sales_orders}
        for outcome in self.plan.outcomes:
            if outcome.customer_cents and outcome.sales_order not in ordered:
                yield f"{outcome.tag} is sold at a customer's price and to no customer."
        for order in self.case.sales_orders:
            toward = [o for o in self.plan.outcomes if o.sales_order == order.key]
            for outcome in toward:
                sheet = self.findings[outcome.tag].sheet
                if outcome.standard != order.standard or (
                    order.sheets and sheet not in order.sheets
                ):
                    yield f"{outcome.tag} does not serve {order.customer}."
                agreed = order.price_cents
                said = outcome.price_cents + outcome.customer_cents
                if said != (outcome.price_cents if agreed is None else agreed):
                    yield f"{outcome.tag} is not sold at what {order.customer} pays."
            if order.price_cents is not None and len(toward) > order.count:
                yield f"{order.customer} pays for {order.count}, not for {len(toward)}."
            if self.case.goal is not Goal.ORDERS and len(toward) < order.count:
                yield f"{order.customer} gets {len(toward)} of {order.count}."

    def _totals(self) -> Iterator[str]:
        plan = self.plan
        used = sum(a.unit_cost_cents for a in plan.allocations if a.source == "offer")
        if plan.surplus_cents != plan.spend_cents - used:
            yield "What is bought and not used is wrong."
        total = sum(o.contribution_cents for o in plan.outcomes) - plan.surplus_cents
        if total != plan.contribution_cents:
            yield f"The units' sums make {total}, not {plan.contribution_cents}."
        last = next((p for p in plan.proofs if p.goal == "contribution"), None)
        if last and last.bound < last.value:
            yield "The bound lies below the plan."
        if plan.ready != sum(o.outcome.ready for o in plan.outcomes):
            yield "The count of units ready is wrong."
