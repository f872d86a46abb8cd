"""The events of one unit, gathered from where each is kept; nothing here is written."""

from collections.abc import Iterator
from datetime import datetime, time

from django.db.models import Sum
from django.utils import timezone
from pydantic import BaseModel, computed_field

from sortis_core.actions import Action, action_words
from sortis_core.documents import read_document
from sortis_core.findings import UNIT, Findings
from sortis_core.plan.explain import end_words
from sortis_core.story import HANDS_ON, PlaceChange, StoryKind, what_changed
from sortis_core.strip import Strip, draw_strip
from sortis_core.vocabulary.states import LogWhat
from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import PLAIN_LOOK
from sortis_server.inspect.services import sheet_of
from sortis_server.orders.models import StepLog
from sortis_server.stock.models import Movement
from sortis_server.stock.services import lot_code
from sortis_server.takeback import Retractable
from sortis_server.workshop.services import newest_standards, part_kinds


class StoryEvent(BaseModel):
    """One thing that happened to a unit."""

    kind: StoryKind
    at: datetime
    by: str = ""
    words: str
    details: list[str] = []
    strip: Strip | None = None
    """The unit as it was found then."""
    changes: list[PlaceChange] = []
    photo: int | None = None

    @computed_field  # type: ignore[prop-decorator]
    @property
    def hands(self) -> bool:
        """Hands were on the unit."""
        return self.kind in HANDS_ON


def events_of(unit: Unit) -> list[StoryEvent]:
    """All events of a unit, oldest first."""
    found = [
        *_arrived(unit),
        *_inspections(unit),
        *_seen_besides(unit),
        *_decided(unit),
        *_pinned(unit),
        *_at_the_bench(unit),
        *_parts(unit),
        *_released(unit),
        *_sold(unit),
    ]
    return sorted(found, key=lambda event: event.at)


def bench_seconds(unit: Unit) -> int:
    """Seconds that hands were on the unit at the bench, as its steps were ticked."""
    done = StepLog.objects.filter(order__unit=unit, what=LogWhat.DONE)
    return done.aggregate(total=Sum("seconds"))["total"] or 0


def _arrived(unit: Unit) -> Iterator[StoryEvent]:
    midnight = datetime.combine(unit.batch.arrived_on, time.min)
    yield StoryEvent(
        kind=StoryKind.ANNOUNCED,
        at=timezone.make_aware(midnight),
        words=f"with {unit.batch.name}, from {unit.batch.source}",
        details=[note for note in (unit.notes, unit.comes_with) if note],
    )
    if unit.counted_at:
        yield StoryEvent(kind=StoryKind.COUNTED, at=unit.counted_at, words="")


def _inspections(unit: Unit) -> Iterator[StoryEvent]:
    sheet, standards = sheet_of(unit), newest_standards()
    before: Strip | None = None
    for row in unit.inspections.select_related("by").order_by("number"):
        strip = draw_strip(sheet, read_document(Findings, row.findings), standards)
        changes = list(what_changed(before, strip))
        if before is None or changes or row.source != PLAIN_LOOK:
            yield StoryEvent(
                kind=StoryKind.LOOKED,
                at=row.at,
                by=row.by.name,
                words=_look(row.number, row.source),
                strip=strip,
                changes=changes,
            )
        before = strip


def _look(number: int, source: str) -> str:
    """What look it was, and what it came from where that was no inspection."""
    said = [f"look {number}"] if number > 1 else []
    return ", ".join(said + [source] * (source != PLAIN_LOOK))


def _seen_besides(unit: Unit) -> Iterator[StoryEvent]:
    sheet = sheet_of(unit)
    for out in unit.readouts.select_related("by").defer("data"):
        yield StoryEvent(
            kind=StoryKind.READ, at=out.at, by=out.by.name, words="What the machine says of itself"
        )
    for photo in unit.photos.select_related("by").defer("data").filter(removed=False):
        yield StoryEvent(
            kind=StoryKind.PICTURE,
            at=photo.at,
            by=photo.by.name,
            words=photo.words or "Picture",
            photo=photo.pk,
        )
    for hazard in unit.hazards.select_related("seen_by", "done_by"):
        place = "The unit" if hazard.place == UNIT else sheet.label_of(hazard.place)
        yield StoryEvent(
            kind=StoryKind.DANGER,
            at=hazard.seen_at,
            by=hazard.seen_by.name,
            words=f"{place}: {hazard.kind.label}",
        )
        if hazard.done_at and hazard.done_by:
            yield StoryEvent(
                kind=StoryKind.SAFE, at=hazard.done_at, by=hazard.done_by.name, words=hazard.done
            )


