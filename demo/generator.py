"""Make batches of any size from a seed number: the same seed, the same batch.

Used by benchmarks and property tests. The figures are drawn so that every kind of outcome comes
up: complete units, worn packs, stripped ones, spinning disks, failed boards.
"""

import json
import random
from functools import cache
from pathlib import Path

from sortis_core.findings import Findings
from sortis_core.intake.entry import read_entries
from sortis_core.plan import Case, CaseUnit
from sortis_core.policy import Policy
from sortis_core.sheets import Connector, DrivePlace, Interface, ModelSheet
from sortis_core.standards import Standard
from sortis_core.stock import Condition, Lot, Offer, PartKind
from sortis_core.workshop import WorkshopSettings

HERE = Path(__file__).parent


@cache
def demo_sheets() -> tuple[ModelSheet, ...]:
    """The model sheets of the demo, by key."""
    files = sorted((HERE / "sheets").glob("*.json"))
    return tuple(ModelSheet.model_validate_json(file.read_bytes()) for file in files)


FERRY_LINE = ("ombrel-folio-15", "quarrin-stilt-q2", "tolva-lern-11")
"""Models of the ferry line's offices; generated cases are made of them."""


def sheets_called(keys: tuple[str, ...]) -> tuple[ModelSheet, ...]:
    """The demo's sheets with these keys, by key."""
    return tuple(sheet for sheet in demo_sheets() if sheet.key in keys)


@cache
def workshop_settings() -> WorkshopSettings:
    """The demo workshop itself."""
    return WorkshopSettings.model_validate_json((HERE / "workshop.json").read_bytes())


@cache
def demo_standards() -> tuple[Standard, ...]:
    """The resale standards of the demo workshop."""
    found = json.loads((HERE / "standards.json").read_text())
    return tuple(Standard.model_validate(standard) for standard in found)


@cache
def demo_stock() -> tuple[tuple[PartKind, ...], tuple[Lot, ...], tuple[Offer, ...]]:
    """Part kinds, lots and offers of the demo workshop."""
    found = json.loads((HERE / "stock.json").read_text())
    kinds = tuple(PartKind.model_validate(kind) for kind in found["kinds"])
    lots = tuple(
        Lot(key=f"lot-{number}", **lot) for number, lot in enumerate(found["lots"], start=1)
    )
    offers = tuple(
        Offer(key=f"offer-{number}", **{k: v for k, v in offer.items() if k != "article"})
        for number, offer in enumerate(found["offers"], start=1)
    )
    return kinds, lots, offers


SAME_AS_FLEET = 0.7
"""An office buys its machines alike: so many still hold what they were bought with."""


def make_unit(
    sheet: ModelSheet,
    dice: random.Random,
    fleet: dict[str, tuple[str, dict[str, str]]],
    same: float = SAME_AS_FLEET,
) -> tuple[str, dict[str, str]]:
    """Trim and entries of one unit: the fleet's memory and drives, or its own.

    :param fleet: sheet key -> what the office bought; filled at the first unit of a model.
    :param same: share of units that still hold what they were bought with.
    """
    trim = dice.choice(sheet.trims).key
    own = make_entries(sheet, trim, dice)
    kept_trim, kept = fleet.setdefault(sheet.key, (trim, own))
    if dice.random() > same:
        return trim, own
    bought = {place.key for place in (*sheet.memory.slots, *sheet.drives)} | {"m0"}
    bought |= {part.key for part in sheet.parts if part.only_with_drive_in}
    has = sheet.of_trim(kept_trim)
    places = {place.key: "+" for place in (*has.parts, *has.tests)}
    worn = {key: own.get(key, "+") for key in (*own, *places) if key not in bought}
    here = {place.key for place in (*has.drives, *has.packs)} | set(places)
    gone = {place.key for place in (*sheet.parts, *sheet.tests, *sheet.drives, *sheet.packs)} - here
    alike = {key: text for key, text in kept.items() if key in bought}
    return kept_trim, {key: text for key, text in (worn | alike).items() if key not in gone}


