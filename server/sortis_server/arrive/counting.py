"""Counting units in at the door: what was announced against what is scanned."""

from django.db import transaction
from django.db.models import Q

from sortis_core.base import SortisError
from sortis_core.intake.count import (
    Announced,
    ComesAlong,
    CountVerdict,
    ScanVerdict,
    judge_scan,
    plain_code,
)
from sortis_core.intake.manifest import RowState, RowVerdict
from sortis_core.stages import Stage
from sortis_server.arrive.manifests import waiting_imports, write_units
from sortis_server.arrive.models import Batch, ExtraCount, ScanNote, Unit
from sortis_server.arrive.seen import count_in
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets, sheet_version
from sortis_server.workshop.tags import locked_series, spellings

NOTED = (CountVerdict.SURPLUS, CountVerdict.ELSEWHERE, CountVerdict.SWAPPED)


class CountRefused(SortisError):
    """The count cannot go on as asked."""

    title = "The count stays as it is"


def scan(batch: Batch, code: str, before: str, by: Person) -> ScanVerdict:
    """One scan at the door: counts the unit in, or notes what does not match."""
    tags, serial = spellings(code), plain_code(code)
    # Only the units the codes can mean are looked at: a pallet may hold ten thousand.
    meant = Q(tag__in=tags) | Q(serial__iexact=serial) | Q(serial__iexact=code)
    announced = tuple(
        Announced(
            tag=unit.tag,
            serial=unit.serial,
            model=sheet_version(unit.sheet_key, unit.sheet_version).name,
            counted=unit.stage != Stage.ARRIVE,
        )
        for unit in batch.units.filter(meant | Q(tag=before))
    )
    if not any(plain_code(unit.serial) == serial for unit in announced):
        code = next((tag for tag in tags if any(unit.tag == tag for unit in announced)), code)
    other = Unit.objects.exclude(batch=batch).select_related("batch").filter(meant).first()
    elsewhere = other.batch.name if other else ""
    here = {plain_code(own) for unit in announced for own in (unit.tag, unit.serial)}
    row = "" if elsewhere or plain_code(code) in here else _row_to_mend(batch, {*tags, serial})
    said = judge_scan(code, announced, before, elsewhere, row)
    if said.verdict is CountVerdict.SEEN:
        count_in(batch, [said.tag])
    elif said.verdict in NOTED:
        if not batch.scan_notes.filter(code=code, verdict=said.verdict, settled="").exists():
            ScanNote.objects.create(batch=batch, by=by, **said.model_dump())
    return said


def _row_to_mend(batch: Batch, codes: set[str]) -> str:
    """Where one of these tags and serial numbers stands among rows that were set aside, in words.

    Empty where none does.
    """
    for waiting in waiting_imports(batch):
        for row in map(RowVerdict.model_validate, waiting.verdicts):
            if row.state is RowState.LEFT_OUT:
                continue
            if codes & {plain_code(row.tag), plain_code(row.serial)} - {""}:
                return f"line {row.line} of {waiting.name}"
    return ""


def open_note(batch: Batch, number: int) -> ScanNote:
    """A note of the count nobody settled yet, locked: two people settle it once.

    :raises NotThere: where there is none.
    """
    note = batch.scan_notes.select_for_update().filter(pk=number, settled="").first()
    if note is None:
        raise NotThere("That was settled already.")
    return note


def swap_labels(batch: Batch, number: int) -> None:
    """The labels were put on each other's unit: their serial numbers change places."""
    with transaction.atomic():
        note = open_note(batch, number)
        if note.verdict is not CountVerdict.SWAPPED:
            raise CountRefused("Only swapped labels can be put right this way.")
        units = {
            u.tag: u for u in batch.units.select_for_update().filter(tag__in=[note.tag, note.other])
        }
        first, second = units[note.tag], units[note.other]
        if first.inspection_number or second.inspection_number:
            raise CountRefused(
                "One of them is inspected already. Swap the printed labels on the machines instead."
            )
        one, other = first.serial, second.serial
        keys = ("sheet_key", "sheet_version", "notes", "comes_with")
        for key in keys:
            mine, theirs = getattr(first, key), getattr(second, key)
            setattr(first, key, theirs)
            setattr(second, key, mine)
        # A serial number stands once in a batch, also for a moment.
        first.serial = f"{one}…"
        first.save()
        second.serial = one
        second.save()
        first.serial = other
        first.save()
        count_in(batch, [note.tag])
        note.settled = f"{note.tag} now has serial {other}, {note.other} has {one}"
        note.save()


@transaction.atomic
def next_unit(batch: Batch, number: int) -> str:
    """The labels are right: the serial number scanned was simply that of the next unit."""
    note = open_note(batch, number)
    if note.verdict is not CountVerdict.SWAPPED:
        raise CountRefused("Only a doubt about labels can be settled this way.")
    count_in(batch, [note.other])
    note.settled = f"{note.other} was the next unit"
    note.save()
    return note.other


def take_surplus(batch: Batch, number: int, sheet: str) -> Unit:
    """Take a unit in that nobody announced."""
    sheets = newest_sheets()
    if sheet not in sheets:
        raise NotThere(f"There is no sheet {sheet}. Choose one, or begin a new sheet.")
    with transaction.atomic():
        note = open_note(batch, number)
        if note.verdict is not CountVerdict.SURPLUS:
            raise CountRefused("Only a surplus unit can be taken in this way.")
        row = RowVerdict(
            line=0,
            state=RowState.OK,
            sentence="",
            tag="",
            serial=note.code,
            name=sheets[sheet].name,
            sheet=sheet,
            model=sheets[sheet].name,
            notes="surplus at the count",
            comes_with="",
        )
        unit = write_units(batch, [row], locked_series(), lambda done: True)[0]
        count_in(batch, [unit.tag])
        note.settled = f"taken in as {unit.tag}"
        note.save()
        return unit


@transaction.atomic
def set_aside(batch: Batch, number: int) -> None:
    """It does not belong here and was put away."""
    note = open_note(batch, number)
    note.settled = "set aside"
    note.save()


def count_extra(batch: Batch, kind: ComesAlong, seen: int) -> None:
    """How many adapters, docks or loose packs were counted along."""
    ExtraCount.objects.update_or_create(batch=batch, kind=kind, defaults={"seen": seen})
