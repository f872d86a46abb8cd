"""Read a CSV file or a workbook as a table of texts, each row with its line in the file.

Nothing a file says of itself is believed: sizes are counted while unpacking, formulas stay text,
dimensions are ignored (docs/formats.md, Manifest).
"""

import csv
import io
import re
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import date, datetime, time, timedelta
from typing import Any

from openpyxl import load_workbook
from openpyxl.utils.exceptions import InvalidFileException

from sortis_core.base import Record, SortisError, listed
from sortis_core.intake.manifest.headers import holds_codes, names_a_column

LARGEST_BYTES = 5_000_000
LARGEST_UNPACKED = 60_000_000
MOST_PARTS = 300
MOST_ROWS = 10_000
MOST_COLUMNS = 60
MOST_BLANK = 5_000
"""Empty lines in a row; a cell at the far end of a sheet makes a million of them."""
HEADER_WITHIN = 15
"""A header stands among the first rows; titles and blank lines may stand above it."""
SAFE_FIGURES = 15
"""A workbook keeps numbers to so many figures; longer serial numbers are rounded."""
DECLARATIONS = tuple(
    word.encode(encoding)
    for word in ("<!DOCTYPE", "<!ENTITY")
    for encoding in ("utf-8", "utf-16-le", "utf-16-be")
)
MARKS = {
    "#ROUNDED": "is a number of more than 15 figures, which workbooks round; store the column as "
    "text",
    "#FORMULA": "is a formula whose result the file does not hold; open the workbook, save it, and "
    "send it again",
    "#DATE": "is a date to the workbook, which makes one of codes like 3-12; store the column as "
    "text and type it again",
    "#TIME": "is a time of day to the workbook; store the column as text and type it again",
    "#TRUTH": "is a truth value to the workbook; store the column as text and type it again",
}
"""What a workbook made of a cell -> why no code can be read from it."""
ALWAYS = ("#ROUNDED", "#FORMULA")
"""Marks of cells of which nothing can be read, not even words."""
ZEROS = re.compile(r'(?:"([^"]{0,12})")?(0{2,20})')
"""A number format that shows leading zeros, perhaps after a word."""


class ManifestRefused(SortisError):
    """The file cannot be taken in; ``facts['lines']`` lists (line number, reason)."""

    title = "The manifest was not taken in"


class TableRow(Record):
    """One row with its line in the file (rows of a workbook are its lines)."""

    line: int
    cells: tuple[str, ...]


class Table(Record):
    """A header and the rows under it."""

    header_line: int
    """0 where the list has no header: then its columns are called by their numbers."""
    headers: tuple[str, ...]
    rows: tuple[TableRow, ...]


def read_table(data: bytes) -> Table:
    """Read a manifest file whole.

    :raises ManifestRefused: where it is empty, too large, of another kind, or not readable.
    """
    if not data.strip():
        raise ManifestRefused(
            "The file is empty. Export the list again and check that it has a header line."
        )
    if len(data) > LARGEST_BYTES:
        raise ManifestRefused(
            f"The file has {len(data) / 1e6:.0f} MB; a manifest may have up to "
            f"{LARGEST_BYTES // 1_000_000} MB. Send the list alone, without pictures."
        )
    if data.startswith(b"PK\x03\x04"):
        return _table(_workbook_rows(data))
    if data.startswith(b"\xd0\xcf\x11\xe0"):
        raise ManifestRefused(
            "This is a workbook in an old format, or one locked with a password. Save it as XLSX "
            "without a password, or as CSV (UTF-8)."
        )
    return _table(_csv_rows(_text(data)))


def marked(cell: str) -> tuple[str, str]:
    """(The text of a cell, the mark of what a workbook made of it; empty where nothing)."""
    mark, _, text = cell.partition(" ")
    return (text, mark) if mark in MARKS else (cell, "")


def _table(rows: Iterator[TableRow]) -> Table:
    top: list[TableRow] = []
    for row in rows:
        if any(row.cells):
            top.append(row)
        if len(top) >= HEADER_WITHIN:
            break
    header = _header(top)
    below = top[top.index(header) + 1 :] if header.line else list(top)
    for row in rows:
        if any(row.cells):
            below.append(row)
        if len(below) > MOST_ROWS:
            raise ManifestRefused(
                f"The list has more than {MOST_ROWS:,} units. Split it into several files."
            )
    if not below:
        raise ManifestRefused("The file has a header but no units below it.")
    width = max(len(header.cells), max(len(row.cells) for row in below))
    headers = [marked(cell)[0][:80] for cell in _widened(header.cells, width)]
    return Table(
        header_line=header.line,
        headers=tuple(name or f"column {number}" for number, name in enumerate(headers, start=1)),
        rows=tuple(TableRow(line=row.line, cells=_widened(row.cells, width)) for row in below),
    )


