"""The story of one unit."""

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from pydantic import BaseModel

from sortis_core.stages import Stage
from sortis_core.story import ChapterSpan, chapters
from sortis_core.strip import Strip
from sortis_server.arrive.services import unit_tagged
from sortis_server.inspect.findings import strips_of
from sortis_server.inspect.services import sheet_of
from sortis_server.story.events import StoryEvent, bench_seconds, events_of

router = Router(tags=["story"])


class StoryView(BaseModel):
    """One unit from manifest to label, and what is next for it."""

    tag: str
    batch: str
    batch_name: str
    serial: str
    model: str
    stage: Stage
    blocked: bool
    strip: Strip
    events: list[StoryEvent]
    chapters: list[ChapterSpan]
    """Which of the events belong together, in turn."""
    days_here: int
    """Since the batch arrived."""
    bench_minutes: int
    """Of hands, as measured at the bench."""


@router.get("/{tag}/story", response=StoryView)
def story(request: HttpRequest, tag: str):
    """Everything that happened to a unit, oldest first; by tag, however it is typed."""
    unit = unit_tagged(tag)
    events = events_of(unit)
    return StoryView(
        tag=unit.tag,
        batch=unit.batch.slug,
        batch_name=unit.batch.name,
        serial=unit.serial,
        model=sheet_of(unit).name,
        stage=unit.stage,
        blocked=unit.blocked,
        strip=strips_of([unit])[unit.tag],
        events=events,
        chapters=list(chapters(events)),
        days_here=max(0, (timezone.localdate() - unit.batch.arrived_on).days),
        bench_minutes=round(bench_seconds(unit) / 60),
    )
