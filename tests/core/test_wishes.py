"""Goals, orders, pins, skills, days, and work orders that stand."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_case
from sortis_core.options import OutcomeKind
from sortis_core.plan import (
    Goal,
    NothingToPlan,
    OpenOrder,
    Pin,
    SalesOrder,
    WishesClash,
    make_plan,
)
from sortis_core.plan.clash import smallest_clash
from sortis_core.plan.make import grouped
from sortis_core.plan.result import Allocation
from sortis_core.plan.verify import faults
from sortis_core.plan.whatif import figures
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.stock import Condition, Lot, Offer, PriceBreak
from tests.core.sample import folio, stilt
from tests.core.test_plan import case_of
from tests.examples import few

each = few(2)
SEEDS = st.integers(0, 100_000)


def order(standard="field-ready", count=1, **more) -> SalesOrder:
    return SalesOrder(key="o1", customer="Harbour school", standard=standard, count=count, **more)


def ends(plan):
    return {o.tag: (o.outcome, o.standard) for o in plan.outcomes}


def with_(case, **changes):
    return case.model_copy(update=changes)


class Orders(unittest.TestCase):
    def test_an_order_for_a_cheaper_standard_is_met_at_the_least_loss(self):
        free = case_of(stilt(), stilt(grade="c"), stilt(grade="a"))
        self.assertEqual({end[1] for end in ends(make_plan(free)).values()}, {"field-ready"})
        plan = make_plan(with_(free, sales_orders=(order("class-set", 1),)))
        self.assertEqual(faults(with_(free, sales_orders=(order("class-set", 1),)), plan), [])
        served = [o for o in plan.outcomes if o.sales_order == "o1"]
        self.assertEqual([o.standard for o in served], ["class-set"])
        self.assertEqual(plan.sales_orders[0].tags, (served[0].tag,))

    def test_a_price_of_ones_own_is_paid_for_as_many_as_were_ordered_and_no_more(self):
        free = case_of(stilt(), stilt(grade="c"), stilt(grade="a"))
        plain = with_(free, sales_orders=(order("class-set", 1),))
        dear = with_(free, sales_orders=(order("class-set", 1, price_cents=90_000),))
        before, plan = make_plan(plain), make_plan(dear)
        self.assertEqual(faults(dear, plan), [])
        (served,) = [o for o in plan.outcomes if o.sales_order]
        self.assertEqual(served.price_cents + served.customer_cents, 90_000)
        (was,) = [o for o in before.outcomes if o.sales_order]
        self.assertEqual(
            plan.contribution_cents - before.contribution_cents, 90_000 - was.price_cents
        )
        self.assertIn("Harbour school pays €900.00 for it, €", served.reason)
        self.assertIn("more than", served.reason)
        others = [o for o in plan.outcomes if not o.sales_order]
        self.assertEqual({o.customer_cents for o in others}, {0})
        self.assertEqual({o.standard for o in others}, {"field-ready"})

    def test_who_pays_less_gets_just_what_was_ordered(self):
        case = with_(
            case_of(stilt(), stilt(), stilt()),
            sales_orders=(order("field-ready", 2, price_cents=1_000),),
        )
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(sorted(bool(o.customer_cents < 0) for o in plan.outcomes), [0, 1, 1])
        self.assertIn("less than", next(o for o in plan.outcomes if o.sales_order).reason)

    def test_the_plan_counted_again_sees_a_wrong_price_of_a_customer(self):
        case = with_(case_of(stilt()), sales_orders=(order("field-ready", price_cents=70_000),))
        plan = make_plan(case)
        (one,) = plan.outcomes
        wrong = with_(
            one, customer_cents=0, contribution_cents=one.contribution_cents - one.customer_cents
        )
        total = plan.contribution_cents - one.customer_cents
        said = faults(case, with_(plan, outcomes=(wrong,), contribution_cents=total))
        self.assertIn(f"{one.tag} is not sold at what Harbour school pays.", said)
        nobody = with_(one, sales_order="")
        said = faults(case, with_(plan, outcomes=(nobody,)))
        self.assertIn(f"{one.tag} is sold at a customer's price and to no customer.", said)

    def test_an_open_order_that_is_kept_brings_what_its_customer_pays(self):
        case = with_(case_of(stilt()), sales_orders=(order("field-ready", price_cents=70_000),))
        (one,) = make_plan(case).outcomes
        kept = OpenOrder(
            tag=one.tag,
            outcome=one.outcome,
            standard=one.standard,
            actions=one.actions,
            price_cents=one.price_cents,
            labour_cents=one.labour_cents,
            fees_cents=one.fees_cents,
            minutes=one.minutes,
            skills=one.skills,
        )
        again = with_(case, open_orders=(kept,))
        plan = make_plan(again)
        self.assertTrue(plan.outcomes[0].kept)
        self.assertEqual(plan.outcomes[0].price_cents + plan.outcomes[0].customer_cents, 70_000)
        self.assertEqual(faults(again, plan), [])

    @each
    @given(SEEDS, st.integers(0, 200_000))
    def test_whatever_a_customer_pays_the_plan_counts_it_right(self, seed, cents):
        case = make_case(seed, 8)
        wanted = order(case.standards[0].key, 1, price_cents=cents)
        case = with_(case, sales_orders=(wanted,), goal=Goal.ORDERS)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertLessEqual(len(plan.sales_orders[0].tags), 1)

    def test_an_order_of_one_model_takes_no_other(self):
        case = with_(
            case_of(stilt(), folio(m1="8")),
            sales_orders=(order("class-set", 1, sheets=("ombrel-folio-15",)),),
        )
        plan = make_plan(case)
        self.assertEqual(plan.sales_orders[0].tags, ("T-002",))

    def test_an_order_that_cannot_be_met_says_how_many_can(self):
        case = with_(case_of(stilt(), stilt()), sales_orders=(order("field-ready", 5),))
        with self.assertRaisesRegex(WishesClash, "5 Field ready.*At most 2 can be had"):
            make_plan(case)

    def test_orders_first_meets_what_can_be_met(self):
        case = with_(
            case_of(stilt(), stilt()), sales_orders=(order("field-ready", 5),), goal=Goal.ORDERS
        )
        plan = make_plan(case)
        self.assertEqual(len(plan.sales_orders[0].tags), 2)
        self.assertEqual(plan.proofs[0].value, 3)
        self.assertEqual(faults(case, plan), [])

    def test_an_early_order_takes_no_part_that_comes_late(self):
        base = case_of(stilt(m1="4", m2="-"), lots=())
        late = Offer(
            key="late", kind="sodimm-ddr4-16", supplier="S", price_cents=3000, limit=5, days=9
        )
        case = with_(base, offers=(late,), days=20, sales_orders=(order(days=10),))
        plan = make_plan(case)
        self.assertEqual((plan.sales_orders[0].tags, faults(case, plan)), (("T-001",), []))
        with self.assertRaisesRegex(WishesClash, "in 5 days"):
            make_plan(with_(case, sales_orders=(order(days=5),)))

    def test_early_orders_get_the_early_parts_and_the_rest_the_late_ones(self):
        base = case_of(stilt(m1="4", m2="-"), stilt(m1="4", m2="-"))
        lots = tuple(
            Lot(
                key=key,
                kind="sodimm-ddr4-16",
                condition=Condition.NEW,
                place="A",
                count=1,
                unit_cost_cents=cost,
                days=days,
            )
            for key, days, cost in (("soon", 0, 3000), ("later", 8, 100))
        )
        case = with_(base, lots=lots, offers=(), days=20, sales_orders=(order(days=3),))
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        (early,) = plan.sales_orders[0].tags
        sources = {a.tag: a.source_key for a in plan.allocations}
        self.assertEqual(sources[early], "soon")
        self.assertEqual(len(sources), 2)

    def test_until_an_early_day_there_is_only_its_share_of_the_hours(self):
        units = [stilt(m2="-") for _ in range(4)]
        work = make_plan(case_of(units[0])).minutes
        case = with_(case_of(*units, minutes=4 * work), days=20, goal=Goal.ORDERS)
        plan = make_plan(with_(case, sales_orders=(order("field-ready", 4, days=10),)))
        self.assertEqual(len(plan.sales_orders[0].tags), 2)


class Buying(unittest.TestCase):
    def offer(self, **more):
        return Offer(
            key="o",
            kind="speaker-qs2",
            supplier="S",
            price_cents=500,
            limit=more.pop("limit", 12),
            days=1,
            **more,
        )

    def plan(self, offer, count=3, **changes):
        case = case_of(*[stilt(speaker="-") for _ in range(count)], lots=(), offers=(offer,))
        case = with_(case, **changes)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        return plan

    def test_whole_packs_are_bought_and_the_rest_is_the_batchs_to_pay(self):
        plan = self.plan(self.offer(pack_size=4))
        (line,) = plan.buying
        self.assertEqual((line.count, line.used, plan.spend_cents), (4, 3, 2000))
        self.assertEqual(plan.surplus_cents, 500)

    def test_a_price_break_is_taken_where_it_pays_even_by_buying_more(self):
        breaks = (PriceBreak(from_count=4, price_cents=300),)
        (line,) = self.plan(self.offer(breaks=breaks)).buying
        self.assertEqual((line.count, line.price_cents), (4, 300))
        (line,) = self.plan(self.offer(breaks=breaks), count=2).buying
        self.assertEqual((line.count, line.price_cents), (2, 500))

    def test_what_comes_after_the_due_day_is_not_bought(self):
        plan = self.plan(self.offer(), days=0)
        self.assertEqual((plan.buying, plan.ready), ((), 0))

    def test_a_pack_that_the_limit_cuts_is_no_pack(self):
        self.assertEqual(self.plan(self.offer(pack_size=4, limit=3)).buying, ())


class GoalsAndSkills(unittest.TestCase):
    def test_most_ready_may_leave_less_and_least_spend_buys_nothing(self):
        case = make_case(2, 9, scale=0.15)
        best = make_plan(case)
        ready = make_plan(with_(case, goal=Goal.READY))
        frugal = make_plan(with_(case, goal=Goal.SPEND))
        self.assertGreater(ready.ready, best.ready)
        self.assertLess(ready.contribution_cents, best.contribution_cents)
        self.assertEqual(frugal.spend_cents, 0)
        self.assertGreater(best.spend_cents, 0)
        for goal, plan in ((Goal.READY, ready), (Goal.SPEND, frugal)):
            self.assertEqual(faults(with_(case, goal=goal), plan), [])

    def test_a_limit_of_one_skill_binds_alone(self):
        case = case_of(stilt(d1="-"), stilt(d1="-"))
        both = make_plan(case)
        self.assertEqual(both.ready, 2)
        limited = with_(case, skills=(SkillMinutes(skill=Skill.SETUP, minutes=6.0),))
        plan = make_plan(limited)
        self.assertEqual((plan.ready, faults(limited, plan)), (1, []))
        row = next(r for r in plan.scarce if r.key == "setup")
        self.assertGreater(row.worth_cents, 0)
        self.assertTrue(any("Hours of setting up" in words for words in plan.binds))


class Pins(unittest.TestCase):
    def test_a_pin_holds_against_the_money(self):
        case = case_of(stilt(), stilt())
        case = with_(case, pins=(Pin(tag="T-002", outcome="release", standard="class-set"),))
        plan = make_plan(case)
        self.assertEqual(ends(plan)["T-002"][1], "class-set")
        self.assertEqual(ends(plan)["T-001"][1], "field-ready")
        self.assertTrue(next(o for o in plan.outcomes if o.tag == "T-002").pinned)
        self.assertEqual(faults(case, plan), [])

    def test_a_pin_that_is_no_way_is_refused_with_the_fact(self):
        case = case_of(folio(starts="x"))
        pin = Pin(tag="T-001", outcome="fit", standard="desk-ready")
        with self.assertRaisesRegex(WishesClash, "Starts failed; .*Take the pin off"):
            make_plan(with_(case, pins=(pin,)))

    def test_two_pins_on_one_part_clash_and_both_are_named(self):
        case = case_of(stilt(speaker="-"), stilt(speaker="-"), folio(), offers=())
        one = tuple(
            lot.model_copy(update={"count": 1}) for lot in case.lots if lot.kind == "speaker-qs2"
        ) or (
            Lot(
                key="s",
                kind="speaker-qs2",
                condition=Condition.NEW,
                place="A",
                count=1,
                unit_cost_cents=100,
            ),
        )
        pins = [Pin(tag=f"T-00{n}", outcome="fit") for n in (1, 2)]
        pins.append(Pin(tag="T-003", outcome="release"))
        with self.assertRaises(WishesClash) as refused:
            make_plan(with_(case, lots=one, pins=tuple(pins)))
        self.assertEqual(refused.exception.facts["wishes"], ["pin:T-001", "pin:T-002"])
        self.assertIn("cannot all hold together", refused.exception.sentence)

    def test_ten_contradictory_wishes_are_told_by_the_smallest_set(self):
        units = [stilt() for _ in range(6)]
        pins = tuple(Pin(tag=f"T-00{n}", outcome="release") for n in range(1, 7))
        orders = (
            SalesOrder(key="a", customer="A", standard="field-ready", count=2),
            SalesOrder(key="b", customer="B", standard="desk-ready", count=3),
            SalesOrder(key="c", customer="C", standard="class-set", count=2),
            SalesOrder(key="d", customer="D", standard="class-set", count=1),
        )
        case = with_(case_of(*units), pins=pins, sales_orders=orders)
        clash = smallest_clash(case, grouped(case))
        # 2 + 3 + 2 of six units: these three alone are too many, and no two of them are.
        self.assertEqual(clash, ("order:a", "order:b", "order:c"))
        with self.assertRaisesRegex(WishesClash, "A: 2 Field ready, B: 3 Desk ready and C: 2"):
            make_plan(case)

    @each
    @given(SEEDS)
    def test_a_clash_is_infeasible_and_every_part_of_it_holds(self, seed):
        case = make_case(seed, 4, scale=0.2)
        tags = [u.tag for u in case.units if not u.findings.hazards]
        pins = tuple(Pin(tag=tag, outcome="fit") for tag in tags)
        case = with_(case, pins=pins, bench_minutes=40.0)
        try:
            make_plan(case)
        except NothingToPlan:
            return
        except WishesClash as refused:
            clash = refused.facts.get("wishes", ())
            for left_out in clash if len(clash) > 1 else ():
                kept = tuple(p for p in pins if f"pin:{p.tag}" in clash and p.tag not in left_out)
                make_plan(with_(case, pins=kept))


class WorkThatStands(unittest.TestCase):
    def with_open_orders(self, case):
        """The case as it stands once its plan was approved and nothing begun."""
        plan = make_plan(case)
        taken = {}
        for part in plan.allocations:
            taken[part.source_key] = taken.get(part.source_key, 0) + 1
        kept = tuple(
            OpenOrder(
                tag=o.tag,
                outcome=o.outcome,
                standard=o.standard,
                actions=o.actions,
                parts=tuple(a for a in plan.allocations if a.tag == o.tag),
                price_cents=o.price_cents,
                labour_cents=o.labour_cents,
                fees_cents=o.fees_cents,
                minutes=o.minutes,
                skills=o.skills,
            )
            for o in plan.outcomes
            if o.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR)
        )
        lots = tuple(
            lot.model_copy(update={"count": lot.count - taken.get(lot.key, 0)}) for lot in case.lots
        )
        return plan, with_(case, open_orders=kept, lots=lots)

    @each
    @given(SEEDS)
    def test_without_a_surprise_every_order_stands(self, seed):
        case = with_(make_case(seed, 6), offers=())
        try:
            before, again = self.with_open_orders(case)
        except NothingToPlan:
            return
        plan = make_plan(again)
        self.assertEqual(faults(again, plan), [])
        self.assertEqual(plan.changes, ())
        self.assertEqual(plan.contribution_cents, before.contribution_cents)

    def test_a_lost_part_changes_only_what_it_must(self):
        case = case_of(stilt(speaker="-"), stilt(speaker="-"), stilt(m2="-"), offers=())
        lots = (
            Lot(
                key="s",
                kind="speaker-qs2",
                condition=Condition.NEW,
                place="A",
                count=2,
                unit_cost_cents=100,
            ),
            *[lot for lot in case.lots if lot.kind == "sodimm-ddr4-8"],
        )
        case = with_(case, lots=lots)
        _, again = self.with_open_orders(case)
        # One of the two promised speakers broke: its unit's order cannot stand.
        gone = next(k for k in again.open_orders if any(p.source_key == "s" for p in k.parts))
        surprised = with_(
            again, open_orders=tuple(one for one in again.open_orders if one.tag != gone.tag)
        )
        plan = make_plan(surprised)
        self.assertEqual([c.tag for c in plan.changes], [])
        self.assertEqual(sum(o.kept for o in plan.outcomes), 2)
        self.assertNotIn(ends(plan)[gone.tag][0], (OutcomeKind.FIT, OutcomeKind.RELEASE))

    def test_a_pin_against_a_standing_order_changes_it_and_says_so(self):
        case = case_of(stilt(m2="-"), stilt(m2="-"), offers=())
        _, again = self.with_open_orders(case)
        tag = again.open_orders[0].tag
        plan = make_plan(with_(again, pins=(Pin(tag=tag, outcome="hold"),)))
        self.assertEqual([(c.tag, c.after) for c in plan.changes], [(tag, "Hold")])
        self.assertIn("does not let its work order stand", plan.changes[0].reason)

    def test_what_a_unit_at_the_bench_gives_is_paid_in_the_plan_and_in_its_figures_alike(self):
        seen = 0
        for seed in range(40):
            case = with_(make_case(seed, 7), offers=())
            try:
                before, again = self.with_open_orders(case)
            except NothingToPlan:
                continue
            for giver in {part.giver for part in before.harvest if part.giver != part.taker}:
                begun = with_(
                    again,
                    units=tuple(unit for unit in again.units if unit.tag != giver),
                    open_orders=tuple(one for one in again.open_orders if one.tag != giver),
                )
                plan = make_plan(begun)
                paid = [part for part in plan.allocations if part.source_key == giver]
                if paid and all(part.unit_cost_cents for part in paid):
                    seen += 1
                    self.assertEqual(faults(begun, plan), [])
                    told = figures(begun)
                    self.assertEqual(told.contribution_cents, plan.contribution_cents)
        self.assertGreater(seen, 5)

    def test_a_part_comes_free_with_the_order_it_was_promised_to(self):
        case = case_of(stilt(speaker="-", grade="c"), stilt(speaker="-", grade="a"), offers=())
        lot = Lot(
            key="s",
            kind="speaker-qs2",
            condition=Condition.NEW,
            place="A",
            count=0,
            unit_cost_cents=100,
        )
        first = make_plan(with_(case, lots=(lot.model_copy(update={"count": 1}),)))
        poor = next(o for o in first.outcomes if o.tag == "T-002")
        kept = OpenOrder(
            tag="T-001",
            outcome="fit",
            standard="field-ready",
            actions=poor.actions,
            parts=(
                Allocation(
                    tag="T-001",
                    place="speaker",
                    kind="speaker-qs2",
                    source="lot",
                    source_key="s",
                    unit_cost_cents=100,
                ),
            ),
            price_cents=8000,
            minutes=poor.minutes,
            skills=poor.skills,
        )
        again = with_(case, lots=(lot,), open_orders=(kept,))
        self.assertTrue(next(o for o in make_plan(again).outcomes if o.tag == "T-001").kept)
        pins = (Pin(tag="T-001", outcome="hold"), Pin(tag="T-002", outcome="fit"))
        plan = make_plan(with_(again, pins=pins))
        self.assertEqual([a.tag for a in plan.allocations], ["T-002"])
        self.assertEqual(faults(with_(again, pins=pins), plan), [])


class Cases(unittest.TestCase):
    def test_a_case_that_contradicts_itself_is_refused(self):
        case = case_of(stilt())
        raw = case.model_dump()
        for more, words in (
            ({"sales_orders": [order("no-such").model_dump()]}, "no standard here"),
            ({"pins": [{"tag": "X", "outcome": "hold"}]}, "stands not among"),
            ({"pins": [{"tag": "T-001", "outcome": "hold"}] * 2}, "pinned twice"),
            ({"units": [raw["units"][0], raw["units"][0]]}, "stands twice"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                type(case).model_validate(raw | more)

    def test_parts_that_are_not_tested_or_sanitised_are_not_planned_with(self):
        for condition in (Condition.HARVESTED_UNTESTED, Condition.AWAITING_SANITISING):
            lot = Lot(
                key="s",
                kind="speaker-qs2",
                condition=condition,
                place="A",
                count=1,
                unit_cost_cents=1,
            )
            plan = make_plan(case_of(stilt(speaker="-"), lots=(lot,), offers=()))
            self.assertEqual(plan.allocations, ())
