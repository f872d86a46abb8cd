"""What a plan has left: every fact holds against the counts of the case."""

import re
import unittest
from collections import Counter

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_case
from sortis_core.options import Option, OutcomeKind
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.plan.because import because
from sortis_core.plan.case import Goal, OpenOrder, SalesOrder
from sortis_core.plan.limits import Limits
from sortis_core.plan.make import grouped
from sortis_core.plan.result import NoSuchUnit
from sortis_core.policy import HarvestSchool
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.stock import Condition, Offer
from tests.core.sample import KINDS, stilt
from tests.core.test_harvest import lot
from tests.core.test_plan import case_of
from tests.examples import few

EIGHT, FOUR = "sodimm-ddr4-8", "sodimm-ddr4-4"
LABEL = KINDS[EIGHT].label


def way(case: Case, plan: Plan, tag: str, standard: str, **takes: int) -> Option:
    """The way of a unit to a standard that takes just so many of these."""
    number = next(one.group for one in plan.outcomes if one.tag == tag)
    wanted = {kind.replace("_", "-"): count for kind, count in takes.items()}
    return next(
        option
        for option in grouped(case)[number - 1].options
        if option.standard == standard and {p.kind: p.count for p in option.taken} == wanted
    )


def facts(case: Case, tag: str, standard: str, **takes: int) -> tuple[str, ...]:
    plan = make_plan(case)
    outcome = next(one for one in plan.outcomes if one.tag == tag)
    return Limits(case, plan, grouped(case)).of(way(case, plan, tag, standard, **takes), outcome)


class Parts(unittest.TestCase):
    def test_one_of_two_is_told_as_one(self):
        case = case_of(stilt(m1="-", m2="-"), lots=(lot(EIGHT, 1), lot(FOUR, 2)), offers=())
        said = facts(case, "T-001", "field-ready", sodimm_ddr4_8=2)
        self.assertEqual(said, (f"it takes 2 {LABEL} and only 1 is there for it",))

    def test_what_it_has_already_is_not_lacking(self):
        case = case_of(stilt(m1="-", m2="-"), lots=(lot(EIGHT, 1),), offers=())
        plan = make_plan(case)
        used = [part.kind for part in plan.allocations]
        self.assertEqual(used, [EIGHT])
        same = way(case, plan, "T-001", plan.outcomes[0].standard, sodimm_ddr4_8=1)
        self.assertEqual(Limits(case, plan, grouped(case)).of(same, plan.outcomes[0]), ())

    def test_a_plan_with_a_way_that_is_none_of_todays_is_refused_in_words(self):
        case = case_of(stilt(m1="-", m2="-"), lots=(lot(EIGHT, 1),), offers=())
        plan = make_plan(case)
        for changed in ({"actions": ()}, {"group": 9}):
            old = plan.outcomes[0].model_copy(update=changed)
            with self.assertRaisesRegex(NoSuchUnit, "none of today's. Plan again"):
                Limits(case, plan.model_copy(update={"outcomes": (old,)}), grouped(case))

    def test_what_is_over_of_a_pack_is_left(self):
        offer = Offer(
            key="o", kind=EIGHT, supplier="Harbour", price_cents=100, limit=5, days=1, pack_size=5
        )
        case = case_of(stilt(m1="-", m2="-"), stilt(), lots=(), offers=(offer,))
        plan = make_plan(case)
        self.assertEqual([(line.count, line.used) for line in plan.buying], [(5, 2)])
        one = way(case, plan, "T-001", "desk-ready", sodimm_ddr4_8=2)
        self.assertEqual(Limits(case, plan, grouped(case)).of(one, plan.outcomes[1]), ())

    def test_used_ones_are_no_new_ones(self):
        used = lot(EIGHT, 5).model_copy(update={"condition": Condition.HARVESTED_TESTED})
        new = lot("sodimm-ddr4-16", 1)
        case = case_of(stilt(m2="-"), stilt(m2="-"), lots=(used, new), offers=())
        policy = case.policy.model_copy(update={"harvest": HarvestSchool.NEW_FOR_TOP})
        case = case.model_copy(update={"policy": policy})
        (said,) = facts(case, "T-002", "field-ready", sodimm_ddr4_8=1)
        self.assertEqual(
            said,
            f"no new {LABEL} is in the store or on offer for Field ready, which takes no used ones",
        )

    def test_what_an_order_that_stands_was_promised_is_not_counted_twice(self):
        case = case_of(stilt(m2="-"), stilt(m1="-", m2="-"), lots=(lot(EIGHT, 3),), offers=())
        alone = case.model_copy(update={"units": case.units[:1], "lots": (lot(EIGHT, 1),)})
        first = make_plan(alone)
        kept = first.outcomes[0]
        stands = OpenOrder(
            tag=kept.tag,
            outcome=kept.outcome,
            standard=kept.standard,
            actions=kept.actions,
            parts=first.allocations,
            minutes=kept.minutes,
            skills=kept.skills,
            price_cents=kept.price_cents,
            labour_cents=kept.labour_cents,
            fees_cents=kept.fees_cents,
        )
        again = case.model_copy(update={"open_orders": (stands,), "lots": (lot(EIGHT, 1),)})
        plan = make_plan(again)
        self.assertTrue(plan.outcomes[0].kept)
        limits = Limits(again, plan, grouped(again))
        two = way(again, plan, "T-002", "desk-ready", sodimm_ddr4_8=2)
        had = sum(part.tag == "T-002" for part in plan.allocations)
        self.assertLess(had, 2)
        lacks = f"it takes 2 {LABEL} and only 1 is there for it (T-001 has what there is)"
        self.assertIn(lacks, limits.of(two, plan.outcomes[1]))
        one = way(again, plan, "T-002", "class-set", sodimm_ddr4_8=1)
        self.assertEqual(limits.of(one, plan.outcomes[1]), ())


