"""Solve the plan of a batch: at once, or by a worker with progress and a way to stop."""

import hashlib
import time
from collections.abc import Callable
from threading import Lock

from cachetools import LRUCache
from django.db import transaction
from django.db.models import Max
from django_tasks import task

from sortis_core.base import SortisError
from sortis_core.documents import read_document
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.plan.result import Sought
from sortis_core.plan.solve import Watch
from sortis_core.plan.waiting import priced
from sortis_core.plan.whatif import OneMoreFigures, one_found, one_more
from sortis_core.vocabulary.states import PlanState
from sortis_server.arrive.models import Batch
from sortis_server.background.left import gives_up
from sortis_server.decide.cases import Dials, case_of, require_furnished
from sortis_server.decide.models import PlanRow
from sortis_server.people.models import Person
from sortis_server.problems import NotThere

SOLVED_AT_ONCE = 300
"""Batches up to this size are solved while the planner waits, larger ones by a worker."""
KEPT_SKETCHES = 20
TELL_SECONDS = 0.5
REMEMBERED = 6


class PlanRefused(SortisError):
    """The plan cannot be made or approved."""

    title = "There is no plan"


_solved: LRUCache[tuple[str, bool], Plan] = LRUCache(REMEMBERED)
_solved_lock = Lock()


def solved(case: Case, *, quick: bool) -> Plan:
    """The plan of a case; the last few are remembered, a proven one serves for both.

    :raises PlanRefused: where the batch is too large to be solved while somebody waits.
    """
    if len(case.units) > SOLVED_AT_ONCE:
        raise PlanRefused(
            f"{len(case.units)} units are too many to solve while you wait. Press Keep: a worker "
            "solves it, and you see how far it is."
        )
    digest = hashlib.sha256(case.model_dump_json().encode()).hexdigest()
    with _solved_lock:
        known = _solved.get((digest, False)) or _solved.get((digest, quick))
    if known:
        return known
    plan = make_plan(case, quick=quick)
    with _solved_lock:
        _solved[digest, quick] = plan
    return plan


def begin_plan(batch: Batch, by: Person, dials: Dials) -> PlanRow:
    """Save the case and solve it, at once where it is small.

    :raises NothingToPlan: where no unit of the batch can be decided.
    :raises WishesClash: where orders and pins cannot all hold.
    """
    require_furnished(batch)
    case = case_of(batch, dials)
    with transaction.atomic():
        Batch.objects.select_for_update().get(pk=batch.pk)
        if dials.policy is not None:
            # The schools and costs that somebody kept hold for the batch from now on.
            Batch.objects.filter(pk=batch.pk).update(policy=dials.policy.model_dump(mode="json"))
        number = (batch.plans.aggregate(last=Max("number"))["last"] or 0) + 1
        # A plan nobody approved is a sketch; the newest few are kept. One that ever was approved
        # stays for good, also where that was taken back: the story of its units names it.
        sketches = batch.plans.exclude(state=PlanState.APPROVED).filter(
            cause="", outcomes=None, purchase=None, number__lte=number - KEPT_SKETCHES
        )
        PlanRow.objects.filter(pk__in=list(sketches.values_list("pk", flat=True))).delete()
        row = PlanRow.objects.create(
            batch=batch, number=number, case=case.model_dump(mode="json"), by=by
        )
    if len(case.units) > SOLVED_AT_ONCE:
        solve_in_background.enqueue(row.pk)
        return row
    try:
        _finish(row, solved(case, quick=False))
    except SortisError:
        row.delete()
        raise
    return row


@task()
def solve_in_background(plan: int) -> None:
    """Solve a saved plan; run by a worker. Tells its progress, and stops when asked."""
    row = PlanRow.objects.filter(pk=plan, state=PlanState.SOLVING).first()
    if row is None:
        return  # A sketch that newer plans pushed out, or one that was solved to its end before.
    if row.stop_asked:
        row.state, row.refusal = PlanState.REFUSED, "Stopped before it began."
        row.save()
        return
    told = asked = 0.0
    stop = False

    def tell(goal: str, best: float, bound: float) -> None:
        nonlocal told
        if time.monotonic() - told > TELL_SECONDS:
            told = time.monotonic()
            progress = {"goal": goal, "best": best, "bound": bound}
            PlanRow.objects.filter(pk=plan).update(progress=progress)

    def stop_asked() -> bool:
        nonlocal asked, stop
        if time.monotonic() - asked > TELL_SECONDS:
            asked = time.monotonic()
            stop = PlanRow.objects.filter(pk=plan, stop_asked=True).exists()
        return stop

    PlanRow.objects.filter(pk=plan).update(progress={"goal": "finding the ways of every unit"})
    try:
        found = make_plan(read_document(Case, row.case), watch=Watch(tell, stop_asked))
    except SortisError as refusal:
        PlanRow.objects.filter(pk=plan).update(
            state=PlanState.REFUSED, refusal=refusal.sentence[:600]
        )
        return
    row.refresh_from_db()
    _finish(row, found)