def _decided(unit: Unit) -> Iterator[StoryEvent]:
    sheet, kinds, standards = sheet_of(unit), part_kinds(), newest_standards()
    names = {standard.key: standard.name for standard in standards}
    looks = list(unit.inspections.order_by("number").values_list("at", "findings"))
    for outcome in unit.outcomes.select_related(
        "plan__approved_by", "plan__by", "approved_by", "taken_back_by"
    ):
        plan = outcome.plan
        actions = [read_document(Action, action) for action in outcome.actions]
        at = outcome.approved_at or plan.approved_at or plan.at
        seen = [document for looked, document in looks if looked <= at]
        found = read_document(Findings, seen[-1]) if seen and actions else None
        planned = draw_strip(sheet, found, standards, kinds, tuple(actions)) if found else None
        yield StoryEvent(
            kind=StoryKind.DECIDED,
            at=at,
            by=(outcome.approved_by or plan.approved_by or plan.by).name,
            words=f"Plan {plan.number}: "
            + end_words(outcome.outcome, names.get(outcome.standard, outcome.standard)),
            details=[
                *[action_words(sheet, action, kinds) for action in actions],
                *([outcome.reason] if outcome.reason else []),
            ],
            strip=planned,
            changes=list(what_changed(draw_strip(sheet, found, standards), planned))
            if found and planned
            else [],
        )
        yield from _taken_back(outcome, f"plan {plan.number}")


def _pinned(unit: Unit) -> Iterator[StoryEvent]:
    names = {standard.key: standard.name for standard in newest_standards()}
    for row in unit.pin_changes.select_related("by"):
        end = end_words(row.outcome, names.get(row.standard, row.standard)) if row.outcome else ""
        yield StoryEvent(
            kind=StoryKind.PINNED,
            at=row.at,
            by=row.by.name,
            words=end or "the pin was taken off",
        )


def _taken_back(row: Retractable, what: str) -> Iterator[StoryEvent]:
    if row.taken_back_at and row.taken_back_by:
        yield StoryEvent(
            kind=StoryKind.TAKEN_BACK,
            at=row.taken_back_at,
            by=row.taken_back_by.name,
            words=what,
        )


def _at_the_bench(unit: Unit) -> Iterator[StoryEvent]:
    for order in unit.orders.prefetch_related("log__by", "surprises__by"):
        titles = {step["key"]: step["title"] for step in order.document["steps"]}
        ticks = [row for row in order.log.all() if row.what is LogWhat.DONE]
        undone = sum(1 for row in order.log.all() if row.what is LogWhat.BACK)
        for row in (row for row in order.log.all() if row.what is LogWhat.AGAIN):
            yield StoryEvent(
                kind=StoryKind.BENCH, at=row.at, by=row.by.name, words=f"{row.what}: {order.words}"
            )
        if ticks:
            minutes = sum(row.seconds or 0 for row in ticks) / 60
            timed = f", {minutes:.0f} min measured" if minutes >= 1 else ""
            yield StoryEvent(
                kind=StoryKind.BENCH,
                at=ticks[-1].at,
                by=", ".join(dict.fromkeys(row.by.name for row in ticks)),
                words=f"{len(ticks) - undone} of {len(titles)} steps done{timed}"
                + (f"; {order.words}" if order.words and not order.then else ""),
                details=[titles[row.key] for row in ticks if row.key in titles],
            )
        for note in order.surprises.all():
            yield StoryEvent(
                kind=StoryKind.SURPRISE,
                at=note.at,
                by=note.by.name,
                words=note.sentence,
                details=[note.words] if note.words else [],
            )


def _parts(unit: Unit) -> Iterator[StoryEvent]:
    rows = Movement.objects.filter(unit=unit).select_related("lot__kind", "by").order_by("pk")
    for row in rows:
        into = "out of it" if row.change > 0 else "into it"
        yield StoryEvent(
            kind=StoryKind.PART,
            at=row.at,
            by=row.by.name,
            words=f"{row.lot.kind.label} {into}, {lot_code(row.lot)}, {row.lot.place}",
        )


def _sold(unit: Unit) -> Iterator[StoryEvent]:
    for sale in unit.sales.prefetch_related("steps__by"):
        for step in sale.steps.all():
            words = f", {step.words}" if step.words else ""
            yield StoryEvent(
                kind=StoryKind.SALE,
                at=step.at,
                by=step.by.name,
                words=f"{step.state}{words}",
            )


def _released(unit: Unit) -> Iterator[StoryEvent]:
    gates = [gate for standard in newest_standards() for gate in standard.gates]
    names = {gate.name: gate.title for gate in gates}
    for row in unit.signatures.select_related("by", "taken_back_by"):
        yield StoryEvent(
            kind=StoryKind.SIGNED,
            at=row.at,
            by=row.by.name,
            words=f"{names.get(row.gate, row.gate)}: {row.words}",
        )
        yield from _taken_back(row, f"signature of {names.get(row.gate, row.gate)}")
    for waiver in unit.waivers.select_related("by", "taken_back_by"):
        buyer = "the buyer is told" if waiver.told else "the buyer is not told"
        yield StoryEvent(
            kind=StoryKind.WAIVED,
            at=waiver.at,
            by=waiver.by.name,
            words=f"{waiver.about}: {waiver.reason}; {buyer}",
        )
        yield from _taken_back(waiver, f"waiver of {names.get(waiver.gate, waiver.gate)}")
    for release in unit.releases.select_related("by", "taken_back_by"):
        yield StoryEvent(
            kind=StoryKind.RELEASED,
            at=release.at,
            by=release.by.name,
            words="; ".join(release.label),
            details=[f"{gate['sentence']}: {gate['evidence']}" for gate in release.gates],
        )
        yield from _taken_back(release, "release; the label is void")
