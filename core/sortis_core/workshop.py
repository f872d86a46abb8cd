"""What a workshop sets for itself, and what must be there before anything is decided."""

import re
from collections.abc import Collection, Sequence
from typing import Annotated, Literal, assert_never

from pydantic import AfterValidator, Field, model_validator

from sortis_core.aging import AgeStep, require_rising
from sortis_core.base import Record, listed
from sortis_core.codes import own_kind, tag_numbered
from sortis_core.forgetting import (
    PEOPLE,
    USUAL_BUYER_DAYS,
    USUAL_DAYS,
    BuyerDays,
    ForgetDays,
    Forgotten,
)
from sortis_core.labels import (
    USUAL_LABEL,
    USUAL_SHEET,
    USUAL_SIZES,
    LabelRefused,
    LabelSize,
    size_called,
)
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.vocabulary.term import Term

WHOLE_UNITS_ONLY = frozenset(
    (
        "BIF",
        "CLP",
        "DJF",
        "GNF",
        "ISK",
        "JPY",
        "KMF",
        "KRW",
        "PYG",
        "RWF",
        "UGX",
        "UYI",
        "VND",
        "VUV",
        "XAF",
        "XOF",
        "XPF",
    )
)
"""Currencies without hundredths (ISO 4217)."""
THOUSANDTHS = frozenset(["BHD", "IQD", "JOD", "KWD", "LYD", "OMR", "TND"])


def _currency(code: str) -> str:
    if not re.fullmatch(r"[A-Z]{3}", code):
        raise ValueError("A currency is three capital letters, like EUR, CHF or NOK.")
    if code in WHOLE_UNITS_ONLY | THOUSANDTHS:
        raise ValueError(
            f"{code} has no hundredths, and Sortis reckons in hundredths. Choose another currency."
        )
    return code


def _locale(tag: str) -> str:
    if tag and not re.fullmatch(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}", tag):
        raise ValueError("Language and country are written like en-GB, de-CH or nb-NO.")
    return tag


def _prefix(letters: str) -> str:
    if not re.fullmatch(r"[A-Z]{1,4}", letters):
        raise ValueError("A tag begins with one to four capital letters, like TW.")
    if own_kind(tag_numbered(letters, 1)) is not None:
        raise ValueError(f"Labels of another kind begin with {letters}. Choose other letters.")
    return letters


class Weighing(Term):
    """What weights are told in."""

    METRIC = "metric", "grams and kilograms"
    POUNDS = "pounds", "ounces and pounds"


GRAMS_AN_OUNCE = 28.349523125
OUNCES_A_POUND = 16


class Weight(Record):
    """A weight as the workshop tells it, before it is written."""

    figure: float
    decimals: int
    unit: str

    @property
    def words(self) -> str:
        """As papers write it."""
        return f"{self.figure:.{self.decimals}f} {self.unit}"


def told_weight(grams: float, weighing: Weighing) -> Weight:
    """A weight in the larger unit from one of it on."""
    match weighing:
        case Weighing.METRIC:
            if grams >= 1000:
                return Weight(figure=grams / 1000, decimals=1, unit="kg")
            return Weight(figure=grams, decimals=0, unit="g")
        case Weighing.POUNDS:
            ounces = grams / GRAMS_AN_OUNCE
            if ounces >= OUNCES_A_POUND:
                return Weight(figure=ounces / OUNCES_A_POUND, decimals=1, unit="lb")
            return Weight(figure=ounces, decimals=1, unit="oz")
        case _:
            assert_never(weighing)


