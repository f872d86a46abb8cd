"""Reasons that hold up: on cases made by hand the fact that was written down first is named."""

import unittest
from collections import Counter

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_case
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, make_plan
from sortis_core.plan.because import because
from sortis_core.plan.case import Pin
from sortis_core.plan.make import grouped
from sortis_core.plan.result import NoSuchUnit
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Price, Standard
from sortis_core.stock import Offer
from tests.core.sample import DESK, KINDS, SHEETS, folio, found, stilt
from tests.core.test_harvest import lot
from tests.core.test_plan import case_of
from tests.examples import few


def only_parts(sheet: ModelSheet, cents: int = 9000) -> Standard:
    """A standard that asks for complete units and nothing else."""
    prices = tuple(Price(sheet=sheet.key, grade=g, price_cents=cents) for g in "ABC")
    gates = tuple(gate for gate in DESK.gates if gate.type == "parts")
    return DESK.model_copy(update={"gates": gates, "prices": prices, "steps": ()})


def lacking(sheet: ModelSheet) -> tuple[str, str, Findings]:
    """(label, kind, a unit without it) of the first part that every unit of a model has."""
    shared = {key for part in sheet.parts for key in part.goes_with}
    part = next(
        p
        for p in sheet.parts
        if not (p.trims or p.only_with_drive_in or p.goes_with or p.key in shared)
    )
    packs = {p.key: f"{p.variants[0].design_wh}/{p.variants[0].design_wh} 9c" for p in sheet.packs}
    trim = sheet.trims[0].key
    packs = {pack.key: packs[pack.key] for pack in sheet.packs_of(trim)}
    drives = {drive.key: "-" for drive in sheet.drives_of(trim) if drive.key != "d0"}
    slots = {slot.key: "-" for slot in sheet.memory.slots}
    return (
        KINDS[part.kind].label,
        part.kind,
        found(sheet, **slots, **drives, **packs, **{part.key: "-"}),
    )


def two_and_one_part(sheet: ModelSheet) -> Case:
    _, kind, unit = lacking(sheet)
    case = case_of(unit, unit, lots=(lot(kind, cents=50),), offers=())
    return case.model_copy(update={"standards": (only_parts(sheet),)})


def said(case: Case) -> tuple[str, str]:
    """(tag, reason) of the first unit that is not sold."""
    plan = make_plan(case)
    lost = next(o.tag for o in plan.outcomes if not o.outcome.ready)
    return lost, because(case, plan, lost).sentence


