"""Packs: health, runtime, what is implausible (docs/rules.md, Pack)."""

from dataclasses import dataclass
from fractions import Fraction

from sortis_core.facts.figures import at_least, exact
from sortis_core.facts.question import Question
from sortis_core.findings import Findings, PackFinding, PlaceState
from sortis_core.sheets import ModelSheet, PackPlace, PackVariant

HIGHEST_HEALTH_PERCENT = 105
"""Above this the figures were read wrong."""
DESIGN_TOLERANCE_PERCENT = 5
"""A design figure further off every variant is a wrong pack or a wrong unit."""
CELL_VOLTS = (3.6, 3.95)
"""Nominal volts of one lithium cell, lowest and highest."""
VOLTS_NEAR = 0.05
"""Labels round to a tenth."""
MOST_CELLS = 6
"""More in a row no pack of a portable has."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackFigures:
    """One pack, judged alone; no figure is rounded."""

    place: str
    state: PlaceState
    full_wh: float | None
    design_wh: float | None
    health_percent: float | None
    cycles: int | None
    variant: str
    """Family of the sheet's variant it agrees with; empty where none does."""


@dataclass(frozen=True, slots=True, kw_only=True)
class BatteryFacts:
    """All packs of one unit and the runtime of their sum."""

    packs: tuple[PackFigures, ...]
    runtime_hours: float | None
    draw_watts: float | None
    sentence: str


def nearest_variant(place: PackPlace, pack: PackFinding) -> PackVariant | None:
    """The variant whose design Wh lies nearest and within tolerance."""
    best: PackVariant | None = None
    best_off = Fraction(DESIGN_TOLERANCE_PERCENT, 100)
    for variant in place.variants:
        design = pack.in_wh(pack.design, variant.volts)
        if design is None:
            continue
        off = abs(exact(design) / exact(variant.design_wh) - 1)
        if off <= best_off:
            best, best_off = variant, off
    return best


def battery_facts(sheet: ModelSheet, findings: Findings) -> BatteryFacts:
    """Health of each pack and the runtime estimate, full-charge Wh against typical draw."""
    facts: list[PackFigures] = []
    said: list[str] = []
    total = Fraction()
    for place in sheet.packs_of(findings.trim):
        pack = findings.pack(place.key)
        variant = nearest_variant(place, pack)
        full, design = pack.full, pack.design
        if pack.measured_in != "Wh":
            volts = (variant or place.variants[0]).volts
            full, design = pack.in_wh(full, volts), pack.in_wh(design, volts)
        health = pack.health_percent
        facts.append(
            PackFigures(
                place=place.key,
                state=pack.state,
                full_wh=full,
                design_wh=design,
                health_percent=health,
                cycles=pack.cycles,
                variant=variant.family if variant else "",
            )
        )
        if full is not None and health is not None:
            total += exact(full)
            said.append(
                f"{place.label} {full:.1f} of {design:.1f} Wh is {at_least(health, 1):.1f} %"
            )
        elif pack.state is not PlaceState.UNSEEN:
            words = {
                PlaceState.EMPTY: "absent",
                PlaceState.FAULTY: "does not charge",
                PlaceState.HAZARD: "dangerous",
            }
            said.append(f"{place.label} {words.get(pack.state, 'present')}")
    watts = sheet.draw[0].watts if sheet.draw else None
    hours = float(total / exact(watts)) if total and watts else None
    if hours:
        said.append(f"about {hours:.1f} h at {watts:g} W ({sheet.draw[0].use})")
    sentence = "; ".join(said) + "." if said else ""
    return BatteryFacts(
        packs=tuple(facts), runtime_hours=hours, draw_watts=watts, sentence=sentence
    )


def pack_questions(sheet: ModelSheet, findings: Findings) -> list[Question]:
    """Values to ask again: a design off the sheet, volts that no cell count gives."""
    asked: list[Question] = []
    for place in sheet.packs_of(findings.trim):
        pack = findings.pack(place.key)
        if pack.state is not PlaceState.PRESENT:
            continue
        if nearest_variant(place, pack) is None and pack.design is not None:
            figures = ", ".join(f"{v.design_wh:g}" for v in place.variants)
            asked.append(
                Question(
                    place=place.key,
                    sentence=f"Design {pack.design:g} {pack.measured_in} is none of the sheet's "
                    f"{figures} Wh. Another pack, or read in the wrong unit?",
                )
            )
        if pack.volts is not None and not _fits_cells(place, pack.volts):
            asked.append(
                Question(
                    place=place.key,
                    sentence=f"{pack.volts:g} V fits no pack of "
                    f"{' or '.join(str(c) for c in _cell_counts(place))} cells in a row. Read the "
                    "label again.",
                )
            )
    return asked


def _cells_in_a_row(volts: float) -> set[int]:
    """How many cells in a row can have so many volts; what lies side by side adds none."""
    low, high = (exact(volts) for volts in CELL_VOLTS)
    near = exact(VOLTS_NEAR)
    return {
        n for n in range(1, MOST_CELLS + 1) if n * low - near <= exact(volts) <= n * high + near
    }


def _cell_counts(place: PackPlace) -> tuple[int, ...]:
    """Cells in a row of the sheet's variants."""
    return tuple(sorted(set().union(*(_cells_in_a_row(v.volts) for v in place.variants))))


def _fits_cells(place: PackPlace, volts: float) -> bool:
    return not _cells_in_a_row(volts).isdisjoint(_cell_counts(place))
