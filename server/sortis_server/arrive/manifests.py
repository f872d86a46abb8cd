"""Manifests on their way in: read, mapped, every row judged, taken in all or nothing.

Small lists are judged and taken while the receiver waits; large ones by a worker, which tells how
far it is and can be stopped.
"""

from collections import Counter
from collections.abc import Callable
from threading import Thread

from django.db import connection, transaction
from django.db.models import Max
from django_tasks import task

from sortis_core.base import SortisError
from sortis_core.codes import bare_tag
from sortis_core.intake.count import extras_in
from sortis_core.intake.manifest import (
    Field,
    ManifestRefused,
    Mapping,
    RowChecker,
    RowMend,
    RowState,
    RowVerdict,
    Table,
    read_mend,
    refused_lines,
    suggest_mapping,
)
from sortis_core.intake.manifest.mapping import remember
from sortis_core.intake.manifest.table import marked
from sortis_core.intake.models import ModelNames, plain
from sortis_core.vocabulary.states import ImportState
from sortis_server.apart import table_of
from sortis_server.arrive.models import Batch, ExtraCount, ManifestImport, SourceMemory, Unit
from sortis_server.arrive.seen import count_in_surplus
from sortis_server.background.left import gives_up
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.sheets.services import newest_sheets
from sortis_server.workshop.models import TagSeries
from sortis_server.workshop.tags import locked_series, next_tag

AT_ONCE = 500
"""Lists up to this many rows are judged and taken while the receiver waits."""
JUDGED = ("verdicts", "state", "refusal", "done", "doing")
SAMPLES = 3
TOLD_EVERY = 250
CHUNK = 500

Tell = Callable[[int], bool]
"""Told how many rows are done; answers whether to go on."""


class Stopped(SortisError):
    """Somebody stopped the import; nothing was kept."""

    title = "Stopped"


def open_import(batch: Batch, name: str, data: bytes, by: Person) -> ManifestImport:
    """Begin an import: read the file, suggest what its columns mean, judge its rows.

    :raises ManifestRefused: where the file cannot be read at all; then nothing is kept.
    """
    table = table_of(data)
    kept = SourceMemory.objects.filter(source=batch.source).first()
    names = ModelNames(newest_sheets().values(), kept.names if kept else {})
    mapping = suggest_mapping(table, names, kept.headers if kept else None)
    # A file that was looked at and never taken makes room for the next one.
    looked = batch.imports.exclude(state__in=[ImportState.TAKEN, ImportState.TAKING])
    looked.filter(only__isnull=True).delete()
    row = ManifestImport.objects.create(
        batch=batch,
        by=by,
        name=name[:120],
        data=data,
        headers=list(table.headers),
        samples=[[marked(cell)[0] for cell in row.cells] for row in table.rows[:SAMPLES]],
        columns=dict(mapping.columns),
        chosen=dict(kept.names) if kept else {},
        total=len(table.rows),
    )
    return judge(row)


def import_called(batch: Batch, number: int) -> ManifestImport:
    """One import of the batch.

    :raises NotThere: where there is none of that number.
    """
    row = batch.imports.select_related("batch").filter(pk=number).first()
    if row is None:
        raise NotThere("That list is no longer here. Choose the file again.")
    return row


def correct(
    row: ManifestImport, columns: dict[str, int] | None, chosen: dict[str, str] | None
) -> ManifestImport:
    """Say what columns and model names mean, and judge every row again.

    :param chosen: model name as the list writes it -> sheet key; an empty key takes it back.
    """
    if row.state not in (ImportState.READY, ImportState.STOPPED):
        raise StaleVersion("This list is being worked on, or was taken in. Nothing was changed.")
    if columns is not None:
        fields = {str(field) for field in Field}
        wrong = [f for f, c in columns.items() if f not in fields or not 0 <= c < len(row.headers)]
        if wrong:
            raise ManifestRefused(f"There is no field or column {wrong[0]}. Choose another.")
        row.columns = columns
    for name, sheet in (chosen or {}).items():
        if sheet and sheet not in newest_sheets():
            raise NotThere(f"There is no sheet {sheet}. Choose another.")
        row.chosen[plain(name)] = sheet
    row.chosen = {name: sheet for name, sheet in row.chosen.items() if sheet}
    return judge(row)


def mend(row: ManifestImport, line: int, given: RowMend) -> ManifestImport:
    """Say what one row means, that it is left out, or that it waits; every row is judged again.

    :raises MendRefused: where what was said does not go.
    """
    if row.state not in (ImportState.READY, ImportState.STOPPED):
        raise StaleVersion("This list is being worked on, or was taken in. Nothing was changed.")
    said = read_mend(given, newest_sheets().keys()).model_dump(exclude_defaults=True)
    row.mended = {key: one for key, one in row.mended.items() if key != str(line)}
    if said:
        row.mended[str(line)] = said
    return judge(row)


