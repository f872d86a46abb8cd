"""Model sheets and resale standards."""

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel

from sortis_core.findings import Findings
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.strip import Strip, draw_strip
from sortis_server.arrive.models import Unit
from sortis_server.problems import NotThere
from sortis_server.sheets.services import newest_sheets, newest_standards

router = Router(tags=["sheets"])


class SheetUse(BaseModel):
    """A sheet and how many units are read against it."""

    sheet: ModelSheet
    units: int
    strip: Strip


@router.get("", response=list[SheetUse])
def sheets(request: HttpRequest):
    """The newest version of every sheet."""
    counts: dict[str, int] = {}
    for key in Unit.objects.values_list("sheet_key", flat=True):
        counts[key] = counts.get(key, 0) + 1
    standards = newest_standards()
    return [
        SheetUse(
            sheet=sheet,
            units=counts.get(key, 0),
            strip=draw_strip(sheet, Findings(sheet=key, trim=sheet.trims[0].key), standards),
        )
        for key, sheet in newest_sheets().items()
    ]


@router.get("/standards", response=list[Standard])
def standards(request: HttpRequest):
    """The newest version of every standard."""
    return list(newest_standards())


@router.get("/{key}", response=ModelSheet)
def sheet(request: HttpRequest, key: str):
    """The newest version of one sheet, as its document."""
    found = newest_sheets().get(key)
    if found is None:
        raise NotThere(f"There is no sheet {key}.")
    return found
