"""Keep inspections: append-only, nothing overwritten, hazards block."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from threading import Lock
from typing import NamedTuple

from cachetools import LRUCache
from django.db import transaction
from django.utils import timezone

from sortis_core.assess import Assessment, assess
from sortis_core.base import SortisError, listed
from sortis_core.documents import read_document
from sortis_core.findings import UNIT, Findings, carry_origins, safe_again
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.intake.readout import ReadOut
from sortis_core.policy import Policy
from sortis_core.reasons import says_something
from sortis_core.sheets import ModelSheet
from sortis_core.stages import INSPECTABLE, Stage, after_inspection
from sortis_core.standards import Standard
from sortis_server.apart import readout_of
from sortis_server.arrive.models import Unit
from sortis_server.inspect.findings import blank_findings, newest_findings
from sortis_server.inspect.models import PLAIN_LOOK, Hazard, Inspection, ReadOutRow
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion
from sortis_server.sheets.services import sheet_called, sheet_version
from sortis_server.workshop.services import newest_standards


class InspectionRefused(SortisError):
    """What was typed cannot be kept as an inspection."""

    title = "The inspection was not kept"


def sheet_of(unit: Unit) -> ModelSheet:
    """The version of the sheet the unit is read against."""
    return sheet_version(unit.sheet_key, unit.sheet_version)


def policy_of(unit: Unit) -> Policy:
    """The policy of the unit's batch."""
    return read_document(Policy, unit.batch.policy)


def findings_of(unit: Unit) -> Findings:
    """Newest findings; nothing looked at where there are none."""
    return newest_findings([unit]).get(unit.pk) or blank_findings(unit)


LOOKED_BACK = 30
"""Inspections of a model that a starting point is chosen from."""


class Like(NamedTuple):
    """What most units of a model held."""

    tag: str
    """The newest unit that held it; empty where none was inspected."""
    trim: str
    entries: dict[str, str]
    held_by: int
    of: int


def starting_point(unit: Unit) -> Like:
    """What most of the last units of this model and batch held, the newest of equals.

    Memory, drives and required parts are alike in a fleet; packs, tests, grade and a drive's wear
    are each unit's own and are left out. The commonest filling is nearer to the next unit than the
    last one, which may have been the odd one out.
    """
    newest = list(
        Inspection.objects.filter(
            unit__batch_id=unit.batch_id, unit__sheet_key=unit.sheet_key, source=PLAIN_LOOK
        )
        .exclude(unit_id=unit.pk)
        .order_by("-pk")
        .values_list("pk", "at", "unit__tag")[:LOOKED_BACK]
    )
    held: dict[Filling, list[str]] = {}
    fillings = _fillings_of((pk, at) for pk, at, _ in newest)
    for pk, _, tag in newest:
        if filling := fillings[pk]:
            held.setdefault(filling, []).append(tag)
    if not held:
        return Like("", "", {}, 0, 0)
    (trim, pairs), tags = max(held.items(), key=lambda item: len(item[1]))
    _, refusals = read_entries(sheet_of(unit), trim, dict(pairs))
    entries = {key: text for key, text in pairs if key not in refusals}
    return Like(tags[0], trim, entries, len(tags), len(newest))


Filling = tuple[str, tuple[tuple[str, str], ...]]
"""The trim, and the entries of what is alike in a fleet."""


_fillings: LRUCache[tuple[int, datetime], Filling | None] = LRUCache(20_000)
"""By number and moment: an inspection never changes, and each is asked for with every unit."""
_fillings_lock = Lock()


def _fillings_of(inspections: Iterable[tuple[int, datetime]]) -> dict[int, Filling | None]:
    """Inspection -> what it holds; those read before are not read again."""
    found: dict[int, Filling | None] = {}
    unread: dict[int, datetime] = {}
    with _fillings_lock:
        for pk, at in inspections:
            if (pk, at) in _fillings:
                found[pk] = _fillings[pk, at]
            else:
                unread[pk] = at
    rows = Inspection.objects.filter(pk__in=unread).values_list("pk", "findings") if unread else ()
    for pk, document in rows:
        found[pk] = _filling(read_document(Findings, document))
        with _fillings_lock:
            _fillings[pk, unread[pk]] = found[pk]
    return found


