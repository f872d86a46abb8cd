"""Load sheets as core types."""

from functools import lru_cache

from sortis_core.documents import read_document
from sortis_core.sheets import ModelSheet
from sortis_core.sheetwork import only_named
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.sheets.models import SheetVersion
from sortis_server.versions import newest_versions


@lru_cache(maxsize=512)
def sheet_version(key: str, version: int) -> ModelSheet:
    """One version of a sheet; versions never change, so they may be kept in memory."""
    row = SheetVersion.objects.filter(key=key, version=version).first()
    if row is None:
        raise NotThere(f"There is no version {version} of the sheet {key}.")
    return read_document(ModelSheet, row.document)


def newest_sheets() -> dict[str, ModelSheet]:
    """The newest version of every sheet, by key."""
    return {key: sheet_version(key, v) for key, v in sorted(newest_versions(SheetVersion).items())}


def sheet_called(key: str) -> ModelSheet:
    """The newest version of one sheet.

    :raises NotThere: where there is none of that key.
    """
    found = newest_sheets().get(key)
    if found is None:
        raise NotThere(f"There is no sheet {key}.")
    return found


def note_model(maker: str, model: str, by: Person) -> ModelSheet:
    """A sheet of a model that nobody knows yet; the one there is where it was noted before."""
    named = only_named(maker.strip(), model.strip())
    known = newest_sheets().get(named.key)
    if known is None:
        add_sheet(named, by, "noted at the door")
    return known or named


def add_sheet(sheet: ModelSheet, by: Person | None = None, words: str = "") -> None:
    """Append a version of a sheet."""
    SheetVersion.objects.create(
        key=sheet.key,
        version=sheet.version,
        document=sheet.model_dump(mode="json"),
        by=by,
        words=words[:200],
    )
