"""Units that were seen at the door."""

from collections.abc import Iterable
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from sortis_core.intake.count import CountVerdict, plain_code
from sortis_core.stages import Stage
from sortis_core.takeback import COUNT_MINUTES
from sortis_server.arrive.models import Batch, Unit


def count_in(batch: Batch, tags: list[str] | None) -> list[str]:
    """Units that were seen wait to be inspected; ``None`` counts in all that were announced.

    :returns: the tags of those that were counted in by this.
    """
    with transaction.atomic():
        waiting = batch.units.select_for_update().filter(stage=Stage.ARRIVE)
        if tags is not None:
            waiting = waiting.filter(tag__in=tags)
        counted = list(waiting.order_by("position").values_list("tag", flat=True))
        batch.units.filter(tag__in=counted).update(stage=Stage.INSPECT, counted_at=timezone.now())
    return counted


def count_back(batch: Batch, tags: list[str]) -> int:
    """Units that were counted in by mistake a moment ago are only announced again.

    What somebody looked at meanwhile stays counted in.

    :returns: how many went back.
    """
    since = timezone.now() - timedelta(minutes=COUNT_MINUTES)
    back = batch.units.filter(
        tag__in=tags, stage=Stage.INSPECT, inspection_number=0, blocked=False, counted_at__gte=since
    )
    return back.update(stage=Stage.ARRIVE, counted_at=None)


@transaction.atomic
def count_in_surplus(batch: Batch, units: Iterable[Unit]) -> None:
    """Of units that are announced now, those that were scanned as surplus before were seen.

    Their notes are settled; whatever somebody set aside meanwhile stays so.
    """
    tags = {plain_code(code): unit.tag for unit in units for code in (unit.tag, unit.serial)}
    open_notes = batch.scan_notes.select_for_update()
    for note in open_notes.filter(verdict=CountVerdict.SURPLUS, settled=""):
        if tag := tags.get(plain_code(note.code)):
            count_in(batch, [tag])
            note.settled = f"announced since as {tag}, counted in"
            note.save()
