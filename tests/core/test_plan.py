import unittest
from collections import Counter
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from ortools.math_opt.python import mathopt

from demo.generator import make_case
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, CaseUnit, NothingToPlan, Plan, make_plan
from sortis_core.plan.deal import circle, deal_in_turn, deal_parts, deal_tags
from sortis_core.plan.grouping import group_units
from sortis_core.plan.make import grouped, waits_in_circle
from sortis_core.plan.model import BatchModel
from sortis_core.plan.solve import Watch, solve
from sortis_core.plan.verify import faults
from sortis_core.policy import FillingSchool, Policy
from sortis_core.stock import PriceBreak
from tests.core.sample import SHEETS, STANDARDS, folio, stilt
from tests.core.trying import best_by_trying
from tests.examples import few


def objective(plan) -> int:
    """What was maximised: the contribution less the premium of uneven fillings."""
    return plan.proofs[-1].value


SEEDS = st.integers(0, 100_000)
each = few(2)


def case_of(*units, money=50_000, minutes=1000.0, lots=None, offers=None) -> Case:
    base = make_case(0, 1, scale=1)
    return base.model_copy(
        update={
            "standards": STANDARDS,
            "units": tuple(
                CaseUnit(tag=f"T-{n:03d}", findings=found) for n, found in enumerate(units, 1)
            ),
            "sheets": tuple(SHEETS.values()),
            "money_cents": money,
            "bench_minutes": minutes,
            "lots": base.lots if lots is None else lots,
            "offers": base.offers if offers is None else offers,
        }
    )


class Examples(unittest.TestCase):
    def test_identical_units_are_one_group_whatever_their_exact_health(self):
        case = case_of(folio(p1="32.5/46 90c"), folio(p1="33.5/46 90c"), folio(p1="44/46 90c"))
        sizes = sorted(len(group.tags) for group in group_units(case, case.units))
        self.assertEqual(sizes, [1, 2])

    def test_one_scarce_module_goes_where_it_leaves_most(self):
        case = case_of(stilt(m1="4", m2="-", grade="b"), stilt(m1="4", m2="-", grade="a"))
        one = tuple(
            lot.model_copy(update={"count": 1}) for lot in case.lots if lot.kind == "sodimm-ddr4-16"
        )
        plan = make_plan(case.model_copy(update={"lots": one, "offers": ()}))
        lifted = {o.tag for o in plan.outcomes if o.standard == "field-ready"}
        self.assertEqual(len(lifted), 1)
        dearest = max(plan.outcomes, key=lambda o: o.price_cents)
        self.assertEqual(lifted, {dearest.tag})
        other = next(o for o in plan.outcomes if o.tag not in lifted)
        self.assertIn("16 GB DDR4 SODIMM", other.reason)

    def test_a_dead_unit_gives_its_parts_to_another_in_the_same_plan(self):
        case = case_of(stilt(starts="x"), stilt(speaker="-"), lots=(), offers=())
        plan = make_plan(case)
        ends = {o.tag: o for o in plan.outcomes}
        self.assertIs(ends["T-001"].outcome, OutcomeKind.DONOR)
        self.assertEqual(ends["T-002"].standard, "field-ready")
        part = plan.allocations[0]
        self.assertEqual(
            (part.kind, part.source, part.source_key), ("speaker-qs2", "unit", "T-001")
        )
        self.assertEqual(ends["T-001"].gives_cents, ends["T-002"].parts_cents)

    def test_no_money_buys_nothing_and_a_bought_part_is_counted(self):
        case = case_of(stilt(d1="-"), lots=())
        self.assertEqual(make_plan(case.model_copy(update={"money_cents": 0})).spend_cents, 0)
        plan = make_plan(case)
        self.assertEqual(plan.spend_cents, plan.allocations[0].unit_cost_cents)

    def test_no_minutes_leave_only_what_needs_no_opening(self):
        plan = make_plan(case_of(stilt(), stilt(m2="-"), minutes=0.0))
        self.assertTrue(all(o.minutes == 0 for o in plan.outcomes))

    def test_a_dangerous_pack_is_left_out_and_said(self):
        plan = make_plan(case_of(folio(p1="!"), stilt()))
        self.assertEqual([left.tag for left in plan.left_out], ["T-001"])
        with self.assertRaises(NothingToPlan):
            make_plan(case_of(folio(p1="!")))

    def test_nothing_inspected_is_refused_in_words(self):
        with self.assertRaisesRegex(NothingToPlan, "Inspect at least one"):
            make_plan(case_of())

    def test_a_unit_nobody_finished_looking_at_is_held(self):
        plan = make_plan(case_of(stilt(speaker="?")))
        self.assertIs(plan.outcomes[0].outcome, OutcomeKind.HOLD)
        self.assertIn("Speaker not looked at", plan.outcomes[0].reason)

    def test_worth_of_one_more_is_what_one_more_adds(self):
        case = case_of(stilt(m1="4", m2="-"), stilt(m1="4", m2="-"), offers=())
        case = case.model_copy(update={"policy": Policy(filling=FillingSchool.CAPACITY)})
        lots = tuple(lot for lot in case.lots if lot.kind == "sodimm-ddr4-16")
        one = make_plan(
            case.model_copy(update={"lots": (lots[0].model_copy(update={"count": 1}),)})
        )
        two = make_plan(
            case.model_copy(update={"lots": (lots[0].model_copy(update={"count": 2}),)})
        )
        row = next(r for r in one.scarce if r.key == "sodimm-ddr4-16")
        gain = two.contribution_cents - one.contribution_cents
        self.assertGreater(gain, 0)
        self.assertAlmostEqual(row.worth_cents, gain, delta=1)

    def test_every_rejection_and_every_reason_is_a_sentence(self):
        plan = make_plan(make_case(5, 9))
        self.assertTrue(all(o.reason.endswith((".", ")")) for o in plan.outcomes))
        self.assertTrue(all(len(r.fact) > 15 for g in plan.groups for r in g.rejections))