def set_faults_aside(row: ManifestImport) -> ManifestImport:
    """Set every row aside that cannot be taken in as it stands; what was said of others stays."""
    if row.state not in (ImportState.READY, ImportState.STOPPED):
        raise StaleVersion("This list is being worked on, or was taken in. Nothing was changed.")
    verdicts = [RowVerdict.model_validate(one) for one in row.verdicts]
    aside = RowMend(aside=True).model_dump(exclude_defaults=True)
    row.mended |= {str(v.line): aside for v in verdicts if v.state is RowState.FAULT}
    return judge(row)


def waiting_imports(batch: Batch) -> list[ManifestImport]:
    """Lists of rows that were set aside and wait to be mended, oldest first."""
    waiting = batch.imports.exclude(state__in=[ImportState.TAKEN, ImportState.TAKING])
    return list(waiting.filter(only__isnull=False).order_by("pk"))


def judge(row: ManifestImport) -> ManifestImport:
    """Judge every row, at once or by a worker."""
    row.state, row.done, row.stop_wanted = ImportState.CHECKING, 0, False
    row.doing, row.refusal, row.verdicts = "reading rows", "", []
    row.save()
    if row.total > AT_ONCE:
        judge_in_background.enqueue(row.pk)
        return row
    _judge(row)
    return row


@task()
def judge_in_background(number: int) -> None:
    """Judge the rows of a large list; run by a worker."""
    lists = ManifestImport.objects.select_related("batch")
    row = lists.filter(pk=number, state=ImportState.CHECKING).first()
    if row:
        _judge(row)


@gives_up(judge_in_background)
def _not_judged(number: int, sentence: str) -> None:
    checking = ManifestImport.objects.filter(pk=number, state=ImportState.CHECKING)
    checking.update(state=ImportState.READY, refusal=sentence, doing="")


def _judge(row: ManifestImport) -> None:
    def tell(done: int) -> bool:
        ManifestImport.objects.filter(pk=row.pk).update(done=done)
        return not ManifestImport.objects.filter(pk=row.pk, stop_wanted=True).exists()

    try:
        verdicts = verdicts_of(row, table_of(bytes(row.data)), tell)
        row.verdicts = [verdict.model_dump(mode="json") for verdict in verdicts]
        row.state = ImportState.READY
    except Stopped:
        row.state = ImportState.STOPPED
    except ManifestRefused as refusal:
        row.refusal, row.state = refusal.sentence[:400], ImportState.READY
    row.done, row.doing = row.total, ""
    # Not saved whole: the list may have made room for another file meanwhile.
    changed = {name: getattr(row, name) for name in JUDGED}
    ManifestImport.objects.filter(pk=row.pk).update(**changed)


def verdicts_of(row: ManifestImport, table: Table, tell: Tell) -> list[RowVerdict]:
    """The verdict on every row as things stand now.

    :raises Stopped: where somebody wanted it.
    """
    checker = RowChecker(
        Mapping.model_validate({"columns": row.columns}),
        ModelNames(newest_sheets().values(), row.chosen),
        frozenset(Unit.objects.values_list("tag", flat=True)),
        frozenset(row.batch.units.values_list("serial", flat=True)),
        {int(line): RowMend.model_validate(one) for line, one in row.mended.items()},
    )
    found: list[RowVerdict] = []
    rows = [one for one in table.rows if row.only is None or one.line in row.only]
    for number, cells in enumerate(rows, start=1):
        found.append(checker.check(cells))
        if number % TOLD_EVERY == 0 and not tell(number):
            raise Stopped(f"Stopped after {number:,} rows. Nothing was taken in.")
    return found


def begin_taking(row: ManifestImport) -> ManifestImport:
    """Take the list in, at once or by a worker.

    :raises StaleVersion: where it is being taken already.
    :raises ManifestRefused: with every row that cannot be taken in.
    """
    began = ManifestImport.objects.filter(pk=row.pk, state=ImportState.READY).update(
        state=ImportState.TAKING, done=0, stop_wanted=False, doing="writing units"
    )
    if not began:
        raise StaleVersion("This list is being taken in already, or was. Nothing was done twice.")
    row.refresh_from_db()
    if row.total > AT_ONCE:
        take_in_background.enqueue(row.pk)
        return row
    try:
        _take(row, tell=lambda done: True)
    except SortisError as refusal:
        _back_to_ready(row, refusal)
        raise
    return row


@task()
def take_in_background(number: int) -> None:
    """Take a large list in; run by a worker."""
    lists = ManifestImport.objects.select_related("batch")
    row = lists.filter(pk=number, state=ImportState.TAKING).first()
    if row is None:
        return  # It was taken in before its worker ended.

    def tell(done: int) -> bool:
        # Its own connection: what is told must be seen while the units are not.
        teller = Thread(target=_tell_outside, args=(row.pk, done))
        teller.start()
        teller.join()
        return not ManifestImport.objects.filter(pk=row.pk, stop_wanted=True).exists()

    try:
        _take(row, tell)
    except SortisError as refusal:
        _back_to_ready(row, refusal)