def make_entries(sheet: ModelSheet, trim: str, dice: random.Random) -> dict[str, str]:
    """What an inspector would type for one unit of this model."""
    entries: dict[str, str] = {"grade": dice.choices("abc", (2, 7, 1))[0]}
    memory = sheet.memory
    stripped = dice.random() < 0.06
    if memory.soldered:
        entries["m0"] = str(dice.choice(memory.soldered.amounts_gb))
    for slot in memory.slots:
        sizes = [str(gb) for gb in (4, 8, 16) if gb <= slot.limit_gb]
        entries[slot.key] = "-" if stripped or dice.random() < 0.35 else dice.choice(sizes)
    drives = sheet.drives_of(trim)
    filled = False
    for place in drives:
        entry = "-"
        if place.connector is Connector.EMMC:
            entry = f"e{place.limit_gb}"
        elif place.shared_with_radio:
            entry = "r"
        elif not stripped and not filled and dice.random() < 0.7:
            entry, filled = _drive(place, dice), True
        entries[place.key] = entry
    for pack in sheet.packs_of(trim):
        variant = dice.choice(pack.variants)
        full = variant.design_wh * dice.triangular(0.45, 1.0, 0.86)
        entries[pack.key] = f"{full:.1f}/{variant.design_wh:g} {dice.randint(20, 900)}c"
        if dice.random() < 0.04:
            entries[pack.key] = "!"
        elif dice.random() < 0.06:
            entries[pack.key] = dice.choice("-x")
    for part in sheet.parts_of(trim):
        gone = part.only_with_drive_in and entries.get(part.only_with_drive_in) == "-"
        chance = 0.9 if gone else 0.025
        entries[part.key] = "-" if dice.random() < chance else "+"
    dead = dice.random() < 0.07
    for test in sheet.tests_of(trim):
        entries[test.key] = "x" if dice.random() < 0.012 else "+"
    if dead:
        entries["starts"] = "x"
    return entries


def _drive(place: DrivePlace, dice: random.Random) -> str:
    if place.connector is Connector.BAY and dice.random() < 0.6:
        return "h500"
    size = dice.choice([gb for gb in (128, 256, 512) if gb <= place.limit_gb])
    lead = "n" if Interface.NVME in place.interfaces else "s"
    return f"{lead}{size} {dice.randint(70, 100)}%"


def make_case(
    seed: int,
    count: int,
    *,
    scale: float | None = None,
    models: tuple[str, ...] = FERRY_LINE,
    same: float = SAME_AS_FLEET,
) -> Case:
    """A case of ``count`` units over the demo's sheets, stock and standards.

    :param models: keys of the sheets that units are drawn from.
    :param same: share of units that still hold what they were bought with.
    :param scale: multiplies the store's counts, money and minutes; by default the store grows
        with the batch.
    """
    dice = random.Random(seed)
    sheets = sheets_called(models)
    kinds, lots, offers = demo_stock()
    factor = scale if scale is not None else max(0.25, count / 45)
    units: list[CaseUnit] = []
    fleet: dict[str, tuple[str, dict[str, str]]] = {}
    for number in range(1, count + 1):
        sheet = dice.choice(sheets)
        trim, entries = make_unit(sheet, dice, fleet, same)
        findings = read(sheet, trim, entries)
        units.append(CaseUnit(tag=f"GN-{number:05d}", findings=findings))
    return Case(
        batch=f"Generated from seed {seed}",
        policy=Policy(),
        money_cents=round(40_000 * factor),
        bench_minutes=round(700 * factor),
        sheets=sheets,
        standards=demo_standards(),
        kinds=kinds,
        lots=tuple(lot.model_copy(update={"count": round(lot.count * factor)}) for lot in lots),
        offers=tuple(
            offer.model_copy(update={"limit": round(offer.limit * factor)}) for offer in offers
        ),
        units=tuple(units),
    )


WORN = 0.98
"""Share of packs of one fleet and age that wore alike; the rest were used harder, or replaced."""


