"""Read a manifest: the list of units a batch was bought with (docs/formats.md, Manifest).

Comma-separated text in UTF-8 with a header line. All or nothing: one line that cannot be read
refuses the whole file, and every such line is named with its reason.
"""

import csv
import io
import re

from sortis_core.base import Record, SortisError, listed

COLUMNS = ("tag", "serial", "maker", "model", "notes")
NEEDED = ("serial", "maker", "model")
LARGEST_BYTES = 5_000_000
MOST_ROWS = 10_000
TAG = re.compile(r"[A-Z]{1,4}-\d{3,6}")


class ManifestRefused(SortisError):
    """The file cannot be taken in; ``facts['lines']`` lists (line number, reason)."""

    title = "The manifest was not taken in"


class ManifestRow(Record):
    """One unit as announced."""

    line: int
    tag: str
    """Empty: a tag is to be given."""
    serial: str
    maker: str
    model: str
    notes: str


def _text(data: bytes) -> str:
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
        raise ManifestRefused("This is a workbook or a zip, not CSV. Save it as CSV (UTF-8) first.")
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


def _header(first: list[str]) -> dict[str, int]:
    names = [cell.strip().lower() for cell in first]
    missing = [name for name in NEEDED if name not in names]
    if missing:
        raise ManifestRefused(
            f"The header line lacks {listed(missing)}. It must name serial, maker and model; tag "
            "and notes may stand beside them.",
            lines=[(1, "found: " + ", ".join(names)[:200])],
        )
    twice = [name for name in COLUMNS if names.count(name) > 1]
    if twice:
        raise ManifestRefused(
            f"The header names {listed(twice)} twice. Keep one of them.",
            lines=[(1, f"{twice[0]} stands twice")],
        )
    return {name: names.index(name) for name in COLUMNS if name in names}


def _fault(cells: dict[str, str]) -> str:
    for name, cell in cells.items():
        if cell[:1] in ("=", "+", "@") or re.match(r"-\d", cell):
            return f"{name} holds a formula ({cell[:20]}); write the plain value"
        if any(ord(char) < 32 for char in cell):
            return f"{name} holds a control character; type it again"
        if len(cell) > 200:
            return f"{name} is longer than 200 characters; shorten it"
    for name in NEEDED:
        if not cells.get(name):
            return f"{name} is blank; fill it in"
    tag = cells.get("tag", "")
    if tag and not TAG.fullmatch(tag):
        return f"tag {tag} is not of the form TW-0412; correct it or leave it blank"
    return ""


def read_manifest(data: bytes, taken: frozenset[str] = frozenset()) -> tuple[ManifestRow, ...]:
    """Read a whole manifest.

    :param data: the file as it came.
    :param taken: tags that other units already carry.
    :raises ManifestRefused: with all faulty lines, none of which is kept.
    """
    text = _text(data)
    delimiter = (
        ";" if text.split("\n", 1)[0].count(";") > text.split("\n", 1)[0].count(",") else ","
    )
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[ManifestRow] = []
    faults: list[tuple[int, str]] = []
    seen: dict[tuple[str, str], int] = {}
    try:
        columns = _header(next(reader))
        for cells in reader:
            line = reader.line_num
            if not any(cell.strip() for cell in cells):
                continue
            if len(rows) + len(faults) >= MOST_ROWS:
                raise ManifestRefused(
                    f"The list has more than {MOST_ROWS:,} units. Split it into several files."
                )
            named = {n: cells[i].strip() for n, i in columns.items() if i < len(cells)}
            if named.get("tag"):
                named["tag"] = named["tag"].upper()
            fault = _fault(named)
            for name in ("tag", "serial"):
                value = named.get(name, "")
                if not fault and value and (name, value) in seen:
                    fault = f"{name} {value} stands on line {seen[name, value]} already"
                elif value:
                    seen.setdefault((name, value), line)
            if not fault and named.get("tag") in taken:
                fault = f"tag {named['tag']} is on another unit already; leave it blank"
            if fault:
                faults.append((line, fault))
                continue
            rows.append(ManifestRow(line=line, **{name: named.get(name, "") for name in COLUMNS}))
    except StopIteration:
        raise ManifestRefused("The file has no header line.") from None
    except csv.Error as error:
        raise ManifestRefused(
            f"Line {reader.line_num} is not CSV: {error}. Export the list again.",
            lines=[(reader.line_num, str(error))],
        ) from error
    if not rows and not faults:
        raise ManifestRefused("The file has a header but no units below it.")
    if faults:
        raise refused_lines(faults)
    return tuple(rows)


def refused_lines(faults: list[tuple[int, str]]) -> ManifestRefused:
    """The refusal of a file for single lines: ``faults`` are (line number, reason)."""
    count = "One line" if len(faults) == 1 else f"{len(faults)} lines"
    return ManifestRefused(
        f"{count} cannot be read, so nothing was taken in. Correct the file and send it again.",
        lines=sorted(faults),
    )