class MoneyHoursAndOrders(unittest.TestCase):
    def test_parts_in_packs_cost_the_pack(self):
        offer = Offer(
            key="o", kind=EIGHT, supplier="Harbour", price_cents=600, limit=5, days=1, pack_size=5
        )
        case = case_of(stilt(m1="-", m2="8"), lots=(), offers=(offer,), money=2000)
        (said,) = facts(case, "T-001", "field-ready", sodimm_ddr4_8=1)
        self.assertEqual(said, "€20.00 of the money is left and its parts cost at least €30.00")

    def test_what_lies_in_the_store_costs_no_money(self):
        offer = Offer(key="o", kind=EIGHT, supplier="Harbour", price_cents=600, limit=5, days=1)
        case = case_of(stilt(m1="-"), lots=(lot(EIGHT, 3),), offers=(offer,), money=0)
        self.assertEqual(facts(case, "T-001", "field-ready", sodimm_ddr4_8=1), ())

    def test_the_hours_of_one_skill(self):
        case = case_of(stilt(m1="-"), stilt(m1="-"), lots=(lot(EIGHT, 2),), offers=())
        plan = make_plan(case)
        work = sum(one.minutes for one in plan.outcomes[0].skills if one.skill is Skill.BENCH)
        short = case.model_copy(
            update={"skills": (SkillMinutes(skill=Skill.BENCH, minutes=round(work * 1.5, 1)),)}
        )
        lost = next(one.tag for one in make_plan(short).outcomes if not one.actions)
        (said,) = facts(short, lost, "field-ready", sodimm_ddr4_8=1)
        self.assertRegex(said, r"^\d+\.\d min of the hours of opening are left, it takes \d+\.\d m")

    def test_an_order_that_counts_on_it(self):
        order = SalesOrder(key="s", customer="Pilots", standard="class-set", count=1)
        case = case_of(stilt(m1="8", m2="8"), lots=(), offers=())
        case = case.model_copy(update={"sales_orders": (order,)})
        said = because(case, make_plan(case), "T-001").limits
        self.assertEqual(said, ("the order of Pilots for 1 Class set counts on it",))


class Goals(unittest.TestCase):
    def test_what_comes_before_the_contribution_is_named(self):
        offer = Offer(key="o", kind=EIGHT, supplier="Harbour", price_cents=600, limit=5, days=1)
        spend = case_of(stilt(m1="-", m2="8"), lots=(), offers=(offer,)).model_copy(
            update={"goal": Goal.SPEND}
        )
        told = because(spend, make_plan(spend), "T-001")
        self.assertEqual(told.comes_first, "€6.00 more would be spent, and the goal is least spend")
        self.assertTrue(told.sentence.endswith(f"more, but {told.comes_first}."))
        # Two modules: in one unit they leave more than one in each of two.
        units = (stilt(m1="-", m2="-"), stilt(m1="-", m2="-", grade="c"))
        ready = case_of(*units, lots=(lot(EIGHT, 2, 10),), offers=()).model_copy(
            update={"goal": Goal.READY}
        )
        plan = make_plan(ready)
        self.assertEqual(plan.ready, 2)
        said = [because(ready, plan, outcome.tag) for outcome in plan.outcomes]
        fewer = "1 fewer unit would be ready, and the goal is most units ready"
        self.assertIn(fewer, [one.comes_first for one in said])


class Counted(unittest.TestCase):
    @few(12)
    @given(st.integers(0, 9999), st.booleans())
    def test_every_fact_about_parts_holds_against_the_counts_of_the_case(self, seed, poor):
        case = make_case(seed, 8, scale=0.2)
        if poor:
            case = case.model_copy(update={"money_cents": 1500})
        plan = make_plan(case)
        limits = Limits(case, plan, grouped(case))
        names = {kind.label: kind.key for kind in case.kinds}
        had = Counter((p.kind, p.tag) for p in plan.allocations if p.source != "unit")
        for outcome in plan.outcomes:
            for option in grouped(case)[outcome.group - 1].options:
                for said in limits.of(option, outcome):
                    found = re.match(r"no (.+) is left", said)
                    if found and (kind := names.get(found[1])):
                        there = sum(one.count for one in case.usable_lots() if one.kind == kind)
                        there += sum(one.limit for one in case.usable_offers() if one.kind == kind)
                        used = sum(n for (one, _), n in had.items() if one == kind)
                        self.assertEqual(there, used, (said, outcome.tag))
                        others = {tag for one, tag in had if one == kind} - {outcome.tag}
                        self.assertTrue(others or "GN-" in said, said)
                    if " of the money is left" in said:
                        self.assertLess(plan.spend_cents, case.money_cents + 1)
                        self.assertTrue(any(part.kind in bought(case) for part in option.taken))
                    if "min of the hours are left" in said:
                        more = option.minutes - outcome.minutes
                        self.assertGreater(plan.minutes + more, case.bench_minutes)

    def test_of_a_whole_plan_no_way_that_is_taken_lacks_anything(self):
        for seed in range(6):
            case = make_case(seed, 12, scale=0.3)
            plan = make_plan(case)
            limits = Limits(case, plan, grouped(case))
            for outcome in plan.outcomes:
                if outcome.outcome in (OutcomeKind.FIT, OutcomeKind.RELEASE):
                    taken = next(
                        option
                        for option in grouped(case)[outcome.group - 1].options
                        if option.standard == outcome.standard and option.actions == outcome.actions
                    )
                    self.assertEqual(limits.of(taken, outcome), (), outcome.tag)


def bought(case: Case) -> set[str]:
    return {offer.kind for offer in case.usable_offers()}
