"""Save sheets as new versions, move waiting units to them, count what released units prove."""

from django.db import transaction

from sortis_core.base import SortisError
from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import ProvenOffer, proven_offer, sheet_faults
from sortis_core.stages import Stage
from sortis_server.arrive.models import Unit
from sortis_server.inspect.findings import newest_findings
from sortis_server.people.models import Person
from sortis_server.sheets.models import SheetVersion
from sortis_server.versions import add_version

STILL_OPEN = (Stage.ARRIVE, Stage.INSPECT, Stage.DECIDE)
"""Stages in which a unit can still be read against another version of its sheet."""


class SheetRefused(SortisError):
    """The document is no sheet, or cannot be saved as one; ``facts['faults']`` lists why."""

    title = "The sheet was not saved"


def save_sheet(
    document: dict, started_from: int, words: str, by: Person, *, move_waiting: bool
) -> tuple[ModelSheet, list[str]]:
    """Append the next version of a sheet.

    :param started_from: the version the person began with; 0 for a new sheet.
    :param move_waiting: units not decided yet are read against the new version from now on.
    :returns: the sheet as saved, and sentences about units that could not be moved.
    :raises SheetRefused: where the document is no sheet.
    :raises StaleVersion: where somebody else saved a version since.
    """
    if faults := sheet_faults(document):
        raise SheetRefused(
            f"{faults[0].where}: {faults[0].sentence}",
            faults=[(fault.where, fault.sentence) for fault in faults],
        )
    sheet = read_document(ModelSheet, document)
    with transaction.atomic():
        saved = add_version(
            SheetVersion,
            sheet.key,
            sheet.model_copy(update={"written": True}),
            started_from=started_from,
            name=sheet.name,
            by=by,
            words=words,
        )
        left = _move_waiting(saved) if move_waiting and started_from else []
    return saved, left


def _move_waiting(sheet: ModelSheet) -> list[str]:
    """Read waiting units against the new version; those that no longer read are left and named."""
    units = list(Unit.objects.select_for_update().filter(sheet_key=sheet.key, stage__in=STILL_OPEN))
    found = newest_findings(units)
    left: list[str] = []
    moved: list[Unit] = []
    for unit in units:
        findings = found.get(unit.pk)
        if findings and (why := _no_longer_reads(sheet, findings)):
            left.append(f"{unit.tag} stays on version {unit.sheet_version}: {why}")
            continue
        unit.sheet_version = sheet.version
        moved.append(unit)
    Unit.objects.bulk_update(moved, ["sheet_version"])
    return left


def _no_longer_reads(sheet: ModelSheet, findings: Findings) -> str:
    if findings.trim not in {trim.key for trim in sheet.trims}:
        return f"the new version has no trim {findings.trim}."
    _, refusals = read_entries(sheet, findings.trim, write_entries(findings))
    return next(iter(refusals.values()), "")


def offer_of(sheet: ModelSheet) -> ProvenOffer | None:
    """What released units prove beyond the sheet's stated memory, if anything."""
    units = list(Unit.objects.filter(sheet_key=sheet.key, stage=Stage.RELEASED))
    totals = [
        (findings.soldered_gb or 0) + sum(m.gb or 0 for m in findings.modules.values())
        for findings in newest_findings(units).values()
    ]
    return proven_offer(sheet, totals)