@gives_up(solve_in_background)
def _not_solved(plan: int, sentence: str) -> None:
    solving = PlanRow.objects.filter(pk=plan, state=PlanState.SOLVING)
    solving.update(state=PlanState.REFUSED, refusal=sentence)


def _finish(row: PlanRow, plan: Plan) -> None:
    row.plan = plan.model_dump(mode="json")
    row.state = PlanState.SOLVED
    row.save()


def solve_one_more(row: PlanRow, key: str) -> OneMoreFigures:
    """What one more of something is worth, solved, and kept with the plan in place of its estimate.

    :raises PlanRefused: where the batch is too large to be solved while somebody waits.
    """
    case = read_document(Case, row.case)
    if len(case.units) > SOLVED_AT_ONCE:
        raise PlanRefused(
            f"What one more is worth is solved for up to {SOLVED_AT_ONCE} units at once; this "
            f"batch has {len(case.units)}. What stands here is the estimate."
        )
    found = one_more(case, key)

    def written(newest: Plan) -> Plan:
        lines = [
            line.model_copy(update={"worth_cents": _gain(found), "solved": True})
            if line.key == key
            else line
            for line in newest.scarce
        ]
        lines.sort(key=lambda line: (line.measure == "parts", -line.worth_cents))
        return newest.model_copy(update={"scarce": tuple(lines)})

    _write(row, written)
    return found


def solve_sought(case: Case, plan: Plan, kinds: tuple[str, ...], row: PlanRow | None) -> Sought:
    """What may be paid for parts that nobody has, solved.

    :param row: a kept plan, which keeps the figure in place of its estimate.
    :raises NotThere: where nothing of the plan waits for just these.
    """
    line = next((one for one in plan.sought if one.kinds == kinds), None)
    if line is None:
        raise NotThere("Nothing in this plan waits for just these parts. Plan again.")
    gain = _gain(one_found(case, kinds))

    def written(newest: Plan) -> Plan:
        lines = [
            priced(one, gain, newest.currency) if one.kinds == kinds else one
            for one in newest.sought
        ]
        return newest.model_copy(update={"sought": tuple(lines)})

    if row:
        _write(row, written)
    return priced(line, gain, plan.currency)


def _gain(found: OneMoreFigures) -> int:
    return found.then.contribution_cents - found.now.contribution_cents


def _write(row: PlanRow, change: Callable[[Plan], Plan]) -> None:
    """Change a kept plan. Several are solved at once; each writes its own lines."""
    with transaction.atomic():
        kept = PlanRow.objects.select_for_update().filter(pk=row.pk).first()
        if kept is None:
            return  # A sketch that newer plans pushed out meanwhile.
        kept.plan = change(read_document(Plan, kept.plan)).model_dump(mode="json")
        kept.save(update_fields=["plan"])


def ask_to_stop(batch: Batch, number: int) -> PlanRow:
    """Let a plan that a worker solves end soon, proven less closely."""
    row = plan_numbered(batch, number)
    if row.state == PlanState.SOLVING:
        row.stop_asked = True
        row.save(update_fields=["stop_asked"])
    return row


def newest_plan(batch: Batch) -> PlanRow | None:
    """The plan of the whole batch made last."""
    return (
        batch.plans.filter(cause="").select_related("by", "approved_by").order_by("-number").first()
    )


def plan_numbered(batch: Batch, number: int) -> PlanRow:
    """A saved plan.

    :raises NotThere: where there is none of that number.
    """
    row = batch.plans.select_related("by", "approved_by").filter(number=number).first()
    if row is None:
        raise NotThere(
            f"Plan {number} of this batch is not there (any more). The newest {KEPT_SKETCHES} and "
            "all approved ones are kept."
        )
    return row
