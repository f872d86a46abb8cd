"""Not as written: findings are updated, the plan is solved again, the technician is told."""

from collections import Counter

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from sortis_core.actions import Verb, action_words, after_actions
from sortis_core.base import SortisError, listed, money
from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan import Plan
from sortis_core.plan.result import Allocation, UnitOutcome
from sortis_core.plan.verify import require_sound
from sortis_core.route.work import WorkOrder, plan_work
from sortis_core.stages import Stage
from sortis_core.stock import PartKind
from sortis_core.surprise import (
    DANGERS,
    Advice,
    Surprise,
    SurpriseKind,
    SurpriseRefused,
    known_after,
    still_reaches,
)
from sortis_core.vocabulary.states import LogWhat, PlanState
from sortis_server.arrive.models import Batch, Unit
from sortis_server.decide.cases import case_of
from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import SOLVED_AT_ONCE, solved
from sortis_server.inspect.services import (
    findings_of,
    note_hazards,
    policy_of,
    save_findings,
    sheet_of,
)
from sortis_server.orders import clock
from sortis_server.orders.models import Reservation, SurpriseRow, WorkOrderRow
from sortis_server.orders.orders import actions_of, in_hand, locked, next_version, set_aside
from sortis_server.orders.outcomes import decided_of, write_outcome
from sortis_server.orders.pace import pace_of
from sortis_server.orders.parts import end, give_back, let_waiters_go, origins_of
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion
from sortis_server.sources import SourceKind, source_of
from sortis_server.stock.services import move, promise, unpromise
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import newest_standards, part_kinds


def surprise(tag: str, version: int, said: Surprise, by: Person) -> WorkOrderRow:
    """Note a surprise and answer what the technician does now.

    All in one transaction: findings, promises, the new work order. The whole batch is solved again
    for what is open; only this unit follows that plan at once, and only with parts that lie in the
    store. What else the plan would change waits for the planner.

    :returns: the order to go on with; the one that was stopped where there is none.
    :raises StaleVersion: where another screen was faster.
    :raises SurpriseRefused: where what was told does not go with the unit.
    """
    with transaction.atomic():
        # In the order of an approval, so that the two never wait for each other.
        batch = Unit.objects.values_list("batch_id", flat=True).get(tag=tag)
        Batch.objects.select_for_update().get(pk=batch)
        unit, order, work = locked(tag, version)
        in_hand(order, by)
        kinds = part_kinds()
        sheet = sheet_of(unit)
        done = actions_of(work.steps[: order.done_steps])
        before = after_actions(sheet, findings_of(unit), done, kinds, origins_of(order))
        now = known_after(sheet, before, said, tried_in(work))
        if said.kind is SurpriseKind.NEW_PART:
            _lose_part(order, said, by)
        return _Answer(unit, order, work, said, before, now, kinds, by).give()


def tried_in(work: WorkOrder) -> frozenset[str]:
    """Tests that an order tries to mend without a part."""
    actions = actions_of(work.steps)
    return frozenset(action.place for action in actions if action.verb is Verb.MEND)


def _lose_part(order: WorkOrderRow, said: Surprise, by: Person) -> None:
    """The part in hand is no use: it leaves the store's count, with the reason.

    :raises SurpriseRefused: where no part waits for that place.
    """
    row = (
        order.reservations.select_for_update()
        .filter(place=said.place, taken=False)
        .select_related("lot")
        .first()
    )
    if row is None:
        raise SurpriseRefused("No part waits for that place. Say which part to fit is wrong.")
    if row.lot:
        unpromise(row.lot)
        move(row.lot, -1, f"wrong or broken at the bench: {said.words}"[:120], by)
    row.delete()


NOT_HERE = "What would bring it further is not in the store yet."
BEST_NOW = {
    OutcomeKind.RELEASE: NOT_HERE,
    OutcomeKind.FIT: NOT_HERE,
    OutcomeKind.HOLD: "Nothing that is here brings it further.",
    OutcomeKind.DONOR: "It would serve the batch best as a donor.",
    OutcomeKind.RECYCLE: "Nothing pays for it any more.",
}
"""What is said of a unit that cannot be finished now, by what the plan would make of it."""


