"""Sheets of other workshops that differ from ours: kept until somebody answered."""

from sortis_core.documents import read_document
from sortis_core.merging import SheetQuestion, questions
from sortis_core.sheets import ModelSheet
from sortis_server.people.models import Person
from sortis_server.sheets.models import OfferedSheet


def sheet_of(row: OfferedSheet) -> ModelSheet:
    """The other workshop's sheet, as the core knows it."""
    return read_document(ModelSheet, row.document)


def offer_sheet(
    here: ModelSheet, theirs: ModelSheet, came_from: str, by: Person | None
) -> tuple[OfferedSheet | None, tuple[SheetQuestion, ...]]:
    """Keep a sheet beside ours where it differs, once however often it comes.

    :param here: ours of the same key.
    :returns: the row, None where nothing differs; and what is to be asked.
    """
    asked = questions(here, theirs)
    if not asked:
        return None, ()
    document = theirs.model_dump(mode="json")
    waiting = OfferedSheet.objects.filter(key=here.key, settled_at=None)
    row = next((one for one in waiting if one.document == document), None)
    if row is None:
        row = OfferedSheet.objects.create(
            key=here.key, came_from=came_from[:120], document=document, by=by
        )
    return row, asked
