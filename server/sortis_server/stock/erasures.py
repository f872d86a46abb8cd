"""Reports of erasers, kept word for word with the drives that they are about."""

from collections.abc import Sequence

from sortis_core.documents import read_document
from sortis_core.intake.erasure import ErasureReport, read_report, require_drives
from sortis_core.intake.readout import ReadOut
from sortis_server.arrive.models import Unit
from sortis_server.people.models import Person
from sortis_server.stock.models import Act, Erasure, Lot


def serials_seen(unit: Unit) -> tuple[str, ...]:
    """Serial numbers of drives that the unit's newest read-out saw; empty where there is none."""
    newest = unit.readouts.order_by("-pk").only("document").first()
    if newest is None:
        return ()
    seen = read_document(ReadOut, newest.document)
    return tuple(sorted({drive.serial for drive in seen.drives if drive.serial}))


def keep_reports(
    texts: Sequence[str],
    drives: int,
    by: Person,
    *,
    unit: Unit | None = None,
    lot: Lot | None = None,
    act: Act | None = None,
    known: Sequence[str] = (),
) -> str:
    """Read and keep reports of so many drives; answers with the record that they make.

    :param unit: whose drives they are, where they are still in it. :param lot: else where they lie.
    :param known: serial numbers that may be theirs; empty where nobody knows.
    :raises ReportRefused: where one is none, of another drive, or was given before.
    """
    reports = [read_report(text) for text in texts]
    digests = [report.digest for report in reports]
    used = set(
        Erasure.objects.filter(valid=True, digest__in=digests).values_list("digest", flat=True)
    )
    words = require_drives(reports, drives, known, used)
    for text, report in zip(texts, reports, strict=True):
        Erasure.objects.create(
            digest=report.digest,
            text=text,
            report=report.model_dump(mode="json"),
            unit=unit,
            lot=lot,
            act=act,
            by=by,
        )
    return words


def reports_of(unit: Unit) -> list[tuple[Erasure, ErasureReport]]:
    """Reports that count for drives of a unit, wherever these are now, oldest first."""
    rows = Erasure.objects.filter(valid=True).select_related("by")
    rows = rows.filter(unit=unit) | rows.filter(lot__out_of=unit)
    return [(row, ErasureReport.model_validate(row.report)) for row in rows.order_by("pk")]