def _widened(cells: tuple[str, ...], width: int) -> tuple[str, ...]:
    return cells + ("",) * (width - len(cells))


NO_HEADER = TableRow(line=0, cells=())


def _header(top: list[TableRow]) -> TableRow:
    """The first row that names most columns without a bare figure among its names.

    What looks like a unit, and holds no word that columns are called by, is one: then the list has
    no header, and nothing of it is lost as one.
    """
    named = [
        row
        for row in top
        if sum(bool(cell) for cell in row.cells) >= 2
        and not any(cell.replace(".", "").isdigit() for cell in row.cells)
    ]
    if not named and any(holds_codes(row.cells) for row in top):
        return NO_HEADER
    if not named:
        raise ManifestRefused(
            "The file has no header line. Put the names of the columns above the units: at least "
            "one for the serial number and one for the model."
        )
    most = max(sum(bool(cell) for cell in row.cells) for row in named)
    found = next(row for row in named if sum(bool(cell) for cell in row.cells) >= most - 1)
    if not any(names_a_column(cell) for cell in found.cells) and holds_codes(found.cells):
        return NO_HEADER
    return found


def _text(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16")
        except UnicodeDecodeError as error:
            raise ManifestRefused(
                "The file begins like UTF-16 and is not. Save the list as CSV (UTF-8)."
            ) from error
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise ManifestRefused(
            f"Line {line} is not written in UTF-8. Save the list as CSV (UTF-8) and send it again.",
            lines=[(line, "not written in UTF-8")],
        ) from error
    if "\x00" in text:
        raise ManifestRefused("The file holds zero bytes, so it is not text. Save it as CSV.")
    return text


def _delimiter(text: str) -> str:
    """The sign that parts most lines into equally many cells; a comma in a title parts one."""
    lines = [line for line in text.splitlines() if line.strip()]

    def evenness(sign: str) -> int:
        counts = Counter(line.count(sign) for line in lines if sign in line)
        count, seen = max(counts.items(), key=lambda item: item[0] * item[1], default=(0, 0))
        return count * seen

    return max(",;\t|", key=evenness)


def _csv_rows(text: str) -> Iterator[TableRow]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=_delimiter(text), strict=True)
    try:
        for cells in reader:
            yield TableRow(
                line=reader.line_num, cells=tuple(cell.strip() for cell in cells[:MOST_COLUMNS])
            )
    except csv.Error as error:
        raise ManifestRefused(
            f"Line {reader.line_num} is not CSV: {error}. Export the list again.",
            lines=[(reader.line_num, str(error))],
        ) from error


def _unpacks_small(data: bytes) -> None:
    """Unpack every part once, counting, before anything parses it."""
    total = 0
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        parts = archive.infolist()
        if len(parts) > MOST_PARTS:
            raise ManifestRefused(f"The workbook has {len(parts):,} parts; this is no list.")
        if sum(part.file_size for part in parts) > LARGEST_UNPACKED:
            raise _unpacks_too_large()
        for part in parts:
            with archive.open(part) as file:
                before = b""
                while chunk := file.read(1 << 20):
                    total += len(chunk)
                    if total > LARGEST_UNPACKED:
                        raise _unpacks_too_large()
                    here = before + chunk
                    if any(word in here for word in DECLARATIONS):
                        raise ManifestRefused(
                            "The workbook carries declarations that workbooks do not need, so it "
                            "was not read. Save the list anew as XLSX or CSV (UTF-8)."
                        )
                    # One may stand across the edge of two pieces.
                    before = chunk[-40:]


def _unpacks_too_large() -> ManifestRefused:
    return ManifestRefused(
        f"The workbook unpacks to more than {LARGEST_UNPACKED // 1_000_000} MB, far more than a "
        "list of units. Send the list alone, as XLSX or CSV."
    )


def _workbook_rows(data: bytes) -> Iterator[TableRow]:
    try:
        _unpacks_small(data)
        rows = _whole(data)
    except (ManifestRefused, MemoryError):
        raise
    except (zipfile.BadZipFile, zlib.error, InvalidFileException, EOFError, OSError) as error:
        raise _broken_workbook() from error
    except Exception as error:
        # The workbook parser stops with whatever its parts make it stumble over.
        raise _broken_workbook() from error
    yield from rows


