"""A stock list: what lies where, in whatever columns it came; every row with its verdict.

Read like a manifest, before anything is written.
"""

from collections.abc import Mapping

from pydantic import Field as Limits
from rapidfuzz import fuzz

from sortis_core.base import Record
from sortis_core.intake.manifest.table import MARKS, Table, TableRow, marked
from sortis_core.intake.manifest.verdicts import FORMULA_STARTS, normal_form
from sortis_core.intake.models import plain
from sortis_core.prices import PriceRefused, read_amount
from sortis_core.stock import Condition, DriveFacts, PartKind
from sortis_core.vocabulary.term import Term

MOST_PARTS = 100_000
LONGEST_PLACE = 60
ENOUGH = 60
"""Headers and names below this likeness are not suggested."""
SURE = 90
OFFERED = 3


class StockField(Term):
    """What a column of a stock list can mean."""

    KIND = "kind", "part"
    COUNT = "count"
    PLACE = "place"
    COST = "cost", "cost of one"
    CONDITION = "condition"


NEEDED = (StockField.KIND, StockField.COUNT, StockField.PLACE)
HEADERS: dict[StockField, tuple[str, ...]] = {
    StockField.KIND: (
        "part",
        "kind",
        "article",
        "item",
        "name",
        "part kind",
        "description",
        "teil",
    ),
    StockField.COUNT: (
        "count",
        "qty",
        "quantity",
        "pieces",
        "number",
        "on hand",
        "menge",
        "anzahl",
    ),
    StockField.PLACE: ("place", "shelf", "bin", "location", "drawer", "box", "ort", "fach"),
    StockField.COST: ("cost", "price", "cost of one", "unit cost", "each", "preis", "einstand"),
    StockField.CONDITION: ("condition", "state", "zustand", "quality"),
}


class StockRowState(Term):
    """Whether a row can be booked in."""

    OK = "ok", "understood"
    LOOK = "look", "look at"
    FAULT = "fault", "cannot be booked in"


class StockMapping(Record):
    """Field -> number of its column; the condition where no column says it."""

    columns: dict[StockField, int]
    condition: Condition | None = None
    chosen: dict[str, str] = Limits(default={}, max_length=2000)
    """Name as the list writes it, plain -> key of the kind."""


class LikeKind(Record):
    """A part kind that a name may mean."""

    key: str
    label: str


class StockRow(Record):
    """One row as it would be booked in."""

    line: int
    state: StockRowState
    sentence: str
    name: str
    plain_name: str
    """As it is chosen for by hand."""
    kind: str
    """Key of the part kind; empty while unclear."""
    label: str
    count: int
    place: str
    unit_cost_cents: int
    condition: Condition | None
    alternatives: tuple[LikeKind, ...] = ()
    """Kinds that it may mean, the likeliest first."""


class StockTable(Record):
    """A stock list as it is understood."""

    headers: tuple[str, ...]
    columns: dict[StockField, int]
    refusal: str
    """What must be said before rows are read; then there are none."""
    rows: tuple[StockRow, ...]


def read_stock(
    table: Table, kinds: Mapping[str, PartKind], mapping: StockMapping | None = None
) -> StockTable:
    """The verdict on every row of a list.

    :param mapping: what somebody said; None suggests it from the headers.
    """
    said = mapping or StockMapping(columns=suggest_columns(table))
    columns = {f: c for f, c in said.columns.items() if 0 <= c < len(table.headers)}
    refusal = ""
    if missing := [field.label for field in NEEDED if field not in columns]:
        refusal = f"No column is marked as the {' and the '.join(missing)}. Say which it is."
    elif StockField.CONDITION not in columns and said.condition is None:
        refusal = "No column says the condition. Choose the one that holds for the whole list."
    reader = _Reader(
        kinds, StockMapping(columns=columns, condition=said.condition, chosen=said.chosen)
    )
    return StockTable(
        headers=table.headers,
        columns=columns,
        refusal=refusal,
        rows=() if refusal else tuple(reader.row(row) for row in table.rows),
    )


def suggest_columns(table: Table) -> dict[StockField, int]:
    """What the headers look like, the likeliest first; no column means two things."""
    scores = sorted(
        (
            (max(fuzz.ratio(plain(header), name) for name in HEADERS[field]), field, column)
            for field in StockField
            for column, header in enumerate(table.headers)
        ),
        key=lambda one: -one[0],
    )
    found: dict[StockField, int] = {}
    for score, field, column in scores:
        if score >= ENOUGH and field not in found and column not in found.values():
            found[field] = column
    return found


