"""Parts that alone keep a unit from being sold with profit, and what may be paid for them."""

from collections.abc import Callable, Iterable, Mapping

from sortis_core.options.option import Option, PartCount
from sortis_core.sheets import ModelSheet

MOST_SOUGHT = 3
"""Kinds that a unit may lack and still wait for: a drive's tray comes with its cable and plate."""


def parts_cents(parts: Iterable[PartCount], cheapest_cents: Mapping[str, int]) -> int:
    """What parts cost at their lowest price."""
    return sum(cheapest_cents[part.kind] * part.count for part in parts)


def sought_for(
    ways: Iterable[Option],
    has: Callable[[str], bool],
    sheet: ModelSheet,
    cheapest_cents: Mapping[str, int],
) -> tuple[tuple[str, ...], int]:
    """Kinds that are not to be had and with which a way would pay.

    As few as will do, then what leaves most. What lacks many of them was stripped, and what lacks a
    board is dead: such units give what works in them.

    :param ways: of one unit, among them such as want what is not to be had.
    :param has: whether a kind is to be had.
    :param cheapest_cents: lowest price of each kind; of one that is not to be had what a harvested
        one counts.
    :returns: the kinds, and cents that may be paid for all of them; none where nothing pays so, or
        where a way that pays lacks nothing.
    """
    found: list[tuple[int, int, tuple[str, ...]]] = []
    for way in ways:
        lacking = [part for part in way.uses if not has(part.kind)]
        had = parts_cents([part for part in way.uses if has(part.kind)], cheapest_cents)
        room = way.net_cents - had
        kinds = tuple([part.kind for part in lacking])
        boards = any(sheet.board_of_kind(kind) for kind in kinds)
        few = len(kinds) <= MOST_SOUGHT
        if few and not boards and room > parts_cents(lacking, cheapest_cents):
            found.append((len(kinds), -room, kinds))
    _, room, kinds = min(found, default=(0, 0, ()))
    return kinds, -room if kinds else 0
