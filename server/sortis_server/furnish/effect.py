"""What a change of standards, prices or schools would do to the open batches, before it is kept."""

from collections.abc import Callable, Sequence

from pydantic import ValidationError

from sortis_core.base import Record
from sortis_core.plan import Case, NothingToPlan, WishesClash
from sortis_core.plan.explain import end_words
from sortis_core.policy import Policy
from sortis_core.standards import Standard
from sortis_core.vocabulary.states import PlanState
from sortis_server.arrive.models import Batch
from sortis_server.decide.cases import case_of
from sortis_server.decide.services import SOLVED_AT_ONCE, solved
from sortis_server.workshop.services import newest_standards, workshop

MOST_TRIED = 12
"""So many open batches are planned again to see what a change would do."""


class ChangedUnit(Record):
    """A unit that would end otherwise."""

    tag: str
    model: str
    was: str
    now: str


class BatchEffect(Record):
    """What a change would do to one open batch."""

    batch: str
    name: str
    units: int
    changed: tuple[ChangedUnit, ...] = ()
    contribution_cents: int = 0
    """Difference of what it is expected to leave."""
    ready: int = 0
    """Difference of units ready."""
    untried: str = ""
    """Why it was not tried."""


def effect_of_standards(changed: Sequence[Standard]) -> list[BatchEffect]:
    """Which units of open batches would end otherwise under changed standards."""
    by_key = {standard.key: standard for standard in newest_standards()}
    by_key |= {standard.key: standard for standard in changed}
    wanted = tuple(one for _, one in sorted(by_key.items()) if not one.retired)
    return _effects(lambda case: Case.model_validate(case.model_dump() | {"standards": wanted}))


def effect_of_policy(wanted: Policy) -> list[BatchEffect]:
    """Which units of open batches would end otherwise if what changes of the workshop's schools and
    costs changed there, too; what a batch decides for itself besides stays.
    """
    now = workshop().policy
    changed = {
        name: getattr(wanted, name)
        for name in Policy.model_fields
        if getattr(wanted, name) != getattr(now, name)
    }
    return _effects(
        lambda case: case.model_copy(update={"policy": case.policy.model_copy(update=changed)})
    )


def _effects(change: Callable[[Case], Case]) -> list[BatchEffect]:
    found: list[BatchEffect] = []
    open_batches = Batch.objects.filter(closed_at=None).order_by("due_on", "pk")
    for batch in open_batches:
        waiting = batch.units.filter(stage="decide").count()
        if not waiting:
            continue
        told = {"batch": batch.slug, "name": batch.name, "units": waiting}
        if waiting > SOLVED_AT_ONCE or len(found) >= MOST_TRIED:
            why = f"{waiting} units wait; it is planned again by hand."
            found.append(BatchEffect(**told, untried=why))
            continue
        found.append(_effect_on(case_of(batch), change, told))
    return found


def _effect_on(case: Case, change: Callable[[Case], Case], told: dict) -> BatchEffect:
    try:
        other = change(case)
        was, now = solved(case, quick=False), solved(other, quick=False)
    except (ValidationError, WishesClash, NothingToPlan) as refusal:
        said = getattr(refusal, "sentence", "Orders or pins name a standard that would be gone.")
        return BatchEffect(**told, untried=said)
    names = {s.key: s.name for s in (*case.standards, *other.standards)}
    models = {unit.tag: unit.findings.sheet for unit in case.units}
    sheets = {sheet.key: sheet.name for sheet in case.sheets}
    before = {o.tag: end_words(o.outcome, names.get(o.standard, o.standard)) for o in was.outcomes}
    changed = [
        ChangedUnit(
            tag=o.tag,
            model=sheets[models[o.tag]],
            was=before.get(o.tag, PlanState.TRIED.label),
            now=end_words(o.outcome, names.get(o.standard, o.standard)),
        )
        for o in now.outcomes
        if before.get(o.tag) != end_words(o.outcome, names.get(o.standard, o.standard))
    ]
    return BatchEffect(
        **told,
        changed=tuple(sorted(changed, key=lambda one: one.tag)),
        contribution_cents=now.contribution_cents - was.contribution_cents,
        ready=now.ready - was.ready,
    )