@gives_up(take_in_background)
def _not_taken(number: int, sentence: str) -> None:
    taking = ManifestImport.objects.filter(pk=number, state=ImportState.TAKING)
    taking.update(state=ImportState.READY, refusal=sentence, doing="", done=0)


def _tell_outside(number: int, done: int) -> None:
    try:
        ManifestImport.objects.filter(pk=number).update(done=done)
    finally:
        connection.close()


def _back_to_ready(row: ManifestImport, refusal: SortisError) -> None:
    ManifestImport.objects.filter(pk=row.pk).update(
        state=ImportState.STOPPED if isinstance(refusal, Stopped) else ImportState.READY,
        refusal=refusal.sentence[:400],
        doing="",
        done=0,
    )
    row.refresh_from_db()


def stop_import(row: ManifestImport) -> ManifestImport:
    """Ask the worker to stop; a list that is not being worked on is simply left."""
    ManifestImport.objects.filter(pk=row.pk).update(stop_wanted=True)
    row.refresh_from_db()
    return row


def _take(row: ManifestImport, tell: Tell) -> None:
    table = table_of(bytes(row.data))
    with transaction.atomic():
        series = locked_series()
        # Judged again under the lock: other lists may have been taken in since.
        verdicts = verdicts_of(row, table, lambda done: True)
        faults = [(v.line, v.sentence) for v in verdicts if v.state is RowState.FAULT]
        if faults:
            raise refused_lines(faults)
        taken = [verdict for verdict in verdicts if verdict.state.taken]
        if not taken:
            raise ManifestRefused(
                "Every row is left out or set aside, so there is nothing to take in."
            )
        units = write_units(row.batch, taken, series, tell)
        count_in_surplus(row.batch, units)
        _remember(row, table)
        _set_aside(row, [v.line for v in verdicts if v.state is RowState.ASIDE])
        row.verdicts = [verdict.model_dump(mode="json") for verdict in verdicts]
        row.first_tag, row.last_tag = units[0].tag, units[-1].tag
        row.state, row.done, row.doing = ImportState.TAKEN, row.total, ""
        row.refusal = ""
        row.data = b""
        row.save()


def _set_aside(row: ManifestImport, lines: list[int]) -> None:
    """Rows that wait become a list of their own, which can be mended and taken in later."""
    if not lines:
        return
    waiting = ManifestImport.objects.create(
        batch=row.batch,
        by=row.by,
        name=row.name,
        data=row.data,
        headers=row.headers,
        samples=row.samples,
        columns=row.columns,
        chosen=row.chosen,
        only=lines,
        total=len(lines),
    )
    judge(waiting)


def _remember(row: ManifestImport, table: Table) -> None:
    SourceMemory.objects.update_or_create(
        source=row.batch.source,
        defaults={
            "headers": remember(table, Mapping.model_validate({"columns": row.columns})),
            "names": row.chosen,
        },
    )


def write_units(
    batch: Batch, verdicts: list[RowVerdict], series: TagSeries, tell: Tell
) -> list[Unit]:
    """Write the units of a list; blank tags are given the next numbers. The caller holds the
    transaction and the lock of the tag series.

    :raises Stopped: where ``tell`` says so.
    """
    sheets = newest_sheets()
    known = [*Unit.objects.values_list("tag", flat=True), *(v.tag for v in verdicts if v.tag)]
    taken = set(map(bare_tag, known))
    position = batch.units.aggregate(last=Max("position"))["last"] or 0
    units: list[Unit] = []
    extras: Counter[str] = Counter()
    for verdict in verdicts:
        tag = verdict.tag or next_tag(series, taken)
        position += 1
        extras.update(extras_in(verdict.comes_with))
        units.append(
            Unit(
                tag=tag,
                batch=batch,
                serial=verdict.serial,
                notes=verdict.notes,
                comes_with=verdict.comes_with,
                sheet_key=verdict.sheet,
                sheet_version=sheets[verdict.sheet].version,
                position=position,
            )
        )
    series.save()
    for start in range(0, len(units), CHUNK):
        Unit.objects.bulk_create(units[start : start + CHUNK])
        if not tell(min(start + CHUNK, len(units))):
            raise Stopped("Stopped. Nothing was taken in.")
    for kind, count in extras.items():
        extra, _ = ExtraCount.objects.get_or_create(batch=batch, kind=kind)
        extra.expected += count
        extra.save()
    return units


def take_in(batch: Batch, data: bytes) -> list[Unit]:
    """Take a list in as its own columns suggest, without anybody looking: for the demo's files.

    :raises ManifestRefused: with every row that cannot be taken in.
    """
    table = table_of(data)
    with transaction.atomic():
        series = locked_series()
        mapping = suggest_mapping(table, ModelNames(newest_sheets().values()))
        row = ManifestImport(batch=batch, columns=dict(mapping.columns))
        verdicts = verdicts_of(row, table, lambda done: True)
        faults = [(v.line, v.sentence) for v in verdicts if v.state is RowState.FAULT]
        if faults:
            raise refused_lines(faults)
        return write_units(batch, verdicts, series, lambda done: True)