class Properties(unittest.TestCase):
    def holds_to(self, case: Case, plan: Plan) -> None:
        """The best of all that was tried is reached unless units waited in a circle there."""
        best = best_by_trying(case)
        self.assertEqual(plan.proofs[-1].bound, objective(plan))
        if objective(plan) != best:
            freely = solve(case, grouped(case))
            dealt = deal_tags(grouped(case), freely)
            self.assertTrue(circle(deal_in_turn(case, dealt, freely)))
            self.assertLess(objective(plan), best)

    def test_a_circle_that_another_order_of_dealing_avoids_costs_nothing(self):
        case = make_case(41, 7)
        best = solve(case, grouped(case))
        dealt = deal_tags(grouped(case), best)
        self.assertTrue(circle(deal_parts(case, dealt, best)))
        self.assertFalse(circle(deal_in_turn(case, dealt, best)))
        plan = make_plan(case)
        self.assertEqual((plan.gap_percent, objective(plan)), (0, best.proofs[-1].value))
        self.assertEqual(faults(case, plan), [])

    def test_where_units_would_wait_in_a_circle_the_plan_in_turns_is_proven(self):
        for seed in (5, 55, 276):
            case = make_case(seed, 7)
            freely = solve(case, grouped(case))
            self.assertTrue(waits_in_circle(case, grouped(case), freely))
            plan = make_plan(case)
            self.assertEqual((plan.gap_percent, faults(case, plan)), (0, []))
            self.assertFalse(circle(plan.allocations))
            self.assertLess(plan.proofs[-1].value, freely.proofs[-1].value)

    def test_with_fewer_turns_than_units_that_wait_the_freer_bound_is_shown(self):
        case = make_case(5, 7)
        freely = solve(case, grouped(case))
        whole = make_plan(case)
        with mock.patch("sortis_core.plan.model.TURNS", 1):
            plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(plan.proofs[-1].bound, freely.proofs[-1].bound)
        self.assertLessEqual(plan.proofs[-1].value, whole.proofs[-1].value)
        self.assertGreater(plan.gap_percent, 0)

    @each
    @given(SEEDS, st.integers(1, 30), st.sampled_from([0.0, 0.2, 1.0]))
    def test_never_more_than_there_is(self, seed, count, scale):
        case = make_case(seed, count, scale=scale)
        try:
            plan = make_plan(case)
        except NothingToPlan:
            self.assertTrue(all(unit.findings.hazards for unit in case.units))
        else:
            self.assertEqual(faults(case, plan), [])

    @each
    @given(SEEDS)
    def test_same_case_same_plan(self, seed):
        case = make_case(seed, 6)
        self.assertEqual(
            make_plan(case), make_plan(Case.model_validate_json(case.model_dump_json()))
        )

    @each
    @given(SEEDS)
    def test_more_stock_money_or_minutes_never_lower_the_optimum(self, seed):
        case = make_case(seed, 4, scale=0.15)
        least = objective(make_plan(case))
        richer = [
            {"lots": tuple(lot.model_copy(update={"count": lot.count + 1}) for lot in case.lots)},
            {"money_cents": case.money_cents + 5000},
            {"bench_minutes": case.bench_minutes + 60},
        ]
        for more in richer:
            self.assertGreaterEqual(objective(make_plan(case.model_copy(update=more))), least)

    @each
    @given(SEEDS)
    def test_the_optimum_is_that_of_trying_everything(self, seed):
        case = make_case(seed, 3, scale=0.3)
        case = case.model_copy(update={"offers": (), "bench_minutes": 35})
        open_units = tuple(unit for unit in case.units if not unit.findings.hazards)
        case = case.model_copy(update={"units": open_units})
        if open_units:
            self.holds_to(case, make_plan(case))

    @each
    @given(SEEDS, st.integers(0, 9000))
    def test_buying_is_as_good_as_trying_every_count(self, seed, money):
        case = make_case(seed, 2, scale=0.2)
        units = tuple(unit for unit in case.units if not unit.findings.hazards)
        offers = tuple(
            offer.model_copy(
                update={
                    "limit": 6,
                    "pack_size": 1 + seed % 2,
                    "breaks": (PriceBreak(from_count=3, price_cents=offer.price_cents // 2),),
                }
            )
            for offer in case.offers
        )
        case = case.model_copy(update={"units": units, "offers": offers, "money_cents": money})
        if units:
            plan = make_plan(case)
            self.holds_to(case, plan)
            self.assertEqual(faults(case, plan), [])

    @each
    @given(SEEDS, st.randoms(use_true_random=False))
    def test_the_choice_among_equals_does_not_depend_on_the_order_of_any_list(self, seed, dice):
        case = make_case(seed, 6, scale=0.3)
        lists = {}
        for name in ("lots", "offers", "units", "kinds", "sheets"):
            shuffled = list(getattr(case, name))
            dice.shuffle(shuffled)
            lists[name] = tuple(shuffled)
        one, other = make_plan(case), make_plan(case.model_copy(update=lists))
        self.assertEqual(
            (one.outcomes, one.allocations, one.buying),
            (other.outcomes, other.allocations, other.buying),
        )

    @each
    @given(SEEDS, st.randoms(use_true_random=False))
    def test_other_tags_change_nothing_but_tags(self, seed, dice):
        case = make_case(seed, 7)
        tags = [unit.tag for unit in case.units]
        dice.shuffle(tags)
        renamed = case.model_copy(
            update={
                "units": tuple(
                    unit.model_copy(update={"tag": tag})
                    for unit, tag in zip(case.units, tags, strict=True)
                )
            }
        )
        back = dict(zip(tags, (unit.tag for unit in case.units), strict=True))
        one, other = make_plan(case), make_plan(renamed)
        self.assertEqual(objective(one), objective(other))

        def ends(plan, name):
            ended = Counter(
                (name(tags), o.outcome, o.standard, o.actions)
                for group in plan.groups
                for o in plan.outcomes
                if o.group == group.number
                for tags in [group.tags]
            )
            return ended

        same = {tag: tag for tag in tags}
        self.assertEqual(
            ends(one, lambda group: frozenset(same[tag] for tag in group)),
            ends(other, lambda group: frozenset(back[tag] for tag in group)),
        )


class Searching(unittest.TestCase):
    """A plan that is watched, stopped, or wanted at once."""

    @classmethod
    def setUpClass(cls):
        case = make_case(3, 20, models=tuple(SHEETS))
        cls.hard = case.model_copy(update={"bench_minutes": 150.0, "money_cents": 13_000})
        cls.plan = make_plan(cls.hard)

    def test_who_looks_on_sees_best_and_bound_and_changes_nothing(self):
        told = []
        watched = make_plan(self.hard, watch=Watch(lambda *said: told.append(said), lambda: False))
        self.assertEqual(watched, self.plan)
        goals = {goal for goal, _, _ in told}
        self.assertIn("contribution", goals)
        found = [(best, bound) for goal, best, bound in told if goal == "contribution"]
        self.assertTrue(all(best <= bound + 1 for best, bound in found))

    def test_a_stopped_search_ends_with_a_plan_that_holds_and_says_how_near_it_is(self):
        stopped = make_plan(self.hard, watch=Watch(lambda *_: None, lambda: True))
        self.assertEqual(faults(self.hard, stopped), [])
        self.assertLessEqual(stopped.gap_percent, 1.0)
        self.assertLessEqual(objective(stopped), objective(self.plan))

    @each
    @given(SEEDS)
    def test_a_quick_plan_holds_and_its_bound_is_true(self, seed):
        case = make_case(seed, 8, scale=0.4, models=tuple(SHEETS))
        quick, proven = make_plan(case, quick=True), make_plan(case)
        self.assertEqual(faults(case, quick), [])
        self.assertLessEqual(objective(quick), objective(proven))
        self.assertGreaterEqual(quick.proofs[-1].bound, objective(proven))
        self.assertGreaterEqual(objective(quick), 0.95 * objective(proven))
        self.assertEqual(quick.groups, ())

    @each
    @given(SEEDS)
    def test_worth_of_one_more_is_the_gain_of_the_relaxation(self, seed):
        case = make_case(seed, 7, scale=0.2)
        groups = grouped(case)
        worth = solve(case, groups).worth

        def relaxed(richer: Case) -> float:
            loose = BatchModel(richer, groups)
            loose.relax()
            loose.model.maximize(loose.preferred)
            return mathopt.solve(loose.model, mathopt.SolverType.GLOP).objective_value()

        base = relaxed(case)
        money = relaxed(case.model_copy(update={"money_cents": case.money_cents + 10_000}))
        hour = relaxed(case.model_copy(update={"bench_minutes": case.bench_minutes + 60}))
        self.assertAlmostEqual(worth.money_100, money - base, delta=1)
        self.assertAlmostEqual(worth.minute * 60, hour - base, delta=1)


class Ladder(unittest.TestCase):
    def test_rungs_count_the_units_of_their_group(self):
        plan = make_plan(make_case(8, 16))
        for group in plan.groups:
            self.assertEqual(sum(rung.units for rung in group.ladder), len(group.tags))
