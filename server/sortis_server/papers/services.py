"""Gather what papers tell: from releases, orders, movements, pictures and read-outs."""

import hashlib
from collections import Counter

from django.db.models import Sum

from sortis_core.documents import read_document
from sortis_core.findings import Findings, Origin, OriginKind
from sortis_core.gates.proof import ReleaseGate
from sortis_core.gates.sanitised import SanitisedGate
from sortis_core.papers import (
    DriveCleared,
    Evidence,
    Paper,
    PaperLine,
    PartIn,
    ReleasedUnit,
    batch_certificate,
    drive_certificate,
    internal_record,
    spec_sheet,
)
from sortis_core.pictures import told_marks
from sortis_core.route.remains import remains_of
from sortis_core.sheets import Stream
from sortis_core.stages import Stage
from sortis_core.standards import Standard
from sortis_core.stock import Condition
from sortis_core.takeback import StoreAct
from sortis_server.arrive.models import Batch, Unit
from sortis_server.inspect.findings import newest_findings
from sortis_server.inspect.services import findings_of, policy_of, sheet_of
from sortis_server.problems import NotThere
from sortis_server.release.models import Release
from sortis_server.release.pictures import shown_of
from sortis_server.sheets.services import sheet_version
from sortis_server.stock.erasures import reports_of
from sortis_server.stock.models import Act, Lot, Movement
from sortis_server.stock.services import lot_code
from sortis_server.workshop.services import part_kinds, standard_version, workshop


def release_of(unit: Unit) -> Release:
    """The release that papers are written from; of a unit that was drawn back the last one.

    :raises NotThere: where it never was released.
    """
    rows = unit.releases.select_related("by")
    found = rows.filter(valid=True).first() or rows.order_by("-pk").first()
    if found is None:
        raise NotThere(f"{unit.tag} is not released, so there is no paper of it yet.")
    return found


def released_unit(unit: Unit, release: Release) -> ReleasedUnit:
    """A unit as its papers tell it."""
    standard: Standard = standard_version(release.standard_key, release.standard_version)
    return ReleasedUnit(
        tag=unit.tag,
        serial=unit.serial,
        sheet=sheet_of(unit),
        findings=findings_of(unit),
        standard=standard,
        policy=policy_of(unit),
        gates=tuple(read_document(ReleaseGate, gate) for gate in release.gates),
        released_on=release.at.date().isoformat(),
        released_by=release.by.name,
        void=not release.valid,
        taken=unit.stage is Stage.SOLD or hasattr(unit, "open_sale"),
        marks=told_marks(shown_of(unit)),
    )


def spec_of(unit: Unit) -> Paper:
    """The spec sheet of a unit, for its buyer."""
    return written(spec_sheet(released_unit(unit, release_of(unit)), workshop().name))


def record_of(unit: Unit) -> Paper:
    """All evidence of a unit."""
    told = released_unit(unit, release_of(unit))
    lots = {lot.pk: lot for lot in Lot.objects.filter(pk__in=_lots(told.findings))}
    parts = [
        PartIn(
            place=told.sheet.label_of(place),
            label=lots[origin.lot].kind.label if origin.lot in lots else "part",
            source=_source(origin, lots),
        )
        for place, origin in sorted(told.findings.origins.items())
        if origin.kind is not OriginKind.FOUND
    ]
    signed = [
        PaperLine(
            label=f"{row.gate}, {row.by.name}, {row.at:%Y-%m-%d %H:%M} UTC",
            text=row.words + ("; taken back" if not row.valid else ""),
        )
        for row in unit.signatures.select_related("by").order_by("pk")
    ]
    files = [
        Evidence(
            what=f"picture, {photo.words or 'no words'}",
            by=photo.by.name,
            at=f"{photo.at:%Y-%m-%d}",
            sha256=hashlib.sha256(bytes(photo.data)).hexdigest(),
        )
        for photo in unit.photos.filter(removed=False).select_related("by").order_by("pk")
    ]
    files += [
        Evidence(
            what="read-out",
            by=out.by.name,
            at=f"{out.at:%Y-%m-%d}",
            sha256=hashlib.sha256(bytes(out.data)).hexdigest(),
        )
        for out in unit.readouts.select_related("by").order_by("pk")
    ]
    files += [
        Evidence(
            what=f"report of an eraser, drive {report.serial}",
            by=row.by.name,
            at=f"{row.at:%Y-%m-%d}",
            sha256=row.digest,
        )
        for row, report in reports_of(unit)
    ]
    return written(internal_record(told, workshop().name, parts, signed, files))


