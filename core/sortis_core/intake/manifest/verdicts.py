"""The verdict on every row of a manifest, before anything is written."""

import re
import unicodedata
from collections.abc import Collection
from collections.abc import Mapping as Mappings

from pydantic import Field as Limits

from sortis_core.base import Record, SortisError
from sortis_core.codes import bare_tag, is_tag, own_kind
from sortis_core.intake.manifest.headers import Field
from sortis_core.intake.manifest.mapping import Mapping
from sortis_core.intake.manifest.table import ALWAYS, MARKS, ManifestRefused, TableRow, marked
from sortis_core.intake.models import Likeness, ModelNames
from sortis_core.reasons import says_something
from sortis_core.vocabulary.term import Term

LONGEST = 200
CODES = (Field.SERIAL, Field.MODEL, Field.MAKER, Field.TAG)
"""Fields of which every letter counts."""
SCIENTIFIC = re.compile(r"\d[.,]\d+[eE][+-]?\d{1,3}|\d{1,3}[eE]\+\d{1,3}")
"""A long number as a spreadsheet shows it in a narrow column."""
FORMULA_STARTS = ("=", "+", "@")
WORKBOOK_ERRORS = ("#REF!", "#N/A", "#NAME?", "#VALUE!", "#DIV/0!", "#NULL!", "#NUM!")


class RowState(Term):
    """Whether a row can be taken in."""

    OK = "ok"
    LOOK = "look"
    """Taken in, but somebody should look: the model's name was only alike."""
    FAULT = "fault", "cannot be taken in"
    LEFT_OUT = "left_out", "left out"
    """Is not taken in, and somebody said why."""
    ASIDE = "aside", "set aside"
    """Waits as a list of its own until somebody mends it."""

    @property
    def taken(self) -> bool:
        """Becomes a unit when the list is taken in."""
        return self in (RowState.OK, RowState.LOOK)


class RowMend(Record):
    """What somebody says of one row that cannot be taken in as it is written."""

    tag: str | None = Limits(default=None, max_length=LONGEST)
    serial: str | None = Limits(default=None, max_length=LONGEST)
    sheet: str | None = Limits(default=None, max_length=LONGEST)
    """Key of the model sheet."""
    notes: str | None = Limits(default=None, max_length=LONGEST)
    comes_with: str | None = Limits(default=None, max_length=LONGEST)
    left_out: str = Limits(default="", max_length=LONGEST)
    """Why it is not taken in."""
    aside: bool = False


class MendRefused(SortisError):
    """What was said of a row does not go."""

    title = "The row was not mended"


def read_mend(given: RowMend, sheets: Collection[str]) -> RowMend:
    """A mend that can be kept.

    :raises MendRefused: where a row is left out without a reason, or for an unknown sheet.
    """
    if given.left_out and not says_something(given.left_out):
        raise MendRefused("Say in a few words why the row is left out.")
    if given.sheet and given.sheet not in sheets:
        raise MendRefused(f"There is no sheet {given.sheet}. Choose another.")
    return given


def normal_form(code: str) -> str:
    """A serial number or a name as it is compared, the way the database does.

    Case, accents, width, blanks and marks that nobody sees make no difference.
    """
    letters = unicodedata.normalize("NFKD", code)
    seen = [one for one in letters if unicodedata.category(one) not in ("Mn", "Cf", "Cc")]
    return "".join("".join(seen).casefold().split())


class RowVerdict(Record):
    """One row of a manifest as it would be taken in."""

    line: int
    state: RowState
    sentence: str
    """Why it needs a look, or cannot be taken in."""
    tag: str
    """Empty: a tag is to be given."""
    serial: str
    name: str
    """Maker and model as the list writes them."""
    sheet: str
    """Key of the model sheet; empty while unclear."""
    model: str
    """Name of the model sheet."""
    notes: str
    comes_with: str
    written_tag: str = ""
    """As the list has it, where somebody mended it."""
    written_serial: str = ""
    mended: bool = False
    """Somebody said what it means."""
    asks_model: bool = False
    """Nothing else is wrong with it than that nobody knows its model."""
    alternatives: tuple[Likeness, ...] = ()
    """Sheets the name may mean, likeliest first; only where somebody should look."""


NOT_MENDED = RowMend()


