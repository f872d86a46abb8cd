"""What leaves for a spreadsheet: no cell of it is run there."""

from typing import Any

FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def plain(cell: Any) -> Any:
    """A cell as text, where a spreadsheet would take it for a formula."""
    if isinstance(cell, str) and cell.startswith(FORMULA_STARTS):
        return f"'{cell}"
    return cell