def _filling(whole: Findings) -> Filling | None:
    findings = _fleet_side(whole)
    entries = {key: text for key, text in write_entries(findings).items() if text}
    if whole.hazards or not entries:
        return None  # Kept in haste, because it is dangerous: no model for the next ones.
    return findings.trim, tuple(sorted(entries.items()))


def _fleet_side(findings: Findings) -> Findings:
    drives = {
        key: drive.model_copy(update={"life_percent": None})
        for key, drive in findings.drives.items()
    }
    own = {
        "packs": {},
        "tests": {},
        "grade": None,
        "unit_hazard": None,
        "remarks": {},
        "seal": None,
        "drive_array": None,
    }
    return findings.model_copy(update={"drives": drives, **own})


def assess_unit(
    unit: Unit, findings: Findings, standards: tuple[Standard, ...] | None = None
) -> Assessment:
    """Hold findings of the unit against every standard.

    :param standards: where they were asked for already.
    """
    return assess(sheet_of(unit), findings, standards or newest_standards(), policy_of(unit))


def save_findings(unit: Unit, findings: Findings, by: Person, source: str) -> Inspection:
    """Append findings as the unit's next inspection. The caller holds the unit's lock.

    Whoever writes what somebody saw carries along first where each part came from.
    """
    unit.inspection_number += 1
    return Inspection.objects.create(
        unit=unit,
        number=unit.inspection_number,
        findings=findings.model_dump(mode="json"),
        source=source,
        by=by,
    )


def keep_inspection(
    tag: str, started_from: int, trim: str, entries: dict[str, str], by: Person, *, enough: bool
) -> Unit:
    """Append an inspection of what was typed.

    :param started_from: number of the inspection the person began with.
    :raises StaleVersion: where somebody else kept one since; their entries are in the facts.
    :raises InspectionRefused: where a place cannot hold what was typed, or the unit is past it.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        sheet = sheet_of(unit)
        if unit.inspection_number != started_from:
            theirs = unit.inspections.get(number=unit.inspection_number)
            raise StaleVersion(
                f"{theirs.by.name} kept inspection {theirs.number} of {tag} after you opened it. "
                "Yours is still on this screen; compare, then keep yours or take theirs.",
                number=theirs.number,
                entries=write_entries(read_document(Findings, theirs.findings)),
                by=theirs.by.name,
            )
        if unit.stage not in INSPECTABLE:
            raise InspectionRefused(
                f"{tag} is in {unit.stage} already. Stop its work order first; it then comes back "
                "to inspection."
            )
        if trim not in {known.key for known in sheet.trims}:
            raise InspectionRefused(
                f"{sheet.name} has no trim {trim}. It has "
                f"{listed([known.key for known in sheet.trims])}."
            )
        findings, refusals = read_entries(sheet, trim, entries)
        if refusals:
            raise InspectionRefused(next(iter(refusals.values())), refusals=refusals)
        findings = carry_origins(findings_of(unit), findings)
        if not sheet.written and not findings.hazards:
            raise InspectionRefused(
                f"Only the name of {sheet.name} is known. Write its sheet first, from the nearest "
                "one or from a read-out; what is dangerous can be said now."
            )
        save_findings(unit, findings, by, PLAIN_LOOK)
        assessment = assess_unit(unit, findings)
        note_hazards(unit, findings, by)
        unit.stage = after_inspection(assessment, enough=enough)
        unit.save()
        return unit


def keep_readout(unit: Unit, data: bytes, by: Person) -> ReadOut:
    """Take a probe bundle of a unit in, as it came.

    :raises BundleRefused: where it is none.
    """
    readout = readout_of(data)
    ReadOutRow.objects.create(unit=unit, by=by, data=data, document=readout.model_dump(mode="json"))
    return readout


def change_sheet(tag: str, key: str, by: Person) -> tuple[Unit, list[str]]:
    """Read a unit against another model's sheet from now on: the list named it wrongly.

    What was found is read again against the new sheet; what no longer reads is named and left out.

    :returns: the unit, and a sentence for every place that was left out.
    :raises InspectionRefused: where the unit is past inspection or blocked.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage not in INSPECTABLE:
            raise InspectionRefused(f"{tag} is in {unit.stage} already; its model stays as it is.")
        if unit.blocked:
            raise InspectionRefused(f"{tag} is blocked by a danger. Record first what was done.")
        sheet = sheet_called(key)
        before = findings_of(unit) if unit.inspection_number else None
        unit.sheet_key, unit.sheet_version = sheet.key, sheet.version
        left: list[str] = []
        if before:
            known = {trim.key for trim in sheet.trims}
            trim = before.trim if before.trim in known else sheet.trims[0].key
            findings, refusals = read_entries(sheet, trim, write_entries(before))
            left = list(refusals.values())
            findings = carry_origins(before, findings)
            save_findings(unit, findings, by, "another sheet")
            stays = not sheet.written
            done = after_inspection(assess_unit(unit, findings), enough=False)
            unit.stage = Stage.INSPECT if stays else done
        unit.save()
        return unit, left


