"""The demo's sheets and short ways to make findings for tests."""

from demo.generator import demo_sheets, demo_standards, demo_stock
from sortis_core.findings import Findings
from sortis_core.intake.entry import read_entries
from sortis_core.sheets import ModelSheet
from sortis_core.stock import Condition, Lot

SHEETS = {sheet.key: sheet for sheet in demo_sheets()}
LERN, FOLIO, STILT = (
    SHEETS[key] for key in ("tolva-lern-11", "ombrel-folio-15", "quarrin-stilt-q2")
)
PRICED_BY_STEPS = demo_standards()
STANDARDS = tuple(one.model_copy(update={"steps": ()}) for one in PRICED_BY_STEPS)
CLASS, DESK, FIELD = STANDARDS
KINDS = {kind.key: kind for kind in demo_stock()[0]}


def found(sheet: ModelSheet, trim: str = "", **entries: str) -> Findings:
    """Findings of a unit that is complete and passes its tests but for ``entries``."""
    trim = trim or sheet.trims[0].key
    good = {part.key: "+" for part in sheet.parts_of(trim)}
    good |= {test.key: "+" for test in sheet.tests_of(trim)}
    findings, refusals = read_entries(sheet, trim, good | {"grade": "b"} | entries)
    assert not refusals, refusals
    return findings


def folio(trim: str = "flash", **entries: str) -> Findings:
    """A Folio 15 with 8 + 8 GB, 256 GB NVMe and a healthy pack, but for ``entries``."""
    base = {"m0": "8", "m1": "8", "d1": "n256", "d2": "-", "p1": "43/46 90c"}
    return found(FOLIO, trim, **(base | entries))


def stilt(**entries: str) -> Findings:
    """A Stilt Q2 with 8 + 8 GB and 256 GB in the cage, but for ``entries``."""
    return found(STILT, "std", **({"m1": "8", "m2": "8", "d1": "s256", "d2": "-"} | entries))


def lern(**entries: str) -> Findings:
    """A Lern 11 with 8 GB soldered, 256 GB and a healthy pack, but for ``entries``."""
    return found(LERN, "std", **({"m0": "8", "d1": "s256 2280", "p1": "34/38 90c"} | entries))


def lot(kind: str, count: int = 1, cents: int = 1000) -> Lot:
    """So many new ones of a kind on the shelf."""
    return Lot(
        key=f"lot-{kind}",
        kind=kind,
        condition=Condition.NEW,
        place="A-1",
        count=count,
        unit_cost_cents=cents,
    )
