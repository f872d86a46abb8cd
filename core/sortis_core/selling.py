"""From the shelf to the buyer and back (docs/rules.md, Sale)."""

from collections.abc import Iterable

from sortis_core.aging import AgedPrice
from sortis_core.base import Record, SortisError
from sortis_core.findings import Findings, Grade
from sortis_core.intake.manifest.verdicts import normal_form
from sortis_core.reasons import says_something
from sortis_core.sheets import ModelSheet
from sortis_core.stages import Stage
from sortis_core.vocabulary.term import Term


class SaleState(Term):
    """How far a sale is."""

    RESERVED = "reserved"
    PACKED = "packed"
    HANDED_OVER = "handed_over", "handed over"
    CANCELLED = "cancelled"
    RETURNED = "returned"

    @property
    def open(self) -> bool:
        """Somebody is to get the unit."""
        return self in (SaleState.RESERVED, SaleState.PACKED)


class SaleRefused(SortisError):
    """The sale does not go that way."""

    title = "The sale stays as it is"


def require_free(tag: str, stage: Stage, now: SaleState | None) -> None:
    """Only a released unit that nobody is to get is reserved.

    :raises SaleRefused: with who is in the way.
    """
    if stage is not Stage.RELEASED:
        raise SaleRefused(f"{tag} is in {stage.heading}; only what is released is sold.")
    if now and now.open:
        raise SaleRefused(f"{tag} is {now} already. Somebody was faster.")


def agreed_price(tag: str, said: int | None, shelf: int | None) -> int:
    """What a buyer pays: as said, else the price of the shelf.

    :raises SaleRefused: where neither is there; a missing price is not nothing.
    """
    price = said if said is not None else shelf
    if price is None:
        raise SaleRefused(f"{tag} has no price any more. Say what it is sold for.")
    return price


def came_back(reason: str, most: int) -> str:
    """Why a unit that was sold is looked at again, in at most so many letters."""
    return f"came back: {reason}"[:most]


def require_right_unit(tag: str, serial: str, scanned: str, now: SaleState | None) -> None:
    """The unit in hand is the one that was reserved: its own code was scanned.

    :raises SaleRefused: for another unit's code, or where nothing is reserved.
    """
    if now is not SaleState.RESERVED:
        raise SaleRefused(f"{tag} is {now or 'not reserved'}; there is nothing to pack.")
    code = normal_form(scanned)
    if not code or code not in (normal_form(tag), normal_form(serial)):
        raise SaleRefused(
            f"The code scanned is {scanned.strip()[:40] or 'none'}; {tag} was sold. Put this one "
            "back and take the right one."
        )


def require_packed(tag: str, now: SaleState | None) -> None:
    """What is handed over was packed, and so was seen to be the right one.

    :raises SaleRefused: where it was not.
    """
    if now is not SaleState.PACKED:
        raise SaleRefused(f"{tag} is {now or 'not reserved'}. Pack it first: scan its label.")


def require_cancellable(tag: str, now: SaleState | None) -> None:
    """A sale is cancelled until the unit is handed over.

    :raises SaleRefused: where there is none, or it left.
    """
    if now is None or not now.open:
        raise SaleRefused(f"{tag} is {now or 'not reserved'}; there is nothing to cancel.")


def return_reason(tag: str, now: SaleState | None, reason: str) -> str:
    """Why a unit came back; without a reason nobody knows what to look at first.

    :raises SaleRefused: where it was never handed over, or nothing is said.
    """
    if now is not SaleState.HANDED_OVER:
        raise SaleRefused(f"{tag} is {now or 'not sold'}; it cannot have come back.")
    if not says_something(reason):
        raise SaleRefused("Say in a few words why it came back; that is looked at first.")
    return reason.strip()


def after_return(sheet: ModelSheet, findings: Findings) -> Findings:
    """What is still known of a unit that came back.

    Somebody used it: its drives hold data whoever fitted them, its tests and its looks are unknown
    again. What sits in it is as it was until somebody looks.
    """
    drives = {place.key for place in sheet.drives}
    kept = {place: one for place, one in findings.origins.items() if place not in drives}
    return findings.model_copy(update={"origins": kept, "tests": {}, "grade": None})


class OnShelf(Record):
    """One released unit as it is sold."""

    tag: str
    model: str
    sheet: str
    standard: str
    standard_key: str = ""
    rank: int = 0
    """Of its standard among the others; a higher one asks more."""
    grade: Grade | None
    claims: tuple[str, ...]
    """The lines of its label."""
    price_cents: int | None
    """Now; None where its standard has no price for it, and somebody has to say one."""
    price: AgedPrice | None = None
    """The same with what it was, and what it becomes next."""
    days: int
    """Since it was released."""
    picture: int | None = None
    """Number of the picture that its buyer sees first."""
    state: SaleState | None


class ShelfGroup(Record):
    """Units that a buyer cannot tell apart: same model, claims, standard and grade."""

    number: int
    model: str
    standard: str
    grade: Grade | None
    claims: tuple[str, ...]
    price_cents: int | None
    price: AgedPrice | None
    """Of the first of them whose price changes."""
    free: int
    tags: tuple[str, ...]
    words: str
    """The listing's text, made from facts."""
    pictured: str = ""
    """Tag of the first of them that has a picture; empty where none has."""
    picture: int | None = None
    """Number of that picture."""


def grouped_for_sale(units: Iterable[OnShelf]) -> tuple[ShelfGroup, ...]:
    """Units as they are sold, the largest groups first; reserved ones count but are not free."""
    found: dict[tuple[object, ...], list[OnShelf]] = {}
    for unit in sorted(units, key=lambda one: one.tag):
        key = (unit.model, unit.standard, unit.grade, unit.claims, unit.price_cents)
        found.setdefault(key, []).append(unit)
    ordered = sorted(found.values(), key=lambda group: (-len(group), group[0].model, group[0].tag))
    return tuple(
        ShelfGroup(
            number=number,
            model=group[0].model,
            standard=group[0].standard,
            grade=group[0].grade,
            claims=group[0].claims,
            price_cents=group[0].price_cents,
            price=min((one.price for one in group if one.price), key=_soon, default=None),
            free=sum(one.state is None or not one.state.open for one in group),
            tags=tuple(one.tag for one in group),
            words=listing_words(group[0]),
            pictured=next((one.tag for one in group if one.picture), ""),
            picture=next((one.picture for one in group if one.picture), None),
        )
        for number, group in enumerate(ordered, start=1)
    )


def _soon(price: AgedPrice) -> float:
    return float("inf") if price.next_in_days is None else price.next_in_days


def listing_words(unit: OnShelf) -> str:
    """What a listing says: the label's claims in a sentence, nothing more."""
    grade = f" Grade {unit.grade.value}, {unit.grade.explained}." if unit.grade else ""
    claims = [claim for claim in unit.claims if unit.standard not in claim]
    return f"{unit.model}, refurbished: {'; '.join(claims)}.{grade} {unit.standard}."
