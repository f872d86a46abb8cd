"""What a scanned code is: a unit, a lot, a place, a word of the bench line, somebody's badge."""

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import BaseModel

from sortis_core.codes import number_in, own_kind
from sortis_core.stages import Stage
from sortis_core.vocabulary.states import CodeKind
from sortis_server.arrive.services import unit_coded
from sortis_server.people.badges import badge_of, badged
from sortis_server.problems import NotThere
from sortis_server.stock.models import Lot
from sortis_server.stock.services import lot_code

router = Router(tags=["codes"])
LONGEST = 200


class CodeView(BaseModel):
    """A code that is known here."""

    kind: CodeKind
    code: str
    """As it is written here: the tag of a serial number, the label of a lot."""
    batch: str = ""
    stage: Stage | None = None
    words: str = ""
    """What to say of it, where it leads nowhere."""


@router.get("", response=CodeView)
def code_is(request: HttpRequest, codes: list[str] = Query(..., max_length=2)):  # noqa: B008
    """What a scanned code is.

    :param codes: the code, and how it reads where the scanner writes by another keyboard.
    :raises NotThere: where nothing here is called so.
    """
    read = [code.strip()[:LONGEST] for code in codes if code.strip()]
    for code in read:
        if own_kind(code) is CodeKind.WORD:
            words = f"{code} is a word of the bench line. Open a unit at Inspect, then scan it."
            return CodeView(kind=CodeKind.WORD, code=code, words=words)
        if person := badged(code):
            words = f"The badge of {person.name}. At the sign-in it fills in the name."
            return CodeView(kind=CodeKind.PERSON, code=badge_of(person), words=words)
        if (number := number_in(CodeKind.LOT, code)) is not None:
            lot = Lot.objects.filter(pk=number).first()
            if lot is not None:
                return CodeView(kind=CodeKind.LOT, code=lot_code(lot))
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
