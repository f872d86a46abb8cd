"""What leaves for a spreadsheet: no cell of it is run there."""

import io
from collections.abc import Iterable, Sequence
from typing import Any

from openpyxl import Workbook
from openpyxl.styles import Font
from openpyxl.utils import get_column_letter

FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def plain(cell: Any) -> Any:
    """A cell as text, where a spreadsheet would take it for a formula."""
    if isinstance(cell, str) and cell.startswith(FORMULA_STARTS):
        return f"'{cell}"
    return cell


def xlsx(
    title: str,
    headings: Sequence[str],
    rows: Iterable[Sequence[Any]],
    *,
    widths: Sequence[int] = (),
    money: Sequence[int] = (),
) -> bytes:
    """A workbook of one sheet, its headings bold; rows are plain already.

    :param widths: of columns, in letters. :param money: numbers of columns written with hundredths.
    """
    book = Workbook()
    sheet = book.active
    sheet.title = title
    sheet.append(list(headings))
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for row in rows:
        sheet.append(list(row))
    for number, width in enumerate(widths, start=1):
        sheet.column_dimensions[get_column_letter(number)].width = width
    for row in sheet.iter_rows(min_row=2):
        for number in money:
            row[number - 1].number_format = "0.00"
    sheet.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