def note_hazards(unit: Unit, findings: Findings, by: Person) -> None:
    """Open a hazard for each new one; one once seen stays until its record is written."""
    open_hazards = {hazard.place: hazard for hazard in unit.hazards.filter(done_at=None)}
    for place in findings.hazards:
        kind = findings.hazard_kind(place)
        if place not in open_hazards:
            Hazard.objects.create(unit=unit, place=place, kind=kind, seen_by=by)
        elif open_hazards[place].kind != kind:
            open_hazards[place].kind = kind
            open_hazards[place].save()
    unit.blocked = bool(open_hazards) or bool(findings.hazards)
    if open_hazards and not findings.hazards:
        raise InspectionRefused(
            f"{unit.tag} is blocked by a danger. Record first what was done about it; typing over "
            "it does not make it safe."
        )


TAKE_BACK_SECONDS = 60
TAKEN_BACK = "Taken back at once: the key was pressed by mistake."


def take_back_danger(tag: str, by: Person) -> Unit:
    """Whoever pressed the danger key by mistake takes it back, for a minute; both stay on record.

    The places it was about are again what they were before; all else that was seen stays.

    :raises InspectionRefused: where the minute is over, or another person saw the danger.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        since = timezone.now() - timedelta(seconds=TAKE_BACK_SECONDS)
        mine = list(unit.hazards.filter(done_at=None, seen_by=by, seen_at__gte=since))
        if not mine:
            raise InspectionRefused(
                f"No danger of {tag} can be taken back: only whoever noted it may, within "
                f"{TAKE_BACK_SECONDS} seconds. Record what was done instead."
            )
        for hazard in mine:
            hazard.done, hazard.done_by, hazard.done_at = TAKEN_BACK, by, timezone.now()
            hazard.save()
        now = findings_of(unit)
        earlier = unit.inspections.filter(number__lt=unit.inspection_number).order_by("-number")
        before = read_document(Findings, earlier[0].findings) if earlier else None
        packs = dict(now.packs)
        for hazard in mine:
            packs.pop(hazard.place, None)
            if before and hazard.place in before.packs:
                packs[hazard.place] = before.packs[hazard.place]
        whole = None if any(hazard.place == UNIT for hazard in mine) else now.unit_hazard
        safe = now.model_copy(update={"packs": packs, "unit_hazard": whole})
        save_findings(unit, safe, by, "danger taken back")
        unit.blocked = unit.hazards.filter(done_at=None).exists()
        unit.save()
        return unit


def clear_hazard(tag: str, words: str, by: Person) -> Unit:
    """Record what was done about a danger: a pack is out and its place empty, the unit is free.

    :raises InspectionRefused: where nothing blocks the unit, or no words say what was done.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        open_hazards = list(unit.hazards.filter(done_at=None))
        if not open_hazards:
            raise InspectionRefused(f"Nothing blocks {tag}.")
        if not says_something(words):
            raise InspectionRefused(
                "Say what was done: where the pack went and who took it, or how it was switched "
                "off."
            )
        for hazard in open_hazards:
            hazard.done, hazard.done_by, hazard.done_at = words.strip(), by, timezone.now()
            hazard.save()
        safe = safe_again(findings_of(unit), [hazard.place for hazard in open_hazards])
        save_findings(unit, safe, by, "hazard record")
        unit.blocked = False
        unit.save()
        return unit
