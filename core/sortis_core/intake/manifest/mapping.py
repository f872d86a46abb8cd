"""Which column means what: suggested from headers and values, corrected by hand."""

from sortis_core.base import Record
from sortis_core.codes import is_tag
from sortis_core.intake.manifest.headers import ALIKE, SERIAL, Field, header_score
from sortis_core.intake.manifest.table import Table
from sortis_core.intake.models import ModelNames, plain

LOOKED_AT = 200
"""Values are judged by the first so many rows."""
ENOUGH = 45
"""A column below this score is not suggested."""


NEEDED = (Field.SERIAL, Field.MODEL)


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
            return share([is_tag(v.upper()) for v in filled])
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
            score = max(by_header if by_header >= ALIKE else 0, 0.6 * by_header + 0.4 * by_value)
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
