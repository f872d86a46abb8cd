"""Whose what another workshop's sheet asks, and keep the next version of ours."""

from collections.abc import Mapping

from django.db import transaction
from django.utils import timezone

from sortis_core.base import listed
from sortis_core.merging import Whose, merged, questions
from sortis_core.sheets import ModelSheet
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.sheets.models import OfferedSheet
from sortis_server.sheets.offered import sheet_of
from sortis_server.sheets.services import sheet_called
from sortis_server.sheetwork.editing import save_sheet


def waiting_sheet(number: int, *, lock: bool = False) -> OfferedSheet:
    """A sheet of another workshop that nobody answered yet.

    :raises NotThere: where it was answered, or never came.
    """
    rows = OfferedSheet.objects.select_for_update() if lock else OfferedSheet.objects
    row = rows.filter(pk=number).first()
    if row is None:
        raise NotThere("There is no such sheet of another workshop.")
    if row.settled_at:
        raise NotThere(f"What came from {row.came_from} was answered already.")
    return row


def merge_offered(
    number: int, answers: Mapping[str, Whose], started_from: int, by: Person
) -> tuple[ModelSheet, list[str]]:
    """Keep the sheet that the answers make as the next version of ours.

    :param started_from: the version the questions were asked against.
    :returns: the sheet, and sentences about units that stay on their version.
    :raises NotAnswered: where a question is open.
    :raises SheetRefused: where the answers do not go together; nothing is kept.
    :raises StaleVersion: where ours was changed since.
    """
    with transaction.atomic():
        row = waiting_sheet(number, lock=True)
        ours, theirs = sheet_called(row.key), sheet_of(row)
        if ours.version != started_from:
            raise StaleVersion(
                f"Somebody saved version {ours.version} of {ours.name} after the questions were "
                "asked. Look at them again; your answers are still on this screen.",
                version=ours.version,
            )
        document = merged(ours, theirs, answers)
        taken = [q.where for q in questions(ours, theirs) if answers[q.key] is Whose.THEIRS]
        _settle(row, by)
        if not taken:
            return ours, []
        more = [f"{len(taken) - 3} more"] if len(taken) > 3 else []
        words = f"from {row.came_from}: {listed([*taken[:3], *more])}"
        return save_sheet(document, started_from, words, by, move_waiting=True)


def leave_offered(number: int, by: Person) -> None:
    """Keep ours as it is; reading the file again brings the questions back."""
    with transaction.atomic():
        _settle(waiting_sheet(number, lock=True), by)


def _settle(row: OfferedSheet, by: Person) -> None:
    row.settled_at, row.settled_by = timezone.now(), by
    row.save(update_fields=["settled_at", "settled_by"])
