"""Price lists of standards: changed by hand, by per cent, and from a spreadsheet."""

import re
from collections.abc import Iterable, Sequence
from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal
from typing import Annotated

from pydantic import Field

from sortis_core.base import Record, SortisError
from sortis_core.findings import Grade
from sortis_core.intake.models import ModelNames
from sortis_core.standards import Price, Standard

HIGHEST_CENTS = 100_000_000
LARGEST_PERCENT = 500


class PriceRefused(SortisError):
    """The price cannot be kept."""

    title = "The price was not kept"


class PriceCell(Record):
    """One price of the grid; ``price_cents`` None where the model is not sold so."""

    sheet: str
    grade: Grade
    price_cents: Annotated[int, Field(ge=-(10**12), le=10**12)] | None


class PastedRow(Record):
    """One line of a spreadsheet as it is understood."""

    line: int
    name: str
    cells: tuple[PriceCell, ...]
    fault: str = ""
    """Why it is not taken over."""


class PriceThen(Record):
    """What a price became at a moment, until the next."""

    at: datetime
    by: str
    """Empty for what came with the workshop."""
    price_cents: int | None
    """None where the model was sold so no more."""


class PriceHistory(Record):
    """The prices of one model as one standard in one grade, from the first on."""

    standard: str
    grade: Grade
    prices: tuple[PriceThen, ...]


def price_history(
    sheet: str, versions: Iterable[tuple[datetime, str, Standard]]
) -> tuple[PriceHistory, ...]:
    """When the prices of a model changed, by standard and grade; who changed nothing is left out.

    :param versions: when and by whom each version of the standards was kept, oldest first.
    """
    found: dict[tuple[str, Grade], list[PriceThen]] = {}
    for at, by, standard in versions:
        stands = {p.grade: p.price_cents for p in standard.prices if p.sheet == sheet}
        for grade in Grade:
            cents = None if standard.retired else stands.get(grade)
            told = found.setdefault((standard.key, grade), [])
            if cents != (told[-1].price_cents if told else None):
                told.append(PriceThen(at=at, by=by, price_cents=cents))
    return tuple(
        PriceHistory(standard=standard, grade=grade, prices=tuple(told))
        for (standard, grade), told in sorted(found.items())
        if told
    )


def with_prices(standard: Standard, cells: Iterable[PriceCell]) -> Standard:
    """The standard with some of its prices changed, in the order of models and grades.

    :raises PriceRefused: for a price below nothing or beyond what is sensible.
    """
    prices = {(price.sheet, price.grade): price.price_cents for price in standard.prices}
    for cell in cells:
        if cell.price_cents is None:
            prices.pop((cell.sheet, cell.grade), None)
        elif not 0 <= cell.price_cents <= HIGHEST_CENTS:
            raise PriceRefused(
                f"A price lies between 0 and {HIGHEST_CENTS // 100:,}. Correct {cell.sheet}, "
                f"grade {cell.grade}."
            )
        else:
            prices[cell.sheet, cell.grade] = cell.price_cents
    kept = tuple(
        Price(sheet=sheet, grade=grade, price_cents=cents)
        for (sheet, grade), cents in sorted(prices.items())
    )
    return standard.model_copy(update={"prices": kept})


def by_percent(cents: int, percent: float, whole_cents: int = 100) -> int:
    """A price changed by per cent, rounded half up to whole steps: 249.00 by −10 % is 224.00.

    :param whole_cents: 100 rounds to whole units of money.
    :raises PriceRefused: for a per cent beyond what is sensible.
    """
    if not -100 <= percent <= LARGEST_PERCENT:
        raise PriceRefused(f"Prices change by -100 to {LARGEST_PERCENT} per cent.")
    changed = Decimal(cents) * (100 + Decimal(str(percent))) / 100
    step = Decimal(whole_cents)
    return int((changed / step).quantize(Decimal(1), rounding=ROUND_HALF_UP) * step)


def read_amount(text: str) -> int | None:
    """Cents of an amount as people write it: ``1,234.50``, ``1.234,50``, ``249``, ``CHF 90.-``.

    None for a blank or a dash: not sold so.

    :raises PriceRefused: where it is no amount, or could be two.
    """
    plain = re.sub(r"[\s’'\u00a0\u202f]", "", text.strip())
    plain = re.sub(r"^[^\d\-.,]+|[^\d\-.,]+$", "", plain)
    if plain in ("", "-", "–", "—"):
        if text.strip() in ("", "-", "–", "—"):
            return None
        raise PriceRefused(f"“{text.strip()[:20]}” is no amount.")
    plain = re.sub(r"[.,][-–—]+$", "", plain)
    marks = [mark for mark in plain if mark in ".,"]
    if len(set(marks)) == 2:
        last = marks[-1]
        plain = plain.replace("," if last == "." else ".", "").replace(last, ".")
    elif len(marks) > 1:
        plain = plain.replace(marks[0], "")
    elif len(marks) == 1:
        after = len(plain) - plain.index(marks[0]) - 1
        if after == 3:
            raise PriceRefused(
                f"“{text.strip()}” may be thousands or hundredths. Write it without."
            )
        plain = plain.replace(",", ".")
    if not re.fullmatch(r"[0-9]{1,12}(\.[0-9]{1,12})?", plain):
        raise PriceRefused(f"“{text.strip()[:20]}” is no amount.")
    cents = int((Decimal(plain) * 100).to_integral_value(ROUND_HALF_UP))
    if not 0 <= cents <= HIGHEST_CENTS:
        raise PriceRefused(f"A price lies between 0 and {HIGHEST_CENTS // 100:,}.")
    return cents


def read_pasted(text: str, names: ModelNames) -> tuple[PastedRow, ...]:
    """Prices out of a spreadsheet: a line a model, then a column a grade, parted by tabs.

    A first line that names grades says which columns they are; without one they stand in order.
    Nothing is taken over of a line with a fault.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    parted = [[cell.strip() for cell in re.split(r"\t|;", line)] for line in lines]
    grades: list[Grade | None] = list(Grade)
    begin = 0
    if parted and all(cell == "" or cell.upper() in set(Grade) for cell in parted[0][1:]):
        named = [cell.upper() for cell in parted[0][1:]]
        if any(named):
            grades = [Grade(cell) if cell else None for cell in named]
            begin = 1
    return tuple(
        _pasted(number, cells, grades, names)
        for number, cells in enumerate(parted[begin:], start=begin + 1)
    )


def _pasted(
    line: int, cells: Sequence[str], grades: Sequence[Grade | None], names: ModelNames
) -> PastedRow:
    name = cells[0]
    match = names.match("", name)
    fault = ""
    found: list[PriceCell] = []
    if match.state == "unclear":
        fault = f"no model sheet is called {name}"
    elif len(cells) - 1 > len(grades):
        fault = f"there are {len(cells) - 1} prices for {len(grades)} grades"
    for grade, cell in zip(grades, cells[1:], strict=False):
        if grade is None or fault:
            continue
        try:
            cents = read_amount(cell)
        except PriceRefused as refusal:
            fault = refusal.sentence
        else:
            found.append(PriceCell(sheet=match.sheet, grade=grade, price_cents=cents))
    return PastedRow(line=line, name=name, cells=() if fault else tuple(found), fault=fault)