class RowChecker:
    """Checks rows one after another; remembers what stood on earlier lines.

    :param taken_tags: tags other units already carry.
    :param taken_serials: serial numbers the batch already has.
    :param mends: what somebody said of single rows, by line.
    """

    def __init__(
        self,
        mapping: Mapping,
        names: ModelNames,
        taken_tags: frozenset[str] = frozenset(),
        taken_serials: frozenset[str] = frozenset(),
        mends: Mappings[int, RowMend] | None = None,
    ) -> None:
        if missing := mapping.missing():
            wanted = " and the ".join(field.label for field in missing)
            raise ManifestRefused(
                f"No column is marked as the {wanted}. Say which column it is.",
                missing=list(missing),
            )
        self.mapping, self.names = mapping, names
        self.taken_tags = frozenset(map(bare_tag, taken_tags))
        self.taken_serials = frozenset(map(normal_form, taken_serials))
        self.mends = mends or {}
        self._labels = {sheet.key: sheet.name for sheet in names.sheets}
        self._seen: dict[tuple[str, str], int] = {}

    def check(self, row: TableRow) -> RowVerdict:
        """The verdict on one row."""
        raw = {field: self.mapping.value(row.cells, field) for field in Field}
        cells = {field: marked(cell)[0] for field, cell in raw.items()}
        written = cells[Field.TAG], cells[Field.SERIAL]
        mend = self.mends.get(row.line, NOT_MENDED)
        if mend.left_out or mend.aside:
            return self._not_taken(row, cells, mend)
        for field, said in _said(mend):
            raw[field] = cells[field] = said.strip()
        tag, serial = cells[Field.TAG].upper(), cells[Field.SERIAL]
        # What the list calls the model does not matter where somebody said which it is.
        named = dict.fromkeys((Field.MODEL, Field.MAKER), "") if mend.sheet else {}
        fault = (
            _made_of(raw | named)
            or self._fault(cells | named, tag, mend.sheet)
            or self._twice(row.line, tag, serial)
        )
        match = self.names.match(cells[Field.MAKER], cells[Field.MODEL])
        name = f"{cells[Field.MAKER]} {cells[Field.MODEL]}".strip()
        state, sentence = RowState.OK, ""
        sheet = mend.sheet or match.sheet
        if fault:
            state, sentence = RowState.FAULT, fault
        elif mend.sheet:
            sentence = "mended by hand"
        elif match.state == "unclear":
            state = RowState.FAULT
            offered = [one.name for one in match.alternatives[:3]]
            near = f"; it may be {' or '.join(offered)}" if offered else ""
            sentence = f"no model sheet is called {name}{near}"
        elif match.state == "likely":
            state = RowState.LOOK
            sentence = f"{name} is taken for {self._labels[match.sheet]}"
        return RowVerdict(
            line=row.line,
            state=state,
            sentence=sentence,
            tag=tag,
            serial=serial[:LONGEST],
            name=name[: 2 * LONGEST],
            sheet=sheet,
            model=self._labels.get(sheet, ""),
            notes=cells[Field.NOTES][:LONGEST],
            comes_with=cells[Field.COMES_WITH][:LONGEST],
            written_tag=written[0][:LONGEST] if mend.tag is not None else "",
            written_serial=written[1][:LONGEST] if mend.serial is not None else "",
            mended=mend != NOT_MENDED,
            asks_model=not fault and not mend.sheet and match.state == "unclear",
            alternatives=match.alternatives if match.state != "known" else (),
        )

    def _not_taken(self, row: TableRow, cells: dict[Field, str], mend: RowMend) -> RowVerdict:
        name = f"{cells[Field.MAKER]} {cells[Field.MODEL]}".strip()
        return RowVerdict(
            line=row.line,
            state=RowState.LEFT_OUT if mend.left_out else RowState.ASIDE,
            sentence=mend.left_out or "waits until somebody mends it",
            tag=cells[Field.TAG].upper()[:LONGEST],
            serial=cells[Field.SERIAL][:LONGEST],
            name=name[: 2 * LONGEST],
            sheet="",
            model="",
            notes=cells[Field.NOTES][:LONGEST],
            comes_with=cells[Field.COMES_WITH][:LONGEST],
        )

    def _fault(self, cells: dict[Field, str], tag: str, sheet: str | None) -> str:
        for field, cell in cells.items():
            if cell.startswith(FORMULA_STARTS) or re.match(r"-\d", cell):
                return f"{field} holds a formula ({cell[:20]}); write the plain value"
            if cell.upper() in WORKBOOK_ERRORS:
                return f"{field} holds a workbook's error ({cell}); write the plain value"
            if field in CODES and SCIENTIFIC.fullmatch(cell):
                return (
                    f"{field} is written as {cell}, without its last figures; store the column as "
                    "text and export it again"
                )
            if any(ord(char) < 32 or ord(char) == 127 for char in cell):
                return f"{field} holds a control character; type it again"
            if len(cell) > LONGEST:
                return f"{field} is longer than {LONGEST} characters; shorten it"
        for field in (Field.SERIAL, Field.MODEL):
            if not cells[field] and not (field is Field.MODEL and sheet):
                return f"{field} is blank; fill it in"
        if tag and own_kind(tag) is not None:
            return f"tag {tag} reads like a label of another kind; leave it blank"
        if tag and not is_tag(tag):
            return f"tag {tag} is not of the form AB-0412; correct it or leave it blank"
        if tag and bare_tag(tag) in self.taken_tags:
            return f"tag {tag} is on another unit already; leave it blank"
        if normal_form(cells[Field.SERIAL]) in self.taken_serials:
            return f"serial {cells[Field.SERIAL]} is in this batch already"
        return ""

    def _twice(self, line: int, tag: str, serial: str) -> str:
        compared = (("tag", tag, bare_tag(tag)), ("serial", serial, normal_form(serial)))
        for what, value, form in compared:
            if not value:
                continue
            first = self._seen.setdefault((what, form), line)
            if first != line:
                return f"{what} {value} stands on line {first} already"
        return ""


def _said(mend: RowMend) -> list[tuple[Field, str]]:
    """What somebody wrote in place of cells."""
    written = (
        (Field.TAG, mend.tag),
        (Field.SERIAL, mend.serial),
        (Field.NOTES, mend.notes),
        (Field.COMES_WITH, mend.comes_with),
    )
    return [(field, text) for field, text in written if text is not None]


def _made_of(cells: dict[Field, str]) -> str:
    """What a workbook made of a cell, where a code or nothing at all can be read from it."""
    for field, cell in cells.items():
        mark = marked(cell)[1]
        if mark and (mark in ALWAYS or field in CODES):
            shown = marked(cell)[0]
            return f"{field} {MARKS[mark]}" + (f" ({shown})" if shown else "")
    return ""


def refused_lines(faults: list[tuple[int, str]]) -> ManifestRefused:
    """The refusal of a file for single lines: ``faults`` are (line number, reason)."""
    count = "One line" if len(faults) == 1 else f"{len(faults):,} lines"
    return ManifestRefused(
        f"{count} cannot be read, so nothing was taken in. Correct the file, or say what is meant, "
        "and take it in again.",
        lines=sorted(faults),
    )
