"""Batches: make them, find their units, say what waits where."""

import re
from collections import Counter
from datetime import date

from sortis_core.base import SortisError
from sortis_core.policy import Policy
from sortis_core.stages import WAITING
from sortis_server.arrive.models import Batch, Unit
from sortis_server.problems import NotThere

TAG_PREFIX = "TW"


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


def plain_tag(typed: str) -> str:
    """A tag as it is printed, however it was typed (``tw412`` is ``TW-0412``)."""
    text = typed.strip().upper()
    if match := re.fullmatch(r"([A-Z]{0,4})\s*-?\s*0*(\d+)", text):
        return f"{match[1] or TAG_PREFIX}-{int(match[2]):04d}"
    return text


def unit_tagged(tag: str) -> Unit:
    """The unit with this tag, however it was typed (``tw412``, ``TW-0412``).

    :raises NotThere: where no unit carries it.
    """
    typed = plain_tag(tag)
    unit = Unit.objects.select_related("batch").filter(tag=typed).first()
    if unit is None:
        raise NotThere(f"No unit carries the tag {typed}. Check the label, or take it in first.")
    return unit


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
    slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60]
    if not slug:
        raise BatchRefused("A batch needs a name with at least one letter or figure.")
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
        policy=Policy().model_dump(mode="json"),
    )


def stage_counts(batch: Batch) -> dict[str, int]:
    """Units waiting in each stage, ``blocked`` ones among them, and ``done``."""
    counts: Counter[str] = Counter(batch.units.values_list("stage", flat=True))
    waiting = {str(stage): counts[stage] for stage in WAITING}
    done = sum(counts.values()) - sum(waiting.values())
    return {**waiting, "done": done, "blocked": batch.units.filter(blocked=True).count()}