def _whole(data: bytes) -> list[TableRow]:
    """The rows of the one list that a workbook holds.

    Read whole before anything is believed: a broken part shows only when it is reached.
    """
    written, sheets = _sheets(data, results=False)
    lists: list[tuple[str, list[TableRow]]] = []
    for number, sheet in enumerate(sheets):
        cells = sheet.iter_rows(max_col=MOST_COLUMNS)
        rows = list(_rows_of(cells))
        if any(cell == FORMULA for row in rows for cell in row.cells):
            # What a formula came to stands beside it, where the program kept it.
            _, again = _sheets(data, results=True)
            results = {
                row.line: row.cells
                for row in _rows_of(again[number].iter_rows(max_col=MOST_COLUMNS))
            }
            rows = [_with_results(row, results.get(row.line, ())) for row in rows]
        lists.append((written[number], rows))
    if not lists:
        raise ManifestRefused("The workbook has no visible sheet. Put the list on one.")
    named = [name for name, rows in lists if _is_list(rows)]
    if len(named) > 1:
        raise ManifestRefused(
            f"The workbook has lists on {len(named)} sheets: {listed(named[:4])}. Put the units on "
            "one, or hide the others, and send it again."
        )
    return next((rows for name, rows in lists if name in named), lists[0][1])


def _sheets(data: bytes, *, results: bool) -> tuple[list[str], list[Any]]:
    book = load_workbook(io.BytesIO(data), read_only=True, data_only=results, keep_links=False)
    sheets = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"]
    for sheet in sheets:
        sheet.reset_dimensions()
    return [str(sheet.title)[:40] for sheet in sheets], sheets


def _is_list(rows: list[TableRow]) -> bool:
    """Whether a sheet holds a list of its own: a row that names columns, and rows below it."""
    for number, row in enumerate(rows[:HEADER_WITHIN]):
        if sum(names_a_column(cell) for cell in row.cells) >= NAMED_LEAST:
            return any(sum(map(bool, one.cells)) >= NAMED_LEAST for one in rows[number + 1 :])
    return False


def _with_results(row: TableRow, results: tuple[str, ...]) -> TableRow:
    cells = tuple(
        (results[n] if n < len(results) and results[n] else FORMULA) if cell == FORMULA else cell
        for n, cell in enumerate(row.cells)
    )
    return row.model_copy(update={"cells": cells})


def _broken_workbook() -> ManifestRefused:
    return ManifestRefused(
        "This is no workbook that can be read: damaged, locked, or another kind of zip. Save the "
        "list anew as XLSX or CSV (UTF-8)."
    )


def _rows_of(rows: Iterable[tuple[Any, ...]]) -> Iterator[TableRow]:
    kept = last = 0
    for line, cells in enumerate(rows, start=1):
        if not any(cell.value is not None for cell in cells):
            if line - last > MOST_BLANK:
                raise ManifestRefused(
                    f"After line {last} of the workbook come more than {MOST_BLANK:,} empty lines. "
                    "Delete them, or copy the list into a new sheet.",
                    lines=[(last, "empty lines follow")],
                )
            continue
        last = line
        texts = tuple(_cell(cell) for cell in cells)
        while texts and not texts[-1]:
            texts = texts[:-1]
        kept += 1
        if kept > MOST_ROWS + HEADER_WITHIN:
            raise ManifestRefused(
                f"The list has more than {MOST_ROWS:,} units. Split it into several files."
            )
        yield TableRow(line=line, cells=texts)


FORMULA = "#FORMULA "
NAMED_LEAST = 2


def _cell(cell: Any) -> str:
    """A cell as the text a person reads; what a workbook made of a code is marked."""
    value = cell.value
    if value is None:
        return ""
    if cell.data_type == "f":
        return FORMULA
    if isinstance(value, bool):
        return f"#TRUTH {str(value).upper()}"
    if isinstance(value, datetime):
        clock = "" if value.time() == time() else f" {value:%H:%M}"
        return f"#DATE {value:%Y-%m-%d}{clock}"
    if isinstance(value, date):
        return f"#DATE {value.isoformat()}"
    if isinstance(value, time | timedelta):
        return f"#TIME {value}"
    if isinstance(value, int | float):
        if abs(value) >= 10**SAFE_FIGURES:
            return f"#ROUNDED {value:.0f}"
        return _as_shown(int(value), cell.number_format) if value == int(value) else str(value)
    return str(value).strip()


def _as_shown(value: int, form: Any) -> str:
    """A whole number with the zeros that its format shows in front of it."""
    match = ZEROS.fullmatch(form) if isinstance(form, str) and value >= 0 else None
    return f"{match[1] or ''}{value:0{len(match[2])}d}" if match else str(value)
