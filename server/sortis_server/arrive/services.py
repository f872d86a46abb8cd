"""Batches: make them, take a manifest in, count units in, say what waits where."""

import difflib
import re
from collections import Counter
from datetime import date

from django.db import transaction

from sortis_core.base import SortisError, listed
from sortis_core.intake.manifest import ManifestRow, read_manifest, refused_lines
from sortis_core.sheets import ModelSheet
from sortis_core.stages import WAITING, Stage
from sortis_core.standards import Policy
from sortis_server.arrive.models import Batch, TagSeries, Unit
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets

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


def unit_tagged(tag: str) -> Unit:
    """The unit with this tag, however it was typed (``tw412``, ``TW-0412``).

    :raises NotThere: where no unit carries it.
    """
    typed = tag.strip().upper()
    if match := re.fullmatch(r"([A-Z]{0,4})\s*-?\s*0*(\d+)", typed):
        typed = f"{match[1] or TAG_PREFIX}-{int(match[2]):04d}"
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


def _sheet_for(row: ManifestRow, by_name: dict[str, ModelSheet]) -> ModelSheet | str:
    """The sheet the row names, or the reason why there is none."""
    wanted = f"{row.maker} {row.model}".lower()
    if wanted in by_name:
        return by_name[wanted]
    near = difflib.get_close_matches(wanted, by_name, n=1, cutoff=0.6)
    known = (
        f"did you mean {by_name[near[0]].name}?"
        if near
        else ("known are " + listed([sheet.name for sheet in by_name.values()]))
    )
    return f"no model sheet for {row.maker} {row.model}; {known}"


def read_for(batch: Batch, data: bytes) -> list[tuple[ManifestRow, ModelSheet]]:
    """Read a manifest for a batch without keeping anything.

    :raises ManifestRefused: with every faulty line, also those whose model has no sheet.
    """
    taken = frozenset(Unit.objects.values_list("tag", flat=True))
    rows = read_manifest(data, taken)
    by_name = {sheet.name.lower(): sheet for sheet in newest_sheets().values()}
    serials = set(batch.units.values_list("serial", flat=True))
    found: list[tuple[ManifestRow, ModelSheet]] = []
    faults: list[tuple[int, str]] = []
    for row in rows:
        sheet = _sheet_for(row, by_name)
        if isinstance(sheet, str):
            faults.append((row.line, sheet))
        elif row.serial in serials:
            faults.append((row.line, f"serial {row.serial} is in this batch already"))
        else:
            found.append((row, sheet))
    if faults:
        raise refused_lines(faults)
    return found


def take_in(batch: Batch, data: bytes) -> list[Unit]:
    """Take a manifest in: all its units or none; blank tags are given the next numbers."""
    with transaction.atomic():
        series = TagSeries.objects.select_for_update().get_or_create(
            prefix=TAG_PREFIX, defaults={"next_number": 1}
        )[0]
        read = read_for(batch, data)
        taken = set(Unit.objects.values_list("tag", flat=True)) | {row.tag for row, _ in read}
        position = batch.units.count()
        units: list[Unit] = []
        for row, sheet in read:
            tag = row.tag
            while not tag or (tag in taken and tag != row.tag):
                tag = f"{TAG_PREFIX}-{series.next_number:04d}"
                series.next_number += 1
            taken.add(tag)
            position += 1
            units.append(
                Unit(
                    tag=tag,
                    batch=batch,
                    serial=row.serial,
                    notes=row.notes,
                    sheet_key=sheet.key,
                    sheet_version=sheet.version,
                    position=position,
                )
            )
        series.save()
        Unit.objects.bulk_create(units)
    return units


def count_in(batch: Batch, tags: list[str] | None) -> int:
    """Units that were seen wait to be inspected; ``None`` counts in all that were announced."""
    waiting = batch.units.filter(stage=Stage.ARRIVE)
    if tags is not None:
        waiting = waiting.filter(tag__in=tags)
    return waiting.update(stage=Stage.INSPECT)


def stage_counts(batch: Batch) -> dict[str, int]:
    """Units waiting in each stage, ``blocked`` ones among them, and ``done``."""
    counts: Counter[str] = Counter(batch.units.values_list("stage", flat=True))
    waiting = {str(stage): counts[stage] for stage in WAITING}
    done = sum(counts.values()) - sum(waiting.values())
    return {**waiting, "done": done, "blocked": batch.units.filter(blocked=True).count()}
