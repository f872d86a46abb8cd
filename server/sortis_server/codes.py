"""What a scanned code is: a unit, a lot, a place in the store, a word of the bench line."""

import re

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import BaseModel

from sortis_core.intake.benchline import SCANNED
from sortis_core.stages import Stage
from sortis_core.vocabulary.states import CodeKind
from sortis_server.arrive.services import unit_coded
from sortis_server.problems import NotThere
from sortis_server.stock.models import Lot

router = Router(tags=["codes"])
LONGEST = 200
LOT = re.compile(r"LOT-0*(\d{1,9})", re.IGNORECASE)


class CodeView(BaseModel):
    """A code that is known here."""

    kind: CodeKind
    code: str
    """As it is written here: the tag of a serial number, the label of a lot."""
    batch: str = ""
    stage: Stage | None = None


@router.get("", response=CodeView)
def code_is(request: HttpRequest, codes: list[str] = Query(..., max_length=2)):  # noqa: B008
    """What a scanned code is.

    :param codes: the code, and how it reads where the scanner writes by another keyboard.
    :raises NotThere: where nothing here is called so.
    """
    read = [code.strip()[:LONGEST] for code in codes if code.strip()]
    for code in read:
        if code.startswith(SCANNED) and len(code) > len(SCANNED):
            return CodeView(kind=CodeKind.WORD, code=code)
        if match := LOT.fullmatch(code):
            lot = Lot.objects.filter(pk=int(match[1])).first()
            if lot is not None:
                return CodeView(kind=CodeKind.LOT, code=f"LOT-{lot.pk}")
        elif unit := unit_coded(code):
            return CodeView(
                kind=CodeKind.UNIT, code=unit.tag, batch=unit.batch.slug, stage=unit.stage
            )
        elif place := Lot.objects.filter(place__iexact=code, on_hand__gt=0).first():
            return CodeView(kind=CodeKind.PLACE, code=place.place)
    said = f"“{read[0]}”" if read else "Nothing"
    raise NotThere(
        f"{said} is no tag, serial number, lot or place here. Scan its label again, or take it in."
    )
