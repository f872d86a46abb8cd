"""The buying list as a file."""

import csv
import io

from openpyxl import Workbook
from openpyxl.styles import Font

from sortis_core.plan import Plan
from sortis_server.spreadsheet import plain

HEADINGS = (
    "part",
    "kind",
    "supplier",
    "count",
    "used",
    "pack size",
    "price each",
    "total",
    "currency",
    "days",
    "for units",
)


def _lines(plan: Plan) -> list[tuple]:
    return [
        (
            line.label,
            line.kind,
            line.supplier,
            line.count,
            line.used,
            line.pack_size,
            line.price_cents / 100,
            line.count * line.price_cents / 100,
            plan.currency,
            line.days,
            " ".join(line.tags),
        )
        for line in plan.buying
    ]


def buying_csv(plan: Plan) -> bytes:
    """CSV with a heading line, UTF-8 with its mark, so that spreadsheets read it right."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADINGS)
    for line in _lines(plan):
        writer.writerow(
            [f"{cell:.2f}" if isinstance(cell, float) else plain(cell) for cell in line]
        )
    return out.getvalue().encode("utf-8-sig")


def buying_xlsx(plan: Plan) -> bytes:
    """One sheet with money as numbers."""
    book = Workbook()
    sheet = book.active
    sheet.title = "To buy"
    sheet.append(HEADINGS)
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for line in _lines(plan):
        sheet.append([plain(cell) for cell in line])
    for column, width in zip("ABCDEFGHIJK", (30, 22, 18, 8, 8, 10, 11, 11, 10, 8, 40), strict=True):
        sheet.column_dimensions[column].width = width
    for row in sheet.iter_rows(min_row=2, min_col=7, max_col=8):
        for cell in row:
            cell.number_format = "0.00"
    sheet.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
