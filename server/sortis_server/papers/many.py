"""Papers of many units: a worker draws them, tells how far it is, and stops when asked."""

from collections.abc import Sequence
from datetime import timedelta

from django.utils import timezone
from django_tasks import task

from sortis_core.base import SortisError
from sortis_core.labels import size_called
from sortis_core.papers import Paper, PrintKind
from sortis_core.vocabulary.states import JobState
from sortis_server.arrive.models import Unit
from sortis_server.background.left import gives_up
from sortis_server.inspect.services import sheet_of
from sortis_server.labels import Label, labels_pdf
from sortis_server.papers.models import PaperJob
from sortis_server.papers.pdf import papers_pdf
from sortis_server.papers.services import record_of, release_of, spec_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.release.address import address_of, code_of
from sortis_server.workshop.services import workshop

MOST_UNITS = 2_000
AT_ONCE = 12
"""Units whose papers are drawn while somebody waits; more are for a worker."""
TO_DRAW = (JobState.WAITING, JobState.AT_WORK)
TOLD_EVERY = 10
KEPT = timedelta(days=1)


class PapersRefused(SortisError):
    """These papers cannot be drawn."""

    title = "No papers were drawn"


class _Stopped(Exception):
    """Somebody wanted it."""


def begin_job(kind: PrintKind, tags: Sequence[str], by: Person) -> PaperJob:
    """Draw papers of units, at once where they are few.

    :raises PapersRefused: where no unit is named, or far too many.
    :raises NotThere: where a unit is not released.
    """
    wanted = list(dict.fromkeys(tags))
    if not wanted:
        raise PapersRefused("No unit is chosen. Choose at least one, then print.")
    if len(wanted) > MOST_UNITS:
        raise PapersRefused(
            f"{len(wanted):,} units are too many for one file; {MOST_UNITS:,} is the most. Print "
            "them in parts."
        )
    PaperJob.objects.filter(at__lt=timezone.now() - KEPT).delete()
    job = PaperJob.objects.create(kind=kind, tags=wanted, by=by)
    if len(wanted) > AT_ONCE:
        draw_in_background.enqueue(job.pk)
        return job
    try:
        _draw(job)
    except SortisError:
        job.delete()
        raise
    return job


@task()
def draw_in_background(number: int) -> None:
    """Draw many papers; run by a worker."""
    job = PaperJob.objects.filter(pk=number, state__in=TO_DRAW).first()
    if job is None:
        return
    try:
        _draw(job)
    except SortisError as refusal:
        PaperJob.objects.filter(pk=number).update(
            state=JobState.FAILED, refusal=refusal.sentence[:400], doing=""
        )


@gives_up(draw_in_background)
def _not_drawn(number: int, sentence: str) -> None:
    drawing = PaperJob.objects.filter(pk=number, state__in=TO_DRAW)
    drawing.update(state=JobState.FAILED, refusal=sentence, doing="")


def _draw(job: PaperJob) -> None:
    try:
        data = _labels(job) if job.kind is PrintKind.LABELS else _papers(job)
    except _Stopped:
        PaperJob.objects.filter(pk=job.pk).update(state=JobState.STOPPED, doing="")
    else:
        PaperJob.objects.filter(pk=job.pk).update(
            state=JobState.DONE, data=data, done=len(job.tags), doing=""
        )
    job.refresh_from_db()


def _units(job: PaperJob):
    """The units in the order asked, telling how far it is.

    :raises NotThere: where one is gone. :raises _Stopped: where somebody wanted it.
    """
    for number, tag in enumerate(job.tags):
        if number % TOLD_EVERY == 0:
            _tell(job, number, "reading the units")
        unit = Unit.objects.select_related("batch").filter(tag=tag).first()
        if unit is None:
            raise NotThere(f"No unit carries the tag {tag}.")
        yield unit
    _tell(job, len(job.tags), "drawing the pages")


def _tell(job: PaperJob, done: int, doing: str) -> None:
    rows = PaperJob.objects.filter(pk=job.pk, stop_wanted=False)
    if not rows.update(done=done, doing=doing, state=JobState.AT_WORK):
        raise _Stopped


def _labels(job: PaperJob) -> bytes:
    shop = workshop()
    labels = [
        Label(
            tag=unit.tag,
            model=sheet_of(unit).name,
            serial=unit.serial,
            lines=list(release_of(unit).label),
            code=code_of(unit),
        )
        for unit in _units(job)
    ]
    return labels_pdf(labels, size_called(shop.unit_label, shop.label_sizes))


def _papers(job: PaperJob) -> bytes:
    papers: list[tuple[Paper, str]] = []
    for unit in _units(job):
        if job.kind is PrintKind.SPEC:
            papers.append((spec_of(unit), address_of(release_of(unit))))
        else:
            papers.append((record_of(unit), ""))
    return papers_pdf(papers)


def job_of(number: int, by: Person) -> PaperJob:
    """A job of one's own.

    :raises NotThere: where there is none, or it was somebody else's.
    """
    job = PaperJob.objects.filter(pk=number, by=by).first()
    if job is None:
        raise NotThere("These papers are not kept any more. Draw them again.")
    return job


def stop_job(number: int, by: Person) -> PaperJob:
    """Let a worker stop; what waits for one is not begun."""
    job = job_of(number, by)
    PaperJob.objects.filter(pk=job.pk).update(stop_wanted=True)
    PaperJob.objects.filter(pk=job.pk, state=JobState.WAITING).update(state=JobState.STOPPED)
    job.refresh_from_db()
    return job