class _Answer:
    """What follows from one surprise."""

    def __init__(
        self,
        unit: Unit,
        order: WorkOrderRow,
        work: WorkOrder,
        said: Surprise,
        before: Findings,
        now: Findings,
        kinds: dict[str, PartKind],
        by: Person,
    ) -> None:
        self.unit, self.order, self.work, self.said, self.by = unit, order, work, said, by
        self.before, self.now, self.kinds = before, now, kinds
        self.sheet, self.policy = sheet_of(unit), policy_of(unit)
        self.begun = work.begun_after(order.done_steps)
        self.at = order.done_steps + 1
        label = f"{self.sheet.label_of(said.place)}: " if said.place else ""
        self.what = f"{label}{said.kind}"

    def give(self) -> WorkOrderRow:
        """The order to go on with, or the stopped one."""
        if self._as_before():
            # What this order did so far becomes findings when it is done, as ever.
            tried = tried_in(self.work)
            self._keep(known_after(self.sheet, findings_of(self.unit), self.said, tried))
            return self._note(self.order, Advice.GO_ON, "Noted. The work goes on as written.")
        self._keep(self.now)
        if self.said.kind in DANGERS:
            return self._danger()
        if self.work.donor:
            return self._take_less_out()
        self._give_up("planned again")
        outcome, plan = self._solve_again()
        if outcome and outcome.outcome.ready and _on_hand(outcome, plan):
            return self._other_work(outcome, plan)
        return self._close_up(outcome, plan)

    def _keep(self, findings: Findings) -> None:
        if findings != findings_of(self.unit):
            save_findings(self.unit, findings, self.by, f"at the bench: {self.said.kind}")
            self.unit.save()

    def _as_before(self) -> bool:
        """Whether the rest of the order still does what it was decided for."""
        decided = decided_of(self.order.outcome)
        if self.said.kind in (*DANGERS, SurpriseKind.NEW_PART):
            return False
        if self.said.place in {action.place for action in self.begun.done}:
            return self.now == self.before
        waiting = actions_of(self.work.steps[self.order.done_steps :])
        if self.work.donor:
            return self.said.place not in {action.place for action in waiting}
        standards = [s for s in newest_standards() if s.key == decided.standard]
        if self.order.then or not standards:
            return self.now == self.before
        return still_reaches(
            self.sheet, self.before, self.now, waiting, standards[0], self.policy, self.kinds
        )

    def _give_up(self, words: str) -> None:
        give_back(self.order)
        end(self.order, f"{self.what}: {words}")

    def _danger(self) -> WorkOrderRow:
        """Nothing is closed, pried or finished; the unit is blocked until a person records it."""
        lost = let_waiters_go(self.unit, Counter())
        self._give_up("stopped at once")
        self.unit.stage = Stage.INSPECT
        note_hazards(self.unit, self.now, self.by)
        self.unit.save()
        return self._note(
            self.order,
            Advice.DANGER,
            f"{self.unit.tag} is blocked. Its parts are free again.{_planned_again(lost)}",
        )

    def _take_less_out(self) -> WorkOrderRow:
        """A donor gives all but what turned out no good; who waited for that is planned again."""
        waiting = actions_of(self.work.steps[self.order.done_steps :])
        left = tuple(action for action in waiting if action.place != self.said.place)
        lost = let_waiters_go(self.unit, Counter(action.takes_out for action in left))
        work = plan_work(
            self.sheet,
            self.now,
            left,
            self.kinds,
            self.policy,
            donor=True,
            pace=pace_of(self.sheet.key),
            begun=self.begun,
        )
        self.order.document = work.model_dump(mode="json")
        self.order.done_steps = 0
        self.order.version += 1
        self.order.save()
        return self._note(
            self.order, Advice.CHANGE, f"It is left in; the rest comes out.{_planned_again(lost)}"
        )

    def _solve_again(self) -> tuple[UnitOutcome | None, PlanRow]:
        batch = self.unit.batch
        case = case_of(batch, at_bench=self.unit)
        if len(case.units) > SOLVED_AT_ONCE:
            case = case_of(batch, at_bench=self.unit, alone=True)
        number = (batch.plans.aggregate(last=Max("number"))["last"] or 0) + 1
        row = PlanRow(
            batch=batch,
            number=number,
            case=case.model_dump(mode="json"),
            cause=f"{self.unit.tag}: {self.what}"[:200],
            state=PlanState.APPROVED,
            by=self.by,
            approved_by=self.by,
            approved_at=timezone.now(),
        )
        try:
            plan = solved(case, quick=True)
            require_sound(case, plan)
        except SortisError as refusal:
            row.state, row.refusal = PlanState.REFUSED, refusal.sentence[:600]
            row.save()
            return None, row
        row.plan = plan.model_dump(mode="json")
        row.save()
        found = [outcome for outcome in plan.outcomes if outcome.tag == self.unit.tag]
        return (found[0] if found else None), row

    def _other_work(self, outcome: UnitOutcome, plan: PlanRow) -> WorkOrderRow:
        """Go on with what now brings the unit furthest, with parts that are here."""
        yields = Counter(action.takes_out for action in outcome.actions if action.takes_out)
        lost = let_waiters_go(self.unit, yields)
        order = self._next_order(outcome, plan, shelve=False)
        rows = {row.key: row for row in PartKindRow.objects.filter(key__in=self.kinds)}
        for part in _parts(plan, self.unit.tag):
            try:
                lot = promise(source_of(part.source_key).id)
            except StaleVersion as gone:
                raise StaleVersion(
                    f"The {rows[part.kind].label} it needs was promised elsewhere this "
                    "very moment. Nothing was changed; say it once more."
                ) from gone
            Reservation.objects.create(order=order, place=part.place, kind=rows[part.kind], lot=lot)
        standard = next(s.name for s in newest_standards() if s.key == outcome.standard)
        return self._note(
            order,
            Advice.CHANGE,
            f"{_actions_words(self, outcome)} It then reaches {standard} and leaves "
            f"{money(outcome.contribution_cents, self.unit.batch.currency)}."
            f"{_planned_again(lost)}",
        )

    def _close_up(self, outcome: UnitOutcome | None, plan: PlanRow) -> WorkOrderRow:
        """No way from what is here: put it together and let the whole batch be planned."""
        lost = let_waiters_go(self.unit, Counter())
        held = UnitOutcome(
            tag=self.unit.tag,
            group=0,
            outcome=OutcomeKind.HOLD,
            standard="",
            actions=(),
            minutes=0.0,
            price_cents=0,
            parts_cents=0,
            gives_cents=0,
            labour_cents=0,
            fees_cents=0,
            contribution_cents=0,
            reason=f"{self.what} at the bench.",
        )
        best = plan.refusal
        if outcome:
            best = BEST_NOW[outcome.outcome]
        if not self.begun.opened:
            self.unit.stage = Stage.DECIDE
            self.unit.save()
            return self._note(
                self.order,
                Advice.STOP,
                f"{best} It waits under Decide.{_planned_again(lost)}",
            )
        order = self._next_order(held, plan, shelve=True)
        return self._note(
            order,
            Advice.STOP,
            f"{best} Close it so that no screw is lost, or leave it open; it waits under Decide."
            f"{_planned_again(lost)}",
        )

    def _next_order(self, outcome: UnitOutcome, plan: PlanRow, *, shelve: bool) -> WorkOrderRow:
        work = plan_work(
            self.sheet,
            self.now,
            outcome.actions,
            self.kinds,
            self.policy,
            pace=pace_of(self.sheet.key),
            begun=self.begun,
            shelve=shelve,
        )
        row = write_outcome(self.unit, plan.pk, outcome, self.by)
        order = WorkOrderRow(
            unit=self.unit,
            outcome=row,
            document=work.model_dump(mode="json"),
            then=Stage.DECIDE if shelve else Stage.RELEASE,
            version=next_version(self.unit),
        )
        order.save()
        clock.start(order, self.by)
        order.save()
        return order

    def _note(self, order: WorkOrderRow, advice: Advice, sentence: str) -> WorkOrderRow:
        """Write the surprise down where the technician goes on, and in the log."""
        SurpriseRow.objects.create(
            order=order,
            step=self.at,
            kind=self.said.kind,
            place=self.said.place,
            entry=self.said.entry,
            words=self.said.words[:400],
            advice=advice,
            sentence=f"{self.what[0].upper()}{self.what[1:]}. {sentence}"[:600],
            by=self.by,
        )
        clock.note(self.order, LogWhat.SURPRISE, self.by)
        if order.pk == self.order.pk and advice is Advice.GO_ON:
            order.version += 1
            order.save()
        return order