class Facts(unittest.TestCase):
    def test_the_part_that_is_gone_and_who_has_it(self):
        """Twenty cases: one part, two units that lack it."""
        for sheet in SHEETS.values():
            case = two_and_one_part(sheet)
            label = lacking(sheet)[0]
            lost, sentence = said(case)
            has = "T-001" if lost == "T-002" else "T-002"
            self.assertIn(f"no {label} is left ({has} has what there is)", sentence)
            self.assertIn(f"{has} is alike and ends so", sentence)

    def test_the_money_that_is_spent(self):
        """Twenty cases: money for one part, two units that lack it."""
        for sheet in SHEETS.values():
            label, kind, unit = lacking(sheet)
            offer = Offer(key="o", kind=kind, supplier="Harbour", price_cents=600, limit=9, days=1)
            case = case_of(unit, unit, lots=(), offers=(offer,), money=1000).model_copy(
                update={"standards": (only_parts(sheet),)}
            )
            _, sentence = said(case)
            self.assertIn("€4.00 of the money is left and its parts cost at least €6.00", sentence)
            self.assertNotIn(f"no {label} is left", sentence)

    def test_the_hours_that_are_used_up(self):
        """Twenty cases: hours for one unit, parts for two."""
        for sheet in SHEETS.values():
            _, kind, unit = lacking(sheet)
            rich = case_of(unit, unit, lots=(lot(kind, 2, 50),), offers=()).model_copy(
                update={"standards": (only_parts(sheet),)}
            )
            (group,) = grouped(rich)
            work = next(o.minutes for o in group.options if o.outcome is OutcomeKind.FIT)
            case = rich.model_copy(update={"bench_minutes": work * 1.5})
            _, sentence = said(case)
            self.assertIn(f"{work * 0.5:.1f} min of the hours are left", sentence)
            self.assertIn(f"it takes {work:.1f} more", sentence)

    def test_who_pays_is_the_unit_that_leaves_most_by_it(self):
        cheap, dear = SHEETS["quarrin-stilt-q2"], SHEETS["ombrel-folio-15"]
        poor = stilt(m1="8", m2="-")
        rich = found(dear, "flash", m0="8", m1="-", d1="n256", d2="-", p1="45/46 9c")
        gates = tuple(g for g in DESK.gates if g.type == "memory")
        sixteen = tuple(g.model_copy(update={"min_gb": 16}) for g in gates)
        standard = DESK.model_copy(
            update={
                "gates": sixteen,
                "prices": (
                    Price(sheet=cheap.key, grade="B", price_cents=9000),
                    Price(sheet=dear.key, grade="B", price_cents=20_000),
                ),
            }
        )
        case = case_of(poor, rich, lots=(lot("sodimm-ddr4-8", cents=900),), offers=())
        case = case.model_copy(update={"standards": (standard,)})
        plan = make_plan(case)
        told = because(case, plan, "T-001")
        payer = next(paid for paid in told.paid_by if paid.loss_cents > 0)
        self.assertEqual((payer.tags, payer.model), (("T-002",), dear.name))
        self.assertIn(f"T-002 ({dear.name}) would leave", told.sentence)
        self.assertEqual(sum(paid.loss_cents for paid in told.paid_by), told.loss_cents)
        forced = case.model_copy(update={"pins": (Pin(tag="T-001", outcome=OutcomeKind.FIT),)})
        self.assertEqual(
            told.loss_cents, plan.contribution_cents - make_plan(forced).contribution_cents
        )

    def test_a_pin_and_a_unit_with_one_way_say_so(self):
        pin = Pin(tag="T-001", outcome=OutcomeKind.RELEASE)
        case = case_of(stilt()).model_copy(update={"pins": (pin,)})
        told = because(case, make_plan(case), "T-001")
        self.assertEqual(told.sentence, "Pinned: a person decided it.")
        with self.assertRaises(NoSuchUnit):
            because(case, make_plan(case), "T-999")

    def test_one_that_is_alike_and_ends_otherwise_is_told_by_what_it_leaves(self):
        case = make_case(202, 9, models=tuple(SHEETS))
        plan = make_plan(case)
        group = Counter(one.group for one in plan.outcomes).most_common(1)[0][0]
        alike = [one for one in plan.outcomes if one.group == group]
        self.assertEqual(len({tuple(a.key for a in one.actions) for one in alike}), 2)
        for outcome in alike:
            answer = because(case, plan, outcome.tag)
            self.assertIn("alike and ends so", answer.sentence)
            self.assertNotIn("-€", answer.sentence)
            self.assertLess(answer.gain_cents, 0)
            self.assertIn(" less here", answer.sentence)

    def test_what_is_sought_stays_the_reason_and_the_shelf_is_none(self):
        # One lacks what nobody has; another model wants its module, which the store has, too.
        lacks, wants = stilt(sensor="-"), folio(m1="-")
        case = case_of(lacks, wants, lots=(lot("sodimm-ddr4-8", cents=10),), offers=())
        plan = make_plan(case)
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.HOLD)
        answer = because(case, plan, "T-001")
        self.assertTrue(answer.sentence.startswith("Nobody has or offers Heat sensor"))
        self.assertNotIn("channels differ", answer.sentence)
        alone = case_of(lacks, lots=(), offers=())
        plan = make_plan(alone)
        self.assertEqual(because(alone, plan, "T-001").sentence, plan.outcomes[0].reason)

    def test_a_matched_pair_that_costs_a_little_more_is_told_by_its_premium(self):
        lots = (lot("sodimm-ddr4-16", 1, 900), lot("sodimm-ddr4-8", 2, 550))
        case = case_of(stilt(m1="-", m2="-"), lots=lots, offers=())
        plan = make_plan(case)
        self.assertEqual({part.kind for part in plan.allocations}, {"sodimm-ddr4-8"})
        told = because(case, plan, "T-001")
        self.assertLess(told.loss_cents, 0)
        self.assertIn("more, but each unit whose channels differ counts as costing", told.sentence)

    def test_what_leaves_most_names_the_next_and_what_it_would_cost(self):
        told = because(case := case_of(stilt()), plan := make_plan(case), "T-001")
        self.assertTrue(told.sentence.startswith("Of all ways this leaves most here"))
        self.assertGreater(told.loss_cents, 0)
        self.assertLessEqual(told.gain_cents, 0)
        self.assertEqual(plan.outcomes[0].contribution_cents, plan.contribution_cents)


class Exactly(unittest.TestCase):
    @few(2)
    @given(st.integers(0, 9999))
    def test_what_the_groups_lose_is_what_the_batch_loses(self, seed):
        case = make_case(seed, 5, scale=0.2)
        plan = make_plan(case)
        for outcome in plan.outcomes[:3]:
            told = because(case, plan, outcome.tag)
            if told.better and not told.impossible:
                self.assertEqual(sum(p.loss_cents for p in told.paid_by), told.loss_cents)
                premium = len(case.units) * case.policy.matched_premium_cents
                self.assertGreaterEqual(told.loss_cents, -premium)
