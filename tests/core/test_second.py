"""The plan's ways against a second enumeration that shares nothing with the first."""

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries, read
from sortis_core.findings import Findings
from sortis_core.plan import Case, make_plan
from sortis_core.plan.verify import faults
from sortis_core.stock import Condition, DriveFacts, Lot, ModuleFacts, PackFacts
from tests.core.sample import KINDS, PRICED_BY_STEPS, SHEETS
from tests.core.second import best_of_all
from tests.core.test_plan import case_of
from tests.examples import few

MODELS = ("ombrel-folio-15", "quarrin-stilt-q2", "tolva-lern-11", "quarrin-halyard-14")


def unit(key: str, dice: random.Random) -> Findings:
    """A unit wholly looked at, often with something faulty, missing or failed."""
    sheet = SHEETS[key]
    trim = dice.choice(sheet.trims).key
    entries = make_entries(sheet, trim, dice)
    places = sheet.of_trim(trim)
    for slot in sheet.memory.slots:
        if dice.random() < 0.25:
            entries[slot.key] = dice.choice(("x", "dead", "-"))
    for place in (*places.drives, *places.packs):
        if dice.random() < 0.1 and place.key in entries:
            entries[place.key] = "x"
        if entries.get(place.key) == "!":
            entries[place.key] = "-"
    for test in places.tests:
        if dice.random() < 0.08:
            entries[test.key] = dice.choice(("x", "xx"))
    for part in places.parts:
        if dice.random() < 0.1:
            entries[part.key] = dice.choice("-x")
    return read(sheet, trim, entries)


def store(dice: random.Random, units: list[Findings]) -> tuple[Lot, ...]:
    """A few kinds of each sort, so that everything can be tried."""
    families = {
        variant.family
        for found in units
        for pack in SHEETS[found.sheet].packs
        for variant in pack.variants
    }
    modules = [k for k, kind in KINDS.items() if isinstance(kind.facts, ModuleFacts)]
    drives = [k for k, kind in KINDS.items() if isinstance(kind.facts, DriveFacts)]
    packs = [
        k
        for k, kind in KINDS.items()
        if isinstance(kind.facts, PackFacts) and kind.facts.family in families
    ]
    named = [part.kind for found in units for part in SHEETS[found.sheet].parts]
    named += [t.repair.kind for found in units for t in SHEETS[found.sheet].tests if t.repair]
    chosen = [
        *dice.sample(modules, 2),
        *dice.sample(drives, 2),
        *dice.sample(packs, min(1, len(packs))),
    ]
    chosen += dice.sample(sorted(set(named)), min(7, len(set(named))))
    return tuple(
        Lot(
            key=f"lot-{n}",
            kind=kind,
            condition=Condition.NEW,
            place="A",
            count=dice.randint(1, 2),
            unit_cost_cents=dice.randint(100, 2500),
        )
        for n, kind in enumerate(dict.fromkeys(chosen))
    )


def tiny(seed: int, units: int) -> Case:
    dice = random.Random(seed)
    key = dice.choice(MODELS)
    found = [
        unit(key if n else dice.choice((key, dice.choice(MODELS))), dice) for n in range(units)
    ]
    return case_of(*found, lots=store(dice, found), offers=()).model_copy(
        update={"standards": PRICED_BY_STEPS, "money_cents": 0}
    )


class SecondEnumeration(unittest.TestCase):
    @few(3)
    @given(st.integers(0, 100_000))
    def test_two_units_leave_what_the_second_enumeration_finds(self, seed):
        case = tiny(seed, 2)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        # A donor's labour is rounded at each step.
        self.assertAlmostEqual(plan.proofs[-1].value, best_of_all(case), delta=8)
