"""Batches: make them, find their units, say what waits where."""

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from django.db.models import Count, Q, QuerySet
from django.utils import timezone
from django.utils.text import slugify

from sortis_core.base import SortisError
from sortis_core.stages import WAITING
from sortis_server.arrive.models import Batch, Unit
from sortis_server.problems import NotThere
from sortis_server.workshop.services import workshop
from sortis_server.workshop.tags import spellings

PAGES = frozenset(
    (
        "alive",
        "api",
        "assets",
        "dangers",
        "day",
        "join",
        "p",
        "sheets",
        "shelf",
        "sign-in",
        "start",
        "static",
        "stock",
        "unit",
        "workshop",
    )
)
"""First parts of the application's own addresses; no batch takes one."""


class BatchRefused(SortisError):
    """The batch cannot be made as asked."""

    title = "The batch was not made"


def batch_called(slug: str) -> Batch:
    """The batch of this address.

    :raises NotThere: where there is none.
    """
    batch = Batch.objects.filter(slug=slug).first()
    if batch is None:
        raise NotThere(f"There is no batch {slug}. Open the list of batches and choose one.")
    return batch


def unit_tagged(tag: str) -> Unit:
    """The unit with this tag, however it was typed (``tw412``, ``TW-0412``).

    :raises NotThere: where no unit carries it.
    """
    meant = spellings(tag)
    unit = _first_tagged(Unit.objects.select_related("batch"), meant)
    if unit is None:
        raise NotThere(f"No unit carries the tag {meant[0]}. Check the label, or take it in first.")
    return unit


def _first_tagged(units: QuerySet[Unit], meant: Sequence[str]) -> Unit | None:
    """Which of the units is meant, the likeliest tag first."""
    found = {unit.tag: unit for unit in units.filter(tag__in=meant)}
    return next((found[tag] for tag in meant if tag in found), None)


BUYERS_PAGE = re.compile(r"https?://[^\s/?#]+/p/([A-Za-z0-9_-]{16,40})")


def unit_coded(code: str) -> Unit | None:
    """The unit that carries the code as its tag, or as its serial number where only one does.

    The code of a released unit may be the address of its buyer's page.

    :raises NotThere: where several carry it as their serial number.
    """
    units = Unit.objects.select_related("batch")
    if page := BUYERS_PAGE.fullmatch(code):
        return units.filter(releases__public_key=page[1]).first()
    by_serial = units.filter(serial__iexact=code)[:3]
    by_tag = _first_tagged(units, spellings(code))
    found = list(by_serial)
    # What is not written as the tag is stands on a maker's label, where there is such a label.
    if by_tag and (not found or by_tag.tag == code.upper()):
        return by_tag
    if len(found) > 1:
        tags = ", ".join(unit.tag for unit in found)
        raise NotThere(f"{code} is the serial number of several units: {tags}. Scan the tag.")
    return found[0] if found else None


def make_batch(
    name: str,
    source: str,
    arrived_on: date,
    due_on: date,
    money_cents: int,
    bench_minutes: int,
) -> Batch:
    """Make an empty batch.

    :raises BatchRefused: where the name is blank or taken, or the days are the wrong way round.
    """
    slug = slugify(name, allow_unicode=True)[:60].strip("-_")
    if not slug:
        raise BatchRefused("A batch needs a name with at least one letter or figure.")
    if slug in PAGES:
        slug = f"{slug}-batch"
    if Batch.objects.filter(slug=slug).exists():
        raise BatchRefused(f"There is a batch named like “{name}” already. Choose another name.")
    if due_on < arrived_on:
        raise BatchRefused("The due day lies before the day of arrival. Correct one of them.")
    return Batch.objects.create(
        slug=slug,
        name=name,
        source=source,
        arrived_on=arrived_on,
        due_on=due_on,
        money_cents=money_cents,
        bench_minutes=bench_minutes,
        currency=workshop().currency,
        policy=workshop().policy.model_dump(mode="json"),
    )


def change_batch(
    batch: Batch,
    name: str,
    source: str,
    arrived_on: date,
    due_on: date,
    money_cents: int,
    bench_minutes: int,
) -> Batch:
    """Change what a batch was made from; its address stays.

    :raises BatchRefused: where the name is blank or taken, or the days are the wrong way round.
    """
    if not slugify(name, allow_unicode=True).strip("-_"):
        raise BatchRefused("A batch needs a name with at least one letter or figure.")
    if Batch.objects.filter(name__iexact=name.strip()).exclude(pk=batch.pk).exists():
        raise BatchRefused(f"There is a batch named “{name}” already. Choose another name.")
    if due_on < arrived_on:
        raise BatchRefused("The due day lies before the day of arrival. Correct one of them.")
    batch.name, batch.source = name.strip(), source.strip()
    batch.arrived_on, batch.due_on = arrived_on, due_on
    batch.money_cents, batch.bench_minutes = money_cents, bench_minutes
    batch.save()
    return batch


class BatchCounts(NamedTuple):
    """How many units of a batch wait where."""

    stages: dict[str, int]
    """Of each stage that units wait in, ``blocked`` ones among them, and ``done``."""
    units: int
    models: int


def counts_of(batches: Sequence[Batch]) -> dict[int, BatchCounts]:
    """Batch id -> its counts, in two queries however many batches there are; loads no unit."""
    units = Unit.objects.filter(batch__in=batches).order_by()
    by_stage: dict[int, Counter[str]] = defaultdict(Counter)
    blocked: Counter[int] = Counter()
    rows = units.values_list("batch_id", "stage", "blocked").annotate(n=Count("pk"))
    for batch, stage, is_blocked, count in rows:
        by_stage[batch][stage.value] += count
        blocked[batch] += count if is_blocked else 0
    models = dict(
        units.values("batch_id")
        .annotate(n=Count("sheet_key", distinct=True))
        .values_list("batch_id", "n")
    )
    return {
        batch.pk: _counts(by_stage[batch.pk], blocked[batch.pk], models.get(batch.pk, 0))
        for batch in batches
    }


def _counts(found: Counter[str], blocked: int, models: int) -> BatchCounts:
    waiting = {stage.value: found[stage.value] for stage in WAITING}
    done = found.total() - sum(waiting.values())
    stages = {**waiting, "done": done, "blocked": blocked}
    return BatchCounts(stages=stages, units=found.total(), models=models)


def search_batches(words: str, *, closed: bool) -> QuerySet[Batch]:
    """Open or closed batches whose name or source holds all the words, the one due first on top."""
    rows = Batch.objects.filter(closed_at__isnull=not closed)
    for word in words.split():
        rows = rows.filter(Q(name__icontains=word) | Q(source__icontains=word))
    return rows.order_by("-closed_at" if closed else "due_on", "name", "pk")


def close_batch(batch: Batch, *, closed: bool) -> Batch:
    """Lay a batch aside once nothing of it waits, or open it again.

    :raises BatchRefused: while units wait somewhere.
    """
    stages = counts_of([batch])[batch.pk].stages
    waiting = sum(stages[stage.value] for stage in WAITING)
    if closed and waiting:
        raise BatchRefused(
            f"{waiting} units of {batch.name} still wait. A batch is closed when all are released, "
            "parted out or recycled."
        )
    batch.closed_at = timezone.now() if closed else None
    batch.save(update_fields=["closed_at"])
    return batch
