"""Which column means what: suggested from headers and values, corrected by hand."""

import re

from rapidfuzz import fuzz

from sortis_core.base import Record
from sortis_core.intake.manifest.table import Table
from sortis_core.intake.models import ModelNames, plain
from sortis_core.vocabulary.term import Term

TAG = re.compile(r"[A-Z]{1,4}-\d{3,6}")
SERIAL = re.compile(r"(?=.*\d)[A-Za-z0-9\-/.]{4,40}")
LOOKED_AT = 200
"""Values are judged by the first so many rows."""
ENOUGH = 45
"""A column below this score is not suggested."""


class Field(Term):
    """What a column can mean."""

    SERIAL = "serial", "serial number"
    MODEL = "model"
    MAKER = "maker"
    TAG = "tag"
    NOTES = "notes"
    COMES_WITH = "comes_with", "comes with"


NEEDED = (Field.SERIAL, Field.MODEL)
HEADERS: dict[Field, tuple[str, ...]] = {
    Field.SERIAL: ("serial", "serial number", "serial no", "sn", "s n", "ser nr", "seriennummer"),
    Field.MODEL: ("model", "model name", "product", "device", "type", "description", "modell"),
    Field.MAKER: ("maker", "manufacturer", "make", "brand", "vendor", "hersteller"),
    Field.TAG: ("tag", "our tag", "label", "tag number"),
    Field.NOTES: ("notes", "note", "remarks", "comment", "comments", "damage", "bemerkung"),
    Field.COMES_WITH: ("comes with", "accessories", "extras", "adapter", "charger", "zubehör"),
}


class Mapping(Record):
    """Field -> number of its column, from 0."""

    columns: dict[Field, int]

    def missing(self) -> tuple[Field, ...]:
        """Fields without which no unit can be taken in."""
        return tuple(field for field in NEEDED if field not in self.columns)

    def value(self, cells: tuple[str, ...], field: Field) -> str:
        """The cell of a field; empty where no column holds it."""
        column = self.columns.get(field)
        return cells[column] if column is not None and column < len(cells) else ""


def header_score(field: Field, header: str) -> float:
    """How alike a column's name is to what lists call the field, 0 to 100."""
    return max(fuzz.ratio(plain(header), plain(name)) for name in HEADERS[field])


def value_score(field: Field, values: list[str], names: ModelNames) -> float:
    """How far the values look like the field, 0 to 100."""
    filled = [value for value in values if value]
    if not filled:
        return 0
    different = len(set(filled)) / len(filled)

    def share(test: list[bool]) -> float:
        return 100 * sum(test) / len(filled)

    makers = {plain(sheet.maker) for sheet in names.sheets}
    match field:
        case Field.SERIAL:
            return share([bool(SERIAL.fullmatch(v)) for v in filled]) * different**2
        case Field.MODEL:
            return share([names.match("", v).state != "unclear" for v in filled])
        case Field.MAKER:
            return share([plain(v) in makers for v in filled])
        case Field.TAG:
            return share([bool(TAG.fullmatch(v.upper())) for v in filled])
        case _:
            return 0


def suggest_mapping(
    table: Table, names: ModelNames, remembered: dict[str, str] | None = None
) -> Mapping:
    """The likeliest meaning of every column; what a person chose for this source comes first.

    :param remembered: plain header -> field, from the last list of the same source.
    """
    scores: list[tuple[float, Field, int]] = []
    for column, header in enumerate(table.headers):
        values = [row.cells[column] for row in table.rows[:LOOKED_AT]]
        for field in Field:
            if (remembered or {}).get(plain(header)) == field:
                scores.append((1000, field, column))
                continue
            by_header = header_score(field, header)
            by_value = value_score(field, values, names)
            score = max(by_header if by_header >= 80 else 0, 0.6 * by_header + 0.4 * by_value)
            score = max(score, by_value * 0.8)
            scores.append((score, field, column))
    columns: dict[Field, int] = {}
    for score, field, column in sorted(scores, key=lambda one: (-one[0], one[2])):
        if score >= ENOUGH and field not in columns and column not in columns.values():
            columns[field] = column
    return Mapping(columns={field: columns[field] for field in Field if field in columns})


def remember(table: Table, mapping: Mapping) -> dict[str, str]:
    """What to keep for the next list of the same source: plain header -> field."""
    return {plain(table.headers[column]): field for field, column in mapping.columns.items()}
