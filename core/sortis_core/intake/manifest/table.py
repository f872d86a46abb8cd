"""Read a CSV file or a workbook as a table of texts, each row with its line in the file.

Nothing a file says of itself is believed: sizes are counted while unpacking, formulas stay text,
dimensions are ignored (docs/formats.md, Manifest).
"""

import csv
import io
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator
from datetime import date, datetime
from typing import Any

from openpyxl import load_workbook
from openpyxl.utils.exceptions import InvalidFileException

from sortis_core.base import Record, SortisError

LARGEST_BYTES = 5_000_000
LARGEST_UNPACKED = 60_000_000
MOST_PARTS = 300
MOST_ROWS = 10_000
MOST_COLUMNS = 60
MOST_BLANK = 5_000
"""Empty lines in a row; a cell at the far end of a sheet makes a million of them."""
DELIMITER_LINES = 40
HEADER_WITHIN = 15
"""A header stands among the first rows; titles and blank lines may stand above it."""
SAFE_FIGURES = 15
"""A workbook keeps numbers to so many figures; longer serial numbers are rounded."""


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


def _table(rows: Iterator[TableRow]) -> Table:
    top: list[TableRow] = []
    for row in rows:
        if any(row.cells):
            top.append(row)
        if len(top) >= HEADER_WITHIN:
            break
    header = _header(top)
    below = top[top.index(header) + 1 :]
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
    headers = [cell[:80] for cell in _widened(header.cells, width)]
    return Table(
        header_line=header.line,
        headers=tuple(name or f"column {number}" for number, name in enumerate(headers, start=1)),
        rows=tuple(TableRow(line=row.line, cells=_widened(row.cells, width)) for row in below),
    )


def _widened(cells: tuple[str, ...], width: int) -> tuple[str, ...]:
    return cells + ("",) * (width - len(cells))


def _header(top: list[TableRow]) -> TableRow:
    """The first row that names most columns without a bare figure among its names."""
    named = [
        row
        for row in top
        if sum(bool(cell) for cell in row.cells) >= 2
        and not any(cell.replace(".", "").isdigit() for cell in row.cells)
    ]
    if not named:
        raise ManifestRefused(
            "The file has no header line. Put the names of the columns above the units: at least "
            "one for the serial number and one for the model."
        )
    most = max(sum(bool(cell) for cell in row.cells) for row in named)
    return next(row for row in named if sum(bool(cell) for cell in row.cells) >= most - 1)


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
    lines = [line for line in text.splitlines()[:DELIMITER_LINES] if line.strip()]

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
                start = file.read(4096)
                if b"<!DOCTYPE" in start or b"<!ENTITY" in start:
                    raise ManifestRefused(
                        "The workbook carries declarations that workbooks do not need, so it was "
                        "not read. Save the list anew as XLSX or CSV (UTF-8)."
                    )
                total += len(start)
                while chunk := file.read(1 << 20):
                    total += len(chunk)
                    if total > LARGEST_UNPACKED:
                        raise _unpacks_too_large()


def _unpacks_too_large() -> ManifestRefused:
    return ManifestRefused(
        f"The workbook unpacks to more than {LARGEST_UNPACKED // 1_000_000} MB, far more than a "
        "list of units. Send the list alone, as XLSX or CSV."
    )


def _workbook_rows(data: bytes) -> Iterator[TableRow]:
    try:
        _unpacks_small(data)
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=False, keep_links=False)
        sheets = [sheet for sheet in book.worksheets if sheet.sheet_state == "visible"]
        if not sheets:
            raise ManifestRefused("The workbook has no visible sheet. Put the list on one.")
        # Read whole before anything is believed: a broken part shows only when it is reached.
        sheets[0].reset_dimensions()
        rows = list(_rows_of(sheets[0].iter_rows(max_col=MOST_COLUMNS, values_only=True)))
    except ManifestRefused:
        raise
    except (zipfile.BadZipFile, zlib.error, InvalidFileException, EOFError, OSError) as error:
        raise _broken_workbook() from error
    except Exception as error:
        # The workbook parser stops with whatever its parts make it stumble over.
        raise _broken_workbook() from error
    yield from rows


def _broken_workbook() -> ManifestRefused:
    return ManifestRefused(
        "This is no workbook that can be read: damaged, locked, or another kind of zip. Save the "
        "list anew as XLSX or CSV (UTF-8)."
    )


def _rows_of(rows: Iterable[tuple[Any, ...]]) -> Iterator[TableRow]:
    kept = last = 0
    for line, cells in enumerate(rows, start=1):
        if not any(value is not None for value in cells):
            if line - last > MOST_BLANK:
                raise ManifestRefused(
                    f"After line {last} of the workbook come more than {MOST_BLANK:,} empty lines. "
                    "Delete them, or copy the list into a new sheet.",
                    lines=[(last, "empty lines follow")],
                )
            continue
        last = line
        texts = tuple(_cell(value) for value in cells)
        while texts and not texts[-1]:
            texts = texts[:-1]
        kept += 1
        if kept > MOST_ROWS + HEADER_WITHIN:
            raise ManifestRefused(
                f"The list has more than {MOST_ROWS:,} units. Split it into several files."
            )
        yield TableRow(line=line, cells=texts)


def _cell(value: Any) -> str:
    """A cell as the text a person reads; a rounded long number is marked for refusal."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime | date):
        return value.isoformat()[:10]
    if isinstance(value, int | float):
        if abs(value) >= 10**SAFE_FIGURES:
            return f"#ROUNDED {value:.0f}"
        return str(int(value)) if value == int(value) else str(value)
    return str(value).strip()