class _Reader:
    def __init__(self, kinds: Mapping[str, PartKind], mapping: StockMapping) -> None:
        self._kinds, self._mapping = kinds, mapping
        self._by_name = {normal_form(kind.label): kind for kind in kinds.values()}
        self._by_name |= {normal_form(key): kind for key, kind in kinds.items()}
        self._conditions = {normal_form(c.label): c for c in Condition}
        self._conditions |= {normal_form(c.value): c for c in Condition}

    def row(self, row: TableRow) -> StockRow:
        cells = {field: self._cell(row, field) for field in StockField}
        name = cells[StockField.KIND]
        kind, sure, alternatives = self._kind(name)
        faults: list[str] = []
        for field, column in self._mapping.columns.items():
            mark = marked(row.cells[column])[1] if column < len(row.cells) else ""
            if mark:
                faults.append(f"{field} {MARKS[mark]}")
        for field, cell in cells.items():
            if cell.startswith(FORMULA_STARTS):
                faults.append(f"{field} holds a formula ({cell[:20]}); write the plain value")
        if not name:
            faults.append("the part is blank; fill it in")
        elif kind is None:
            near = (
                f"; it may be {' or '.join(one.label for one in alternatives)}"
                if alternatives
                else ""
            )
            faults.append(f"no part kind is called {name}{near}")
        count = self._count(cells[StockField.COUNT], faults)
        place = cells[StockField.PLACE]
        if not place:
            faults.append("the place is blank; say where it lies")
        elif len(place) > LONGEST_PLACE:
            faults.append(f"the place is longer than {LONGEST_PLACE} letters; shorten it")
        cost = self._cost(cells[StockField.COST], faults)
        condition = self._condition(cells[StockField.CONDITION], kind, faults)
        state = StockRowState.FAULT if faults else StockRowState.OK
        sentence = faults[0] if faults else ""
        if not faults and kind and not sure:
            state, sentence = StockRowState.LOOK, f"{name} is taken for {kind.label}"
        return StockRow(
            line=row.line,
            state=state,
            sentence=sentence,
            name=name[:200],
            plain_name=plain(name)[:200],
            kind=kind.key if kind else "",
            label=kind.label if kind else "",
            count=count,
            place=place[:LONGEST_PLACE],
            unit_cost_cents=cost,
            condition=condition,
            alternatives=alternatives,
        )

    def _cell(self, row: TableRow, field: StockField) -> str:
        column = self._mapping.columns.get(field)
        if column is None or column >= len(row.cells):
            return ""
        return marked(row.cells[column])[0].strip()

    def _kind(self, name: str) -> tuple[PartKind | None, bool, tuple[LikeKind, ...]]:
        if chosen := self._kinds.get(self._mapping.chosen.get(plain(name), "")):
            return chosen, True, ()
        if known := self._by_name.get(normal_form(name)):
            return known, True, ()
        if not name:
            return None, False, ()
        like = sorted(
            ((fuzz.token_sort_ratio(plain(name), plain(k.label)), k) for k in self._kinds.values()),
            key=lambda one: (-one[0], one[1].key),
        )
        offered = tuple(
            LikeKind(key=k.key, label=k.label) for score, k in like[:OFFERED] if score >= ENOUGH
        )
        clear = len(like) == 1 or (like and like[0][0] > like[1][0])
        if like and like[0][0] >= SURE and clear:
            return like[0][1], False, offered
        return None, False, offered

    @staticmethod
    def _count(text: str, faults: list[str]) -> int:
        plain_text = text.removesuffix(".0").removesuffix(",0")
        if not plain_text.isascii() or not plain_text.isdigit():
            faults.append(f"“{text[:20]}” is no count; write a whole number")
            return 0
        count = int(plain_text) if len(plain_text) <= 9 else MOST_PARTS + 1
        if not 0 < count <= MOST_PARTS:
            faults.append(f"a count lies between 1 and {MOST_PARTS:,}")
            return 0
        return count

    @staticmethod
    def _cost(text: str, faults: list[str]) -> int:
        try:
            return read_amount(text) or 0
        except PriceRefused as refusal:
            faults.append(refusal.sentence)
            return 0

    def _condition(self, text: str, kind: PartKind | None, faults: list[str]) -> Condition | None:
        if StockField.CONDITION not in self._mapping.columns:
            found = self._mapping.condition
        else:
            found = self._conditions.get(normal_form(text))
            if found is None:
                known = ", ".join(one.label for one in Condition)
                faults.append(f"“{text[:20]}” is no condition; write one of {known}")
        drive = kind is not None and isinstance(kind.facts, DriveFacts)
        if found and drive and found is not Condition.NEW:
            # What held data waits for its record, whatever a list says of it.
            return Condition.AWAITING_SANITISING
        return found