def _source(origin: Origin, lots: dict[int, Lot]) -> str:
    lot = lots.get(origin.lot or 0)
    said = f"out of {origin.unit}" if origin.unit else lot.condition.label if lot else "from stock"
    return f"{said}, {lot_code(lot)}" if lot else said


def _lots(findings: Findings) -> list[int]:
    return [origin.lot for origin in findings.origins.values() if origin.lot]


def drives_of(unit: Unit) -> Paper:
    """How the data on each drive that was ever in the unit was removed, wherever it is now.

    :raises NotThere: where nothing is on record yet.
    """
    reports = reports_of(unit)
    found = [
        DriveCleared(
            drive=f"Drive {report.serial}" + (f", {report.drive}" if report.drive else ""),
            how=report.words,
            by=row.by.name,
            on=row.at.date().isoformat(),
            sha256=row.digest,
        )
        for row, report in reports
    ]
    if not any(row.unit_id for row, _ in reports):
        signed = unit.signatures.filter(valid=True, gate=SanitisedGate().name)
        found += [
            DriveCleared(
                drive=f"In it: {row.about}",
                how=row.words,
                by=row.by.name,
                on=row.at.date().isoformat(),
            )
            for row in signed.select_related("by").order_by("pk")
        ]
    told = {row.act_id for row, _ in reports}
    out = Act.objects.filter(
        kind=StoreAct.SETTLED,
        valid=True,
        movements__lot__out_of=unit,
        movements__lot__kind__facts__type="drive",
    )
    for act in out.exclude(pk__in=[pk for pk in told if pk]).distinct().select_related("by"):
        reason = act.movements.filter(change__lt=0).values_list("reason", flat=True).first()
        found.append(
            DriveCleared(
                drive=f"Taken out: {act.words}",
                how=reason or act.words,
                by=act.by.name,
                on=act.at.date().isoformat(),
            )
        )
    if not found:
        raise NotThere(f"Nothing is on record about data on drives of {unit.tag} yet.")
    return written(drive_certificate(unit.tag, sheet_of(unit).name, found, workshop().name))


def certificate_of(batch: Batch) -> Paper:
    """What became of a batch."""
    units = list(batch.units.order_by("position"))
    ends = Counter(unit.stage for unit in units)
    moved = Movement.objects.filter(
        unit__batch=batch, change__lt=0, lot__out_of__isnull=False
    ).values_list("lot__kind__label")
    reused = {
        label: -n for label, n in moved.annotate(n=Sum("change")).order_by("lot__kind__label")
    }
    certificate = batch_certificate(
        batch.name,
        batch.source,
        {stage.heading: ends[stage] for stage in Stage},
        reused,
        _weights(units),
        _drives(batch, units),
        workshop(),
    )
    return written(certificate)


def written(paper: Paper) -> Paper:
    """With the workshop's address."""
    return paper.model_copy(update={"address": workshop().address})


def _weights(units: list[Unit]) -> Counter[Stream]:
    """What goes to the recycler of units that were given up, by stream, in grams."""
    gone = [unit for unit in units if unit.stage in (Stage.PARTED, Stage.RECYCLED)]
    findings, kinds = newest_findings(gone), part_kinds()
    taken: dict[int, list] = {unit.pk: [] for unit in gone}
    rows = Movement.objects.filter(unit__in=gone, change__gt=0).select_related("lot__kind")
    for row in rows:
        taken[row.unit_id].append(kinds[row.lot.kind.key])
    found: Counter[Stream] = Counter()
    for unit in gone:
        if unit.pk in findings:
            sheet = sheet_version(unit.sheet_key, unit.sheet_version)
            for weight in remains_of(sheet, findings[unit.pk], taken[unit.pk]):
                found[weight.stream] += weight.grams
    return found


def _drives(batch: Batch, units: list[Unit]) -> dict[str, int]:
    """How drives that came with the batch ended: by record, waiting, or as they left."""
    found: Counter[str] = Counter()
    for release in Release.objects.filter(unit__in=units, valid=True):
        gate = next((one for one in release.gates if one["gate"] == "sanitised"), None)
        if gate and gate.get("about"):
            how = gate.get("record") or "with its record"
            found[f"in a released unit, {how}"] += gate["about"].count(",") + 1
    lots = Lot.objects.filter(out_of__batch=batch, kind__facts__type="drive")
    for lot in lots:
        waits = lot.condition is Condition.AWAITING_SANITISING
        words = "wait to be sanitised" if waits else f"in the store, {lot.record or 'no record'}"
        found[words] += lot.on_hand
    left = Movement.objects.filter(lot__out_of__batch=batch, act__valid=True)
    for moved in left.exclude(drive_end=""):
        found[moved.drive_end.label] -= moved.change
    return {words: count for words, count in sorted(found.items()) if count}
