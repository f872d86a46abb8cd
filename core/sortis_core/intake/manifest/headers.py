"""What lists call their columns, and what their codes look like."""

import re
from collections.abc import Iterable

from rapidfuzz import fuzz

from sortis_core.codes import is_tag
from sortis_core.intake.models import plain
from sortis_core.vocabulary.term import Term

SERIAL = re.compile(r"(?=.*\d)[A-Za-z0-9\-/.]{4,40}")
ALIKE = 80
"""From here on a column's name is what lists call a field."""


class Field(Term):
    """What a column can mean."""

    SERIAL = "serial", "serial number"
    MODEL = "model"
    MAKER = "maker"
    TAG = "tag"
    NOTES = "notes"
    COMES_WITH = "comes_with", "comes with"


HEADERS: dict[Field, tuple[str, ...]] = {
    Field.SERIAL: ("serial", "serial number", "serial no", "sn", "s n", "ser nr", "seriennummer"),
    Field.MODEL: ("model", "model name", "product", "device", "type", "description", "modell"),
    Field.MAKER: ("maker", "manufacturer", "make", "brand", "vendor", "hersteller"),
    Field.TAG: ("tag", "our tag", "label", "tag number"),
    Field.NOTES: ("notes", "note", "remarks", "comment", "comments", "damage", "bemerkung"),
    Field.COMES_WITH: ("comes with", "accessories", "extras", "adapter", "charger", "zubehör"),
}


def header_score(field: Field, header: str) -> float:
    """How alike a column's name is to what lists call the field, 0 to 100."""
    return max(fuzz.ratio(plain(header), plain(name)) for name in HEADERS[field])


def names_a_column(cell: str) -> bool:
    """Whether lists call a column so."""
    return bool(cell) and any(header_score(field, cell) >= ALIKE for field in Field)


def holds_codes(cells: Iterable[str]) -> bool:
    """Whether one of the cells looks like a tag or a serial number, as units have them."""
    filled = [cell for cell in cells if cell]
    return len(filled) > 1 and any(
        is_tag(cell.upper()) or SERIAL.fullmatch(cell) for cell in filled
    )
