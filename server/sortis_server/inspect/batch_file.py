"""A batch with all its units and findings as one document (docs/formats.md, Batch file)."""

from datetime import date
from typing import Literal

from django.db import transaction
from pydantic import Field, ValidationError

from sortis_core.base import Record, SortisError
from sortis_core.codes import bare_tag, is_tag
from sortis_core.documents import DocumentRefused, read_document
from sortis_core.findings import Findings
from sortis_core.intake.manifest.verdicts import normal_form
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import sheet_faults
from sortis_core.stages import after_inspection
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import make_batch
from sortis_server.inspect.findings import newest_findings
from sortis_server.inspect.services import assess_unit, note_hazards, save_findings
from sortis_server.people.models import Person
from sortis_server.sheets.services import add_sheet, newest_sheets, sheet_version
from sortis_server.workshop.services import workshop
from sortis_server.workshop.tags import locked_series, next_tag

MOST_UNITS = 20_000


class BatchFileRefused(SortisError):
    """The document is no batch, or cannot be taken in here."""

    title = "The batch was not taken in"


class FiledUnit(Record):
    """One unit of a batch file."""

    tag: str = Field(max_length=12)
    serial: str = Field(min_length=1, max_length=200)
    notes: str = Field(default="", max_length=200)
    comes_with: str = Field(default="", max_length=200)
    sheet: str = Field(max_length=60)
    findings: Findings | None = None
    """What was last found; None where nobody looked yet."""


class BatchFile(Record):
    """A batch as it leaves one workshop and comes to another."""

    format: Literal["sortis-batch-4"] = "sortis-batch-4"
    name: str = Field(min_length=1, max_length=80)
    source: str = Field(max_length=120)
    arrived_on: date
    due_on: date
    currency: str
    money_cents: int = Field(ge=0, le=1_000_000_000)
    bench_minutes: int = Field(ge=0, le=10_000_000)
    sheets: tuple[ModelSheet, ...] = ()
    """Of the models in it, as they were read by."""
    units: tuple[FiledUnit, ...] = Field(max_length=MOST_UNITS)


class Taken(Record):
    """What taking a batch in did."""

    batch: str
    """Its address here."""
    units: int
    same: bool = False
    """It is here already, with the same units and findings; nothing was changed."""
    words: tuple[str, ...] = ()
    """What is otherwise than in the file, and why."""


def batch_file(batch: Batch) -> BatchFile:
    """A batch with everything that was found on its units."""
    units = list(batch.units.order_by("position"))
    findings = newest_findings(units)
    sheets = {(unit.sheet_key, unit.sheet_version) for unit in units}
    newest = {key: max(v for k, v in sheets if k == key) for key, _ in sheets}
    return BatchFile(
        name=batch.name,
        source=batch.source,
        arrived_on=batch.arrived_on,
        due_on=batch.due_on,
        currency=batch.currency,
        money_cents=batch.money_cents,
        bench_minutes=batch.bench_minutes,
        sheets=tuple(sheet_version(key, newest[key]) for key in sorted(newest)),
        units=tuple(
            FiledUnit(
                tag=unit.tag,
                serial=unit.serial,
                notes="; ".join(said for said in (unit.back_for, unit.notes) if said)[:200],
                comes_with=unit.comes_with,
                sheet=unit.sheet_key,
                findings=findings.get(unit.pk),
            )
            for unit in units
        ),
    )


def read_batch_file(document: object) -> BatchFile:
    """A batch file.

    :raises BatchFileRefused: with the first thing that is wrong.
    """
    if not isinstance(document, dict) or document.get("format") != "sortis-batch-4":
        raise BatchFileRefused("This is no batch file of this Sortis (format sortis-batch-4).")
    try:
        given = read_document(BatchFile, document)
    except (ValidationError, DocumentRefused) as error:
        said = getattr(error, "sentence", "")
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            said = f"{' › '.join(map(str, first['loc']))}: {first['msg']}"
        raise BatchFileRefused(said) from error
    if strange := [unit.tag for unit in given.units if unit.tag and not is_tag(unit.tag)]:
        raise BatchFileRefused(f"{strange[0]} is no tag: it would have to look like AB-0412.")
    serials = [normal_form(unit.serial) for unit in given.units]
    if len(set(serials)) < len(serials):
        raise BatchFileRefused("A serial number stands twice in it.")
    for sheet in given.sheets:
        if faults := sheet_faults(sheet.model_dump(mode="json")):
            raise BatchFileRefused(f"Sheet {sheet.name}: {faults[0].sentence}")
    return given


def take_batch_file(given: BatchFile, by: Person) -> Taken:
    """Take a batch in, all or nothing, with what was found on its units.

    :raises BatchFileRefused: where its money is another, or a model has no sheet.
    """
    if given.currency != workshop().currency:
        raise BatchFileRefused(
            f"The batch is reckoned in {given.currency}, this workshop in {workshop().currency}. "
            "Its money would mean something else here."
        )
    for known in Batch.objects.filter(name=given.name):
        if _same(batch_file(known), given):
            return Taken(batch=known.slug, units=len(given.units), same=True)
    with transaction.atomic():
        return _taken(given, by)


def _same(one: BatchFile, other: BatchFile) -> bool:
    return _what_is_in(one) == _what_is_in(other)


def _what_is_in(batch: BatchFile) -> dict[str, tuple[str, Findings | None]]:
    return {
        unit.serial: (
            unit.sheet,
            unit.findings and unit.findings.model_copy(update={"origins": {}}),
        )
        for unit in batch.units
    }


def _taken(given: BatchFile, by: Person) -> Taken:
    words: list[str] = []
    here = newest_sheets()
    brought = {sheet.key: sheet for sheet in given.sheets}
    for key in sorted({unit.sheet for unit in given.units}):
        if key in here:
            continue
        if key not in brought:
            raise BatchFileRefused(f"There is no sheet {key} here, and the file brings none.")
        add_sheet(brought[key].model_copy(update={"version": 1}), by, "with a batch file")
        words.append(f"The sheet of {brought[key].name} came along.")
    sheets = newest_sheets()
    name, number = given.name, 2
    while Batch.objects.filter(name=name).exists():
        name, number = f"{given.name} {number}", number + 1
    batch = make_batch(
        name,
        given.source,
        given.arrived_on,
        given.due_on,
        given.money_cents,
        given.bench_minutes,
    )
    series = locked_series()
    taken_tags = set(map(bare_tag, Unit.objects.values_list("tag", flat=True)))
    for position, filed in enumerate(given.units, start=1):
        tag = filed.tag
        if not tag or bare_tag(tag) in taken_tags:
            tag = next_tag(series, taken_tags)
            if filed.tag:
                words.append(f"{filed.tag} is on another unit here; it is {tag} now.")
        taken_tags.add(bare_tag(tag))
        unit = Unit.objects.create(
            tag=tag,
            batch=batch,
            serial=filed.serial,
            notes=filed.notes,
            comes_with=filed.comes_with,
            sheet_key=filed.sheet,
            sheet_version=sheets[filed.sheet].version,
            position=position,
        )
        if filed.findings is not None:
            if filed.findings.sheet != filed.sheet:
                raise BatchFileRefused(f"{filed.tag} was found as another model than it is.")
            # Where parts came from was recorded elsewhere: every drive counts as found.
            findings = filed.findings.model_copy(update={"origins": {}})
            save_findings(unit, findings, by, "batch file")
            note_hazards(unit, findings, by)
            unit.stage = after_inspection(assess_unit(unit, findings), enough=False)
            unit.save()
    series.save()
    return Taken(batch=batch.slug, units=len(given.units), words=tuple(words))