def _parts(plan: PlanRow, tag: str) -> list[Allocation]:
    found = read_document(Plan, plan.plan)
    return [part for part in found.allocations if part.tag == tag]


def _on_hand(outcome: UnitOutcome, plan: PlanRow) -> bool:
    """Whether every part it needs lies in the store now."""
    return all(
        part.source == "lot" and source_of(part.source_key).kind is SourceKind.LOT
        for part in _parts(plan, outcome.tag)
    )


def _planned_again(tags: list[str]) -> str:
    if not tags:
        return ""
    verb = "waited for a part of it and is" if len(tags) == 1 else "waited for parts of it and are"
    return f" {listed(tags)} {verb} planned again."


def _actions_words(answer: _Answer, outcome: UnitOutcome) -> str:
    said = [action_words(answer.sheet, action, answer.kinds) for action in outcome.actions]
    return f"Go on with: {listed(said)}." if said else "Nothing more to fit: close it."


def leave_open(tag: str, version: int, by: Person) -> WorkOrderRow:
    """End a closing order as it is: the unit is set aside open, and its next order goes on there.

    :raises SurpriseRefused: where the order does more than close.
    """
    with transaction.atomic():
        unit, order, work = locked(tag, version)
        in_hand(order, by)
        if order.then != Stage.DECIDE:
            raise SurpriseRefused(f"The order of {tag} is not only closing it. Go on, or press !.")
        set_aside(unit, order, work, "left open", by)
        unit.stage = Stage.DECIDE
        unit.save()
        return order