class WorkshopSettings(Record):
    """The workshop itself: name, money, words of its own; a new version each time it changes."""

    format: Literal["sortis-workshop-4"] = "sortis-workshop-4"
    name: str = Field(default="Workshop", min_length=1, max_length=80)
    currency: Annotated[str, AfterValidator(_currency)] = "EUR"
    """Everything is reckoned in it; ISO 4217."""
    locale: Annotated[str, AfterValidator(_locale)] = ""
    """How dates and figures are written, as a BCP 47 tag; empty: as each reader's browser does."""
    tag_prefix: Annotated[str, AfterValidator(_prefix)] = "WS"
    arrivals_place: str = Field(default="", max_length=60)
    """Where what was bought is put when nobody says otherwise."""
    hazard_rules: str = Field(default="", max_length=600)
    """What the place asks for damaged packs; stands beside our caution."""
    recycling_rules: str = Field(default="", max_length=600)
    """What the place asks for what goes to the recycler; stands where that is weighed."""
    address: str = Field(default="", max_length=300)
    """Stands on papers under the name, line by line."""
    weighing: Weighing = Weighing.METRIC
    own_labels: tuple[LabelSize, ...] = Field(default=(), max_length=12)
    """Sizes beside the usual ones."""
    age_steps: tuple[AgeStep, ...] = Field(default=(), max_length=6)
    """What waits on the shelf becomes cheaper by these."""
    unit_label: str = USUAL_LABEL
    """Key of the size that a released unit's label is printed in."""
    door_label: str = USUAL_SHEET
    """Key of the size that tags are printed in at the door."""
    public_pages: bool = False
    """Whoever has the address on a label may open the buyer's page of that unit."""
    public_address: str = Field(default="", max_length=120, pattern=r"^(https?://[^\s/?#]+)?$")
    """Where this Sortis is reached from outside, like https://shop.example; the label's code
    leads there."""
    forget_days: ForgetDays = USUAL_DAYS
    """What is no evidence is forgotten after so many days."""
    forget_buyer_days: BuyerDays = USUAL_BUYER_DAYS
    """Names of buyers are forgotten so many days after their sale ended, those of customers so many
    after their batch was closed."""
    money_open: bool = False
    """Everyone who signs in sees all money, as in a cooperative; else by role."""
    policy: Policy = Policy()
    """Schools and costs that new batches begin with."""

    def forgets_after(self, what: Forgotten) -> int:
        """Days that one kind of thing is kept."""
        return self.forget_buyer_days if what in PEOPLE else self.forget_days

    @property
    def label_sizes(self) -> tuple[LabelSize, ...]:
        """The usual ones, then its own."""
        return (*USUAL_SIZES, *self.own_labels)

    @model_validator(mode="after")
    def _prices_fall(self) -> "WorkshopSettings":
        require_rising(self.age_steps)
        return self

    @model_validator(mode="after")
    def _labels_there(self) -> "WorkshopSettings":
        keys = [size.key for size in self.label_sizes]
        if twice := next((key for key in keys if keys.count(key) > 1), None):
            raise ValueError(f"Two label sizes are called {twice}. Give each its own key.")
        for key in (self.unit_label, self.door_label):
            try:
                size_called(key, self.label_sizes)
            except LabelRefused as refusal:
                raise ValueError(refusal.sentence) from None
        return self


class Beginning(Term):
    """What a new workshop begins with."""

    STARTER = (
        "starter",
        "the starter set",
        "Generic standards without prices, usual part kinds, a few sheets by shape.",
    )
    EMPTY = "empty", "nothing", "Everything is written by yourself."


class Furnishing(Term):
    """What a workshop furnishes itself with."""

    STANDARDS = "standards", "resale standards"
    PRICES = "prices"
    KINDS = "kinds", "part kinds"
    SHEETS = "sheets", "model sheets"


class Missing(Record):
    """Something without which nothing sensible can be decided."""

    what: Furnishing
    sentence: str
    """What is so, and what to do."""


MOST_NAMED = 3


def missing_to_decide(
    standards: Sequence[Standard], kinds: Collection[str], sheets: Sequence[ModelSheet]
) -> tuple[Missing, ...]:
    """What the workshop lacks before units of these models can be decided.

    :param sheets: of the models that wait to be decided.
    """
    found: list[Missing] = []
    if not standards:
        found.append(
            Missing(
                what=Furnishing.STANDARDS,
                sentence="There is no resale standard, so no unit can be good enough for one. Add "
                "one, or begin from the starter set.",
            )
        )
    if not kinds:
        found.append(
            Missing(
                what=Furnishing.KINDS,
                sentence="The store knows no part kind, so nothing can be fitted. Add the kinds "
                "you use, or begin from the starter set.",
            )
        )
    if unwritten := [sheet.name for sheet in sheets if not sheet.written]:
        found.append(
            Missing(
                what=Furnishing.SHEETS,
                sentence=f"{_named(unwritten)} was only noted at the door. Write its sheet.",
            )
        )
    priced = {price.sheet for standard in standards for price in standard.prices}
    unpriced = [sheet.name for sheet in sheets if sheet.key not in priced]
    if standards and unpriced and len(unpriced) == len(sheets):
        found.append(
            Missing(
                what=Furnishing.PRICES,
                sentence=f"Nothing here has a price: {_named(unpriced)}. Say what they sell for.",
            )
        )
    return tuple(found)


def _named(names: Sequence[str]) -> str:
    if len(names) <= MOST_NAMED:
        return listed(names)
    return f"{', '.join(names[:MOST_NAMED])} and {len(names) - MOST_NAMED} more"
