"""Standards and their prices: saved as new versions, with what they would change before."""

from collections.abc import Sequence

from pydantic import ValidationError

from sortis_core.base import Record, SortisError
from sortis_core.plan import Case, NothingToPlan, WishesClash
from sortis_core.plan.explain import end_words
from sortis_core.standards import Standard
from sortis_core.vocabulary.states import PlanState
from sortis_server.arrive.models import Batch
from sortis_server.decide.cases import case_of
from sortis_server.decide.services import SOLVED_AT_ONCE, solved
from sortis_server.people.models import Person
from sortis_server.versions import add_version
from sortis_server.workshop.models import StandardVersion
from sortis_server.workshop.services import newest_standards

MOST_TRIED = 12
"""So many open batches are planned again to see what a change would do."""


class StandardRefused(SortisError):
    """The standard cannot be kept so."""

    title = "The standard was not kept"


class ChangedUnit(Record):
    """A unit that would end otherwise."""

    tag: str
    model: str
    was: str
    now: str


class BatchEffect(Record):
    """What a change of standards would do to one open batch."""

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


def read_standard(document: dict) -> Standard:
    """A standard as somebody wrote it.

    :raises StandardRefused: with the first thing that is wrong.
    """
    try:
        return Standard.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = " › ".join(str(step).replace("_", " ") for step in first["loc"]) or "the standard"
        raise StandardRefused(f"{where}: {first['msg'].removeprefix('Value error, ')}") from error


def require_own_name(standard: Standard) -> None:
    """Two standards are told apart by their names.

    :raises StandardRefused: where another is called so.
    """
    for other in newest_standards():
        if other.key != standard.key and other.name.casefold() == standard.name.casefold():
            raise StandardRefused(f"There is a standard called {other.name} already.")


def save_standard(document: dict, started_from: int, words: str, by: Person) -> Standard:
    """Keep the next version of a standard.

    :raises StandardRefused: where it is none, or takes another's name.
    :raises StaleVersion: where somebody else saved since.
    """
    standard = read_standard(document)
    require_own_name(standard)
    return add_version(
        StandardVersion,
        standard.key,
        standard,
        started_from=started_from,
        name=standard.name,
        by=by,
        words=words,
    )


def effect_of(changed: Sequence[Standard]) -> list[BatchEffect]:
    """Which units of open batches would end otherwise under changed standards."""
    by_key = {standard.key: standard for standard in newest_standards()}
    by_key |= {standard.key: standard for standard in changed}
    wanted = tuple(one for _, one in sorted(by_key.items()) if not one.retired)
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
        found.append(_effect_on(case_of(batch), wanted, told))
    return found


def _effect_on(case: Case, standards: tuple[Standard, ...], told: dict) -> BatchEffect:
    try:
        other = Case.model_validate(case.model_dump() | {"standards": standards})
        was, now = solved(case, quick=False), solved(other, quick=False)
    except (ValidationError, WishesClash, NothingToPlan) as refusal:
        said = getattr(refusal, "sentence", "Orders or pins name a standard that would be gone.")
        return BatchEffect(**told, untried=said)
    names = {s.key: s.name for s in (*case.standards, *standards)}
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