def clearance(seed: int, count: int, *, models: int = 25, kinds: int = 60) -> Case:
    """A large clearance: few buyers' orders, machines that stood on desks and were not opened.

    Units of a model differ in grade, in how far their packs are worn, and a few in what is missing
    or fails; what sits inside is what was bought.

    :param models: the demo's sheets, and copies of them under other names up to this number.
    :param kinds: part kinds in the store and on offer.
    """
    dice = random.Random(seed)
    sheets = list(demo_sheets())
    originals = len(sheets)
    for number in range(originals, models):
        twin = sheets[number - originals]
        sheets.append(twin.model_copy(update={"key": f"{twin.key}-b", "model": f"{twin.model} b"}))
    standards = tuple(_priced_as(standard, sheets) for standard in demo_standards())
    pool = {sheet.key: _pool(sheet, dice) for sheet in sheets}
    units: list[CaseUnit] = []
    for number in range(1, count + 1):
        sheet = dice.choice(sheets)
        states, weights = pool[sheet.key]
        trim, entries = dice.choices(states, weights)[0]
        worn = {
            place.key: _as_worn(entries[place.key], dice)
            for place in sheet.packs_of(trim)
            if "/" in entries[place.key]
        }
        findings = read(sheet, trim, entries | worn)
        units.append(CaseUnit(tag=f"GN-{number:05d}", findings=findings))
    base = make_case(seed, 1)
    factor = count / 45
    lots, offers = _stocked(base.kinds, base.lots, base.offers, kinds, dice)
    return base.model_copy(
        update={
            "batch": f"Clearance from seed {seed}",
            "sheets": tuple(sheets),
            "standards": standards,
            "units": tuple(units),
            "money_cents": round(30_000 * factor),
            "bench_minutes": float(round(320 * factor)),
            "lots": tuple(
                lot.model_copy(update={"count": max(1, round(lot.count * factor / 3))})
                for lot in lots
            ),
            "offers": tuple(
                offer.model_copy(
                    update={"limit": max(1, round(offer.limit * factor / 3)) * offer.pack_size}
                )
                for offer in offers
            ),
        }
    )


STATES_OF_A_MODEL = 8


def _pool(
    sheet: ModelSheet, dice: random.Random
) -> tuple[list[tuple[str, dict[str, str]]], list[float]]:
    """The states that units of one model of the clearance are in, the common ones first."""
    fleet: dict[str, tuple[str, dict[str, str]]] = {}
    states: list[tuple[str, dict[str, str]]] = []
    while len(states) < STATES_OF_A_MODEL:
        trim, entries = make_unit(sheet, dice, fleet, 0.9)
        if not any(text == "!" for text in entries.values()):
            states.append((trim, entries))
    return states, [1 / (1 + n) for n in range(STATES_OF_A_MODEL)]


def _as_worn(entry: str, dice: random.Random) -> str:
    """A pack entry with the wear of one more of the same age: a little off its neighbour's."""
    full, _, rest = entry.partition("/")
    design = float(rest.split()[0])
    off = dice.uniform(-0.02, 0.02) if dice.random() < WORN else dice.uniform(-0.3, 0.05)
    health = min(1.0, max(0.2, float(full) / design + off))
    return f"{health * design:.1f}/{rest}"


def _priced_as(standard: Standard, sheets: list[ModelSheet]) -> Standard:
    """The standard with prices for the copies of models too."""
    twins = {sheet.key: sheet.key.removesuffix("-b") for sheet in sheets}
    prices = tuple(
        price.model_copy(update={"sheet": key})
        for key, original in twins.items()
        for price in standard.prices
        if price.sheet == original
    )
    return standard.model_copy(update={"prices": prices})


def _stocked(
    kinds: tuple[PartKind, ...],
    lots: tuple[Lot, ...],
    offers: tuple[Offer, ...],
    count: int,
    dice: random.Random,
) -> tuple[tuple[Lot, ...], tuple[Offer, ...]]:
    """Lots and offers of exactly ``count`` kinds: those of the demo, and lots of other kinds."""
    have = list(dict.fromkeys([lot.kind for lot in lots] + [offer.kind for offer in offers]))
    others = [kind.key for kind in kinds if kind.key not in have]
    dice.shuffle(others)
    chosen = set((have + others)[:count])
    more = tuple(
        Lot(
            key=f"lot-x{number}",
            kind=kind,
            condition=Condition.NEW,
            place="rack X",
            count=dice.randint(1, 6),
            unit_cost_cents=dice.randint(100, 2500),
        )
        for number, kind in enumerate(others)
        if kind in chosen
    )
    return (
        tuple(lot for lot in (*lots, *more) if lot.kind in chosen),
        tuple(offer for offer in offers if offer.kind in chosen),
    )


def read(sheet: ModelSheet, trim: str, entries: dict[str, str]) -> Findings:
    """Read generated entries; they never refuse."""
    findings, refusals = read_entries(sheet, trim, entries)
    assert not refusals, refusals
    return findings
