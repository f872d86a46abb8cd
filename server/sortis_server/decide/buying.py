"""The buying list as a file."""

import csv
import io

from sortis_core.plan import Plan
from sortis_server.spreadsheet import plain, xlsx

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
WIDTHS = (30, 22, 18, 8, 8, 10, 11, 11, 10, 8, 40)
MONEY = (7, 8)
"""Columns that hold money."""


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
    rows = ([plain(cell) for cell in line] for line in _lines(plan))
    return xlsx("To buy", HEADINGS, rows, widths=WIDTHS, money=MONEY)
