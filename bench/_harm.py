"""Files that came to harm: cut off, mixed up, with figures that no machine has.

Every reader is fed with them; what it may do is answer, or refuse in words.
"""

import io
import json
import random
import zipfile
from collections.abc import Callable
from typing import NamedTuple

from openpyxl import Workbook

from demo.generator import demo_sheets, demo_standards, make_case, workshop_settings
from sortis_core.base import Record, SortisError
from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.intake.benchline import complete, read_line, write_line
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.intake.erasure import read_report, sealed_json
from sortis_core.intake.manifest import read_table
from sortis_core.intake.readout import read_bundle
from sortis_core.intake.readout.compare import compare
from sortis_core.intake.stocklist import read_stock
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.workshop import WorkshopSettings
from standins.probe import Probe

UNITS = 12
ODD = (
    b"NaN", b"Infinity", b"1e308", b"-1", b"0", b"10" * 30, b"null", b"true", b"[]", b"{}", b'""',
    b"\\ud800", b"\xff\xfe", b"\x00", "²".encode(), "٣".encode(), b"=1+1", b"\r", b"\xed\xa0\x80",
)  # fmt: skip

Read = Callable[[bytes], object]


class Reader(NamedTuple):
    """One reader, with files that it takes."""

    name: str
    read: Read
    """Answers or refuses, and tells nobody how else it ended."""
    whole: tuple[bytes, ...]


def harmed(whole: bytes, dice: random.Random, others: tuple[bytes, ...]) -> bytes:
    """A file with one to four things done to it."""
    data = bytearray(whole)
    for _ in range(dice.randint(1, 4)):
        at = dice.randrange(len(data) + 1)
        to = min(len(data), at + dice.choice((1, 2, 8, 60, 400)))
        match dice.randrange(7):
            case 0:
                del data[at:]
            case 1:
                del data[at:to]
            case 2:
                data[at:at] = data[at:to] * dice.choice((1, 2, 50))
            case 3:
                data[at:to] = dice.choice(ODD)
            case 4:
                data[at:at] = dice.choice(ODD)
            case 5 if at < len(data):
                data[at] ^= 1 << dice.randrange(8)
            case _:
                other = dice.choice(others)
                start = dice.randrange(len(other) + 1)
                data[at:at] = other[start : start + 200]
    return bytes(data)


def readers() -> tuple[Reader, ...]:
    """All readers of what comes from outside as a file, a reading, or what somebody typed."""
    sheets = {sheet.key: sheet for sheet in demo_sheets()}
    units = make_case(5, UNITS, models=tuple(sheets)).units
    found = [(sheets[unit.findings.sheet], unit.findings) for unit in units]
    files = [Probe(sheet, seen, "QX").files() for sheet, seen in found]
    names = sorted({name for one in files for name in one})
    first, seen = found[0]

    def bundle(data: bytes) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr(names[data[0] % len(names)] if data else "x", data[1:])
        readout = read_bundle(out.getvalue())
        readout.model_dump_json()
        compare(first, seen, readout).model_dump_json()

    def table(data: bytes) -> None:
        rows = read_table(data)
        rows.model_dump_json()
        read_stock(rows, {}).model_dump_json()

    def line(data: bytes) -> None:
        text = data.decode(errors="replace")
        read_line(first, seen.trim, text, tuple(demo_standards())).model_dump_json()
        complete(first, seen.trim, text, len(text) // 2)

    def entries(data: bytes) -> None:
        typed = dict(
            zip(write_entries(seen), data.decode(errors="replace").split("\n"), strict=False)
        )
        findings, _ = read_entries(first, seen.trim, typed)
        again, refusals = read_entries(first, seen.trim, write_entries(findings))
        if refusals or again != findings:
            raise AssertionError(f"{typed} is not written as it was read: {refusals}")

    def document(kind: type[Record]) -> Read:
        return lambda data: read_document(kind, _object(data)).model_dump_json()

    report = sealed_json({"serial": "QX-4471", "result": "passed", "method": "overwrite"})
    lists = (b"serial,maker,model\nS1,Ombrel,Folio 15\n", b"tag;count\nA-7;12\nB-8;3\n")
    return (
        Reader("probe bundles", bundle, tuple(
            bytes([names.index(name)]) + text.encode()
            for one in files for name, text in one.items()
        )),
        Reader("lists", table, (*lists, _workbook())),
        Reader("erasure reports", lambda data: read_report(
            data.decode(errors="surrogateescape")
        ).model_dump_json(), (report.encode(), b"serial: QX-4471\nresult: passed\nmethod: x\n")),
        Reader("bench lines", line, tuple(write_line(s, f).encode() for s, f in found)),
        Reader("entries", entries, ("\n".join(write_entries(seen).values()).encode(),)),
        Reader("sheets", document(ModelSheet), tuple(map(_written, sheets.values()))),
        Reader("standards", document(Standard), tuple(map(_written, demo_standards()))),
        Reader("settings", document(WorkshopSettings), (_written(workshop_settings()),)),
        Reader("findings", document(Findings), tuple(_written(f) for _, f in found)),
    )  # fmt: skip


def fault(reader: Reader, data: bytes) -> str:
    """How a reader failed at a file; empty where it answered or refused in words."""
    try:
        reader.read(data)
    except SortisError as refusal:
        return "" if len(refusal.sentence) > 10 else f"says nothing: {refusal.sentence!r}"
    except Exception as error:  # Whatever it is, it is the fault that is looked for.
        return f"{type(error).__name__}: {str(error)[:200]}"
    return ""


def _object(data: bytes) -> dict:
    """What the application hands to a reader of documents: it takes JSON apart by itself."""
    try:
        found = json.loads(data)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def _written(record: Record) -> bytes:
    return record.model_dump_json(exclude_defaults=True).encode()


def _workbook() -> bytes:
    book = Workbook()
    for row in (("serial", "model", "note"), ("S1", "Folio 15", 3.5), ("S2", "Lern 11", True)):
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
