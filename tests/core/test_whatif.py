"""What if: schools, pruning, the curve, one more, another way, and the checker of plans."""

import tempfile
import unittest
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from itertools import permutations

from hypothesis import example, given
from hypothesis import strategies as st

from demo.generator import clearance, demo_sheets, make_case
from sortis_core.options import Option, OptionBuilder, OutcomeKind
from sortis_core.options.dominance import undominated
from sortis_core.options.refused import refused_parts
from sortis_core.plan import NothingToPlan, OpenOrder, Pin, SalesOrder, make_plan
from sortis_core.plan.grouping import cheapest_cents, group_units
from sortis_core.plan.result import NoSuchUnit
from sortis_core.plan.verify import faults
from sortis_core.plan.whatif import (
    curve_of,
    figures,
    one_more,
    other_rules,
    spending,
    unit_ways,
)
from sortis_core.policy import (
    BatterySchool,
    BoardSchool,
    FillingSchool,
    HarvestSchool,
    MemorySchool,
    Policy,
    SpinningSchool,
)
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.stock import Condition, Lot, Offer
from sortis_core.supply import Supply
from tests.core.sample import KINDS, SHEETS, STANDARDS, folio, found, lern, stilt
from tests.core.test_commands import run
from tests.core.test_plan import case_of, objective
from tests.examples import few

each = few(2)
SEEDS = st.integers(0, 100_000)
ALL_MODELS = tuple(sheet.key for sheet in demo_sheets())
HALYARD, TARN, PLINTH, MERLE = (
    SHEETS[key]
    for key in ("quarrin-halyard-14", "kestrin-tarn-14", "kestrin-plinth-15", "quarrin-merle-13")
)


def toward(findings, policy=None, kinds=KINDS, prune=True):
    sheet = SHEETS[findings.sheet]
    builder = OptionBuilder(
        sheet, Supply(KINDS, frozenset(kinds)), STANDARDS, policy or Policy(), prune=prune
    )
    return builder.toward_standards(findings)


def keys(options, standard):
    return {frozenset(a.key for a in o.actions) for o in options if o.standard == standard}


class Schools(unittest.TestCase):
    FREER = (
        ("memory_ceiling", MemorySchool.BENCH_PROVEN, MemorySchool.STATED),
        ("harvest", HarvestSchool.AFTER_TEST, HarvestSchool.NEW_FOR_TOP),
        ("harvest", HarvestSchool.NEW_FOR_TOP, HarvestSchool.NEW_ONLY),
        ("spinning", SpinningSchool.SECOND_IN_LOWEST, SpinningSchool.NEVER),
        ("board", BoardSchool.BY_CONTRIBUTION, BoardSchool.NEVER_SWAP),
        ("filling", FillingSchool.CAPACITY, FillingSchool.MATCHED),
    )

    @each
    @given(SEEDS, st.sampled_from(FREER))
    def test_taking_a_freedom_away_never_raises_the_optimum(self, seed, school):
        field, free, bound = school
        case = make_case(seed, 5, scale=0.3, models=ALL_MODELS)
        under = {
            value: case.model_copy(update={"policy": Policy(**{field: value})})
            for value in (free, bound)
        }
        try:
            plans = {value: make_plan(one) for value, one in under.items()}
        except NothingToPlan:
            return
        # A premium of matched pairs is no money: there it is the contribution that falls.
        value = objective if field != "filling" else lambda plan: plan.contribution_cents
        self.assertLessEqual(value(plans[bound]), value(plans[free]))
        for value, one in under.items():
            self.assertEqual(faults(one, plans[value]), [])

    def test_harvested_parts_are_not_for_the_top_standard_under_its_school(self):
        lots = tuple(
            Lot(
                key=condition.name,
                kind="speaker-qs2",
                condition=condition,
                place="A",
                count=1,
                unit_cost_cents=cost,
            )
            for condition, cost in ((Condition.HARVESTED_TESTED, 100), (Condition.NEW, 600))
        )
        case = case_of(stilt(speaker="-"), stilt(speaker="-"), lots=lots, offers=())
        strict = case.model_copy(update={"policy": Policy(harvest=HarvestSchool.NEW_FOR_TOP)})
        plan = make_plan(strict)
        self.assertEqual(faults(strict, plan), [])
        self.assertEqual(sorted(o.standard for o in plan.outcomes), ["desk-ready", "field-ready"])
        top = next(o.tag for o in plan.outcomes if o.standard == "field-ready")
        self.assertEqual(next(a.source_key for a in plan.allocations if a.tag == top), "NEW")
        self.assertEqual(make_plan(case).ready, 2)

    def test_beside_a_dead_slot_no_filling_is_uneven(self):
        def uneven(**entries):
            case = case_of(stilt(d1="s256", **entries))
            (group,) = group_units(case, case.units)
            fits = [o for o in group.options if any(a.place == "m2" for a in o.actions)]
            self.assertTrue(fits)
            return {option.uneven for option in fits}

        self.assertEqual(uneven(m1="dead", m2="-"), {False})
        self.assertIn(True, uneven(m1="8", m2="-"))

    def test_where_no_way_to_a_standard_fills_all_channels_none_is_uneven(self):
        def uneven(unit):
            case = case_of(unit)
            (group,) = group_units(case, case.units)
            fitting = [o for o in group.options if any(a.place == "m1" for a in o.actions)]
            return {(option.standard, option.uneven) for option in fitting}

        # 4 GB beside the soldered 4 are even, 8 are not.
        self.assertEqual(
            uneven(folio(m0="4", m1="-", d2="s256")), {("desk-ready", False), ("desk-ready", True)}
        )
        # Beside the soldered 2 only 4 GB reach the standard.
        wisp = found(SHEETS["quarrin-wisp-13"], m0="2", m1="-", d1="s128", p1="35/37.7")
        self.assertEqual(uneven(wisp), {("class-set", False)})

    def test_a_matched_pair_is_chosen_while_it_costs_at_most_the_premium(self):
        def lots(eight, sixteen):
            return tuple(
                Lot(
                    key=kind,
                    kind=kind,
                    condition=Condition.NEW,
                    place="A",
                    count=9,
                    unit_cost_cents=cost,
                )
                for kind, cost in (("sodimm-ddr4-8", eight), ("sodimm-ddr4-16", sixteen))
            )

        def fitted(cost, premium):
            policy = Policy(matched_premium_cents=premium)
            case = case_of(stilt(m1="-", m2="-", d1="s256"), lots=lots(1000, cost), offers=())
            (outcome,) = make_plan(case.model_copy(update={"policy": policy})).outcomes
            return len(outcome.actions)

        # Two modules of 8 cost 2000 and a minute or so more than the one of 16.
        self.assertEqual(fitted(1900, 300), 2)
        self.assertEqual(fitted(1500, 300), 1)
        self.assertEqual(fitted(1500, 900), 2)

    def test_a_spinning_disk_may_stay_in_the_lowest_standard_only(self):
        unit = stilt(d1="h500", d2="-")
        stays = Policy(spinning=SpinningSchool.SECOND_IN_LOWEST)
        self.assertIn(
            frozenset({"d2+nvme-256-2280"}), keys(toward(unit, stays).options, "class-set")
        )
        for policy, standard in ((Policy(), "class-set"), (stays, "desk-ready")):
            found = keys(toward(unit, policy).options, standard)
            self.assertNotIn(frozenset({"d2+nvme-256-2280"}), found)

    def test_by_runtime_a_worn_large_pack_may_do_and_two_packs_count_together(self):
        runtime = Policy(battery=BatterySchool.RUNTIME)
        worn = folio(p1="32.5/46 90c")
        self.assertNotIn(frozenset(), keys(toward(worn).options, "desk-ready"))
        self.assertIn(frozenset(), keys(toward(worn, runtime).options, "desk-ready"))
        flat = folio(p1="20/46 9c")
        found = keys(toward(flat, runtime).options, "desk-ready")
        self.assertEqual(found, {frozenset({"p1+pack-of-47"})})

    def test_boards_are_swapped_for_a_dead_one_or_for_more_memory_or_never(self):
        dead = found(HALYARD, m0="8", m1="8", d1="n256", p1="48/50 90c", starts="x")
        ways = keys(toward(dead).options, "field-ready")
        self.assertTrue(ways and all(any("board+" in key for key in way) for way in ways))
        fact = toward(dead, Policy(board=BoardSchool.NEVER_SWAP)).rejections[0].fact
        self.assertIn("never swapped", fact)
        fact = toward(dead, kinds=()).rejections[0].fact
        self.assertIn("The board failed and no", fact)
        small = found(PLINTH, m0="16", d1="n512", p1="60/62 90c")
        needs32 = STANDARDS[2].model_copy(
            update={
                "gates": tuple(
                    g.model_copy(update={"min_gb": 32}) if g.type == "memory" else g
                    for g in STANDARDS[2].gates
                )
            }
        )
        builder = OptionBuilder(PLINTH, Supply(KINDS, frozenset(KINDS)), (needs32,), Policy())
        ways = keys(builder.toward_standards(small).options, "field-ready")
        self.assertTrue(ways, builder.toward_standards(small).rejections)
        self.assertTrue(all("board+board-32-kp15" in way for way in ways))


class Fillings(unittest.TestCase):
    def test_a_bracket_holds_a_shorter_drive_at_the_longer_standoff(self):
        kinds = {"m2-sata-128-2242", "bracket-2242-2280", "sodimm-ddr4-8"}
        without = toward(stilt(d1="-", d2="-"), kinds=kinds - {"bracket-2242-2280"})
        self.assertIn("standoff", without.rejections[0].fact)
        options = toward(stilt(d1="-", d2="-"), kinds=kinds).options
        self.assertEqual(
            keys(options, "class-set"), {frozenset({"d2+m2-sata-128-2242+bracket-2242-2280"})}
        )
        (option,) = (o for o in options if o.standard == "class-set")
        self.assertEqual(
            {p.kind: p.count for p in option.uses},
            {"m2-sata-128-2242": 1, "bracket-2242-2280": 1},
        )

    def test_a_larger_pack_brings_what_it_needs_or_is_not_offered(self):
        worn = found(MERLE, m0="8", d1="n256", p1="20/46 90c")
        larger = {"pack-qm-54", "screws-extra-qm13"}
        for kinds, there in ((larger, True), ({"pack-qm-54"}, False)):
            ways = keys(toward(worn, kinds=kinds).options, "desk-ready")
            self.assertEqual(bool(ways), there, toward(worn, kinds=kinds).rejections)
            for way in ways:
                self.assertEqual(way, {"p1+pack-qm-54+screws-extra-qm13"})

    def test_a_touch_panel_brings_its_cable(self):
        broken = found(MERLE, "touch", m0="8", d1="n256", p1="45/46 90c", touch="x")
        (option, *_) = toward(broken).options
        self.assertIn("touch-cable-qm13", {part.kind for part in option.uses})

    def test_every_part_to_be_had_that_is_refused_has_its_fact(self):
        facts = dict(
            refused_parts(SHEETS["tolva-lern-11"], lern(), Supply(KINDS, frozenset(KINDS)))
        )
        self.assertIn("There is no slot", facts["8 GB DDR4 SODIMM"])
        self.assertTrue(all(fact.endswith(".") for fact in facts.values()))


class Pruning(unittest.TestCase):
    @each
    @given(SEEDS, st.sampled_from([0.1, 0.4, 1.0]))
    @example(6697, 0.4)  # A smaller module that is wanted only where a larger one comes out.
    def test_pruning_on_and_off_agree(self, seed, scale):
        case = make_case(seed, 6, scale=scale, models=ALL_MODELS)
        try:
            plan = make_plan(case)
        except NothingToPlan:
            return
        self.assertEqual(objective(plan), objective(make_plan(case, prune=False)))

    def test_what_beats_an_option_is_never_worse_in_anything(self):
        every = toward(stilt(m1="4", m2="-", d1="-"), prune=False).options
        one = [o for o in every if o.standard == "field-ready"]
        kept, dropped = undominated(one)
        self.assertGreater(len(dropped), 3)
        self.assertEqual(len(kept) + len(dropped), len(one))
        for pair in dropped:
            used = {p.kind: p.count for p in pair.option.uses}
            for part in pair.by.uses:
                self.assertLessEqual(part.count, used.get(part.kind, 0))
            self.assertGreaterEqual(pair.by.net_cents, pair.option.net_cents)
            self.assertLessEqual(pair.by.minutes, pair.option.minutes)

    @few(25)
    @given(SEEDS, st.booleans())
    def test_what_is_dropped_is_just_what_another_is_never_worse_than(self, seed, matched):
        school = FillingSchool.MATCHED if matched else FillingSchool.CAPACITY
        case = make_case(seed, 2, models=ALL_MODELS).model_copy(
            update={"policy": Policy(filling=school)}
        )
        supply = Supply({kind.key: kind for kind in case.kinds}, frozenset(KINDS))
        for unit in case.units:
            sheet = SHEETS[unit.findings.sheet]
            builder = OptionBuilder(sheet, supply, case.standards, case.policy, prune=False)
            every = builder.toward_standards(unit.findings, frozenset(KINDS)).options
            for standard in case.standards:
                options = [o for o in every if o.standard == standard.key]
                kept, dropped = undominated(options)
                self.assertEqual(len(kept) + len(dropped), len(options))
                for pair in dropped:
                    self.assertTrue(never_worse(pair.by, pair.option))
                for one, other in permutations(kept, 2):
                    if looked_at(one) < looked_at(other):
                        self.assertFalse(never_worse(one, other), (one.key, other.key))


def looked_at(option: Option) -> tuple[int, int, float]:
    """Whether it is looked at before another: what comes later drops nothing any more."""
    return sum(part.count for part in option.uses), -option.net_cents, option.minutes


def never_worse(one: Option, other: Option) -> bool:
    """As docs/rules.md has it, written out."""

    def counted(parts):
        return Counter({part.kind: part.count for part in parts})

    skills, others = (Counter({s.skill: s.minutes for s in o.skills}) for o in (one, other))
    return (
        counted(one.uses) <= counted(other.uses)
        and counted(one.yields) >= counted(other.yields)
        and one.minutes <= other.minutes
        and skills <= others
        and one.net_cents >= other.net_cents
        and (not one.new_only or other.new_only)
        and (not one.uneven or other.uneven)
    )


class Asking(unittest.TestCase):
    def test_the_curve_rises_with_money_and_ends_where_no_more_is_spent(self):
        # Under matched pairs a plan may leave a little less for an even filling.
        free = Policy(filling=FillingSchool.CAPACITY)
        case = make_case(11, 5, scale=0.3).model_copy(update={"policy": free})
        curve = curve_of(case)
        points = [*(spending(case, cents) for cents in curve.below), curve.top]
        self.assertEqual(points[0].figures.spend_cents, 0)
        leaves = [point.figures.contribution_cents for point in points]
        self.assertEqual(leaves, sorted(leaves))
        last = points[-1]
        self.assertLessEqual(last.figures.spend_cents, last.money_cents)
        richer = case.model_copy(update={"money_cents": 10**8})
        self.assertEqual(last.figures, figures(richer))

    def test_figures_are_those_of_the_plan_and_what_is_not_scarce_adds_nothing(self):
        for seed in (1, 7, 10):
            case = clearance(seed, 16).model_copy(update={"bench_minutes": 6000.0})
            plan = make_plan(case)
            told = (plan.contribution_cents, plan.ready, plan.spend_cents)
            for one in (figures(case), spending(case, case.money_cents).figures):
                self.assertEqual((one.contribution_cents, one.ready, one.spend_cents), told)
            self.assertLess(plan.minutes, case.bench_minutes)
            self.assertEqual(one_more(case, "minutes").then, figures(case))
            key = next(s.key for s in plan.scarce if s.measure == "parts" and s.worth_cents)
            then = one_more(case, key).then
            extra = Lot(
                key="another",
                kind=key,
                condition=Condition.NEW,
                place="A-1",
                count=1,
                unit_cost_cents=cheapest_cents(case)[key],
            )
            again = make_plan(case.model_copy(update={"lots": (*case.lots, extra)}))
            self.assertEqual(then.contribution_cents, again.contribution_cents)

    def test_where_units_would_wait_in_a_circle_figures_and_ways_are_those_in_turn(self):
        for seed in (5, 55):
            case = make_case(seed, 7)
            plan = make_plan(case)
            self.assertEqual(figures(case).contribution_cents, plan.contribution_cents)
            at = spending(case, case.money_cents).figures
            self.assertEqual(at.contribution_cents, plan.contribution_cents)
            for way in unit_ways(case, plan.outcomes[0].tag).ways[:4]:
                outcome, _, rest = way.key.partition(" ")
                pin = Pin(
                    tag=plan.outcomes[0].tag,
                    outcome=OutcomeKind(outcome),
                    standard=rest.split(" ")[0],
                    option=way.key,
                )
                if not way.impossible:
                    then = make_plan(case.model_copy(update={"pins": (pin,)}))
                    loss = plan.proofs[-1].value - then.proofs[-1].value
                    self.assertEqual(round(loss), way.loss_cents, way.key)

    def test_one_more_is_solved_again(self):
        case = case_of(stilt(m1="4", m2="-"), stilt(m1="4", m2="-"), offers=())
        lots = tuple(
            lot.model_copy(update={"count": 1}) for lot in case.lots if lot.kind == "sodimm-ddr4-16"
        )
        case = case.model_copy(update={"lots": lots})
        asked = one_more(case, "sodimm-ddr4-16")
        self.assertGreater(asked.then.contribution_cents, asked.now.contribution_cents)
        self.assertEqual(asked.now, figures(case))
        self.assertEqual(one_more(case, "money").then, asked.now)
        self.assertEqual(one_more(case, "minutes").label, "one more bench hour")
        with self.assertRaises(NoSuchUnit):
            one_more(case, "no-such-kind")

    def test_the_ways_of_a_unit_lose_exactly_what_pinning_them_would(self):
        case = case_of(stilt(m1="4", m2="-"), stilt(m1="4", m2="-", grade="a"), folio(), offers=())
        best = objective(make_plan(case))
        ways = unit_ways(case, "T-001")
        self.assertEqual(ways.ways[0].loss_cents, 0)
        for way in ways.ways[:4]:
            outcome = way.key.split(" ")[0]
            if way.impossible or outcome not in ("fit", "hold", "donor"):
                continue
            pin = Pin(tag="T-001", outcome=outcome, option=way.key)
            pinned = objective(make_plan(case.model_copy(update={"pins": (pin,)})))
            self.assertEqual(best - pinned, way.loss_cents, way.key)
        self.assertTrue(ways.refused_parts and ways.dominated)
        with self.assertRaises(NoSuchUnit):
            unit_ways(case, "T-999")

    def test_every_other_rule_is_a_case_of_its_own_that_plans(self):
        case = make_case(3, 5)
        rules = list(other_rules(case))
        self.assertGreater(len(rules), 20)
        self.assertEqual(len({rule.key for rule, _ in rules}), len(rules))
        for rule, other in rules[::14]:
            self.assertNotEqual(rule.now, rule.then)
            self.assertNotEqual(other, case)
            self.assertEqual(faults(other, make_plan(other)), [])


class Checker(unittest.TestCase):
    def test_every_way_of_tampering_is_found(self):
        case = make_case(3, 10, scale=0.5)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        fitted = next(o for o in plan.outcomes if o.actions and o.parts_cents)
        part = next(a for a in plan.allocations if a.source == "lot")

        def outcome(**changes):
            changed = fitted.model_copy(update=changes)
            return plan.model_copy(
                update={
                    "outcomes": tuple(changed if o.tag == fitted.tag else o for o in plan.outcomes)
                }
            )

        def parts(*allocations):
            return plan.model_copy(update={"allocations": allocations})

        rest = tuple(a for a in plan.allocations if a != part)
        for tampered, words in (
            (outcome(price_cents=fitted.price_cents + 1), "another price"),
            (outcome(minutes=fitted.minutes - 1), "minutes"),
            (outcome(fees_cents=fitted.fees_cents + 5), "in fees"),
            (outcome(actions=()), "does not pass"),
            (outcome(contribution_cents=0), "its sum is wrong"),
            (plan.model_copy(update={"outcomes": plan.outcomes[1:]}), "ends exactly once"),
            (plan.model_copy(update={"contribution_cents": 1}), "sums make"),
            (plan.model_copy(update={"spend_cents": 1}), "spends"),
            (plan.model_copy(update={"ready": 1}), "units ready"),
            (parts(*rest), "are not the parts"),
            (parts(*rest, part.model_copy(update={"source_key": "lot-999"})), "has none"),
            (parts(*rest, *[part] * 99), "is asked for"),
        ):
            with self.subTest(words=words):
                self.assertTrue(any(words in fault for fault in faults(case, tampered)))

    def wished(self):
        """A case with an order, a pin, skills and a due day, and its plan."""
        order = SalesOrder(
            key="o1",
            customer="Pilots",
            standard="desk-ready",
            count=1,
            sheets=("quarrin-stilt-q2",),
        )
        case = case_of(stilt(), stilt(speaker="-"), stilt(d1="-"), folio(p1="20/46 9c")).model_copy(
            update={
                "sales_orders": (order,),
                "pins": (Pin(tag="T-004", outcome="hold"),),
                "skills": (SkillMinutes(skill=Skill.SETUP, minutes=12.0),),
                "days": 12,
            }
        )
        return case, make_plan(case)

    def found(self, case, plan, words):
        self.assertTrue(any(words in fault for fault in faults(case, plan)), faults(case, plan))

    def test_broken_wishes_are_found(self):
        case, plan = self.wished()
        self.assertEqual(faults(case, plan), [])
        strange = Pin(tag="T-001", outcome="recycle")
        self.found(case.model_copy(update={"pins": (strange,)}), plan, "as it is pinned")
        more = case.sales_orders[0].model_copy(update={"count": 9})
        self.found(case.model_copy(update={"sales_orders": (more,)}), plan, "Pilots gets")
        other = case.sales_orders[0].model_copy(update={"sheets": ("tolva-lern-11",)})
        self.found(
            case.model_copy(update={"sales_orders": (other,)}), plan, "does not serve Pilots"
        )

    def test_broken_limits_are_found(self):
        case = case_of(stilt(d1="-", grade="a"), stilt(m2="-", grade="a"))
        plan = make_plan(case)
        self.assertEqual(plan.ready, 2)
        setup = (SkillMinutes(skill=Skill.SETUP, minutes=1.0),)
        self.found(case.model_copy(update={"skills": setup}), plan, "setting up takes")
        self.found(case.model_copy(update={"bench_minutes": 1.0}), plan, "The work takes")
        self.found(case.model_copy(update={"money_cents": -1}), plan, "The plan spends")
        never = Policy(harvest=HarvestSchool.NEW_ONLY)
        self.found(case.model_copy(update={"policy": never}), plan, "wants new parts")

    def test_parts_that_cannot_be_used_are_found(self):
        case = case_of(stilt(d1="-", grade="a"), offers=())
        plan = make_plan(case)
        used = {a.source_key for a in plan.allocations if a.source == "lot"}

        def lots(**changes):
            return case.model_copy(
                update={
                    "lots": tuple(
                        lot.model_copy(update=changes) if lot.key in used else lot
                        for lot in case.lots
                    )
                }
            )

        waiting = lots(condition=Condition.AWAITING_SANITISING)
        self.found(waiting, plan, "cannot be used so")
        late = lots(days=99).model_copy(update={"days": 5})
        self.found(late, plan, "comes after the due day")
        self.found(lots(kind="feet-small"), plan, "which has none")

    def test_a_buying_list_that_does_not_add_up_is_found(self):
        offer = Offer(
            key="o", kind="speaker-qs2", supplier="S", price_cents=500, limit=8, days=1, pack_size=2
        )
        case = case_of(stilt(speaker="-"), lots=(), offers=(offer,))
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        (line,) = plan.buying
        for changes, words in (
            ({"count": 1}, "cannot be bought so"),
            ({"count": 10}, "cannot be bought so"),
            ({"price_cents": 1}, "its price at 2"),
            ({"used": 2}, "are used, not 2"),
        ):
            wrong = plan.model_copy(update={"buying": (line.model_copy(update=changes),)})
            self.found(case, wrong, words)
        self.found(
            case, plan.model_copy(update={"buying": ()}), "more is used than the buying list"
        )
        self.found(case, plan.model_copy(update={"surplus_cents": 1}), "bought and not used")

    def test_work_that_is_said_to_stand_and_does_not_is_found(self):
        case = case_of(stilt(m2="-"), offers=())
        plan = make_plan(case)
        (outcome,) = plan.outcomes
        kept = OpenOrder(tag="T-001", outcome="fit", standard="desk-ready", actions=outcome.actions)
        said = plan.model_copy(update={"outcomes": (outcome.model_copy(update={"kept": True}),)})
        self.found(case.model_copy(update={"open_orders": (kept,)}), said, "is said to stand")

    def test_a_part_that_does_not_fit_where_it_is_put_is_found(self):
        case = case_of(stilt(m2="-"))
        plan = make_plan(case)
        (outcome,) = plan.outcomes
        for kind, words in (
            ("sodimm-ddr3l-8", "the slot cannot take"),
            ("nvme-256-2280", "no such socket"),
            ("pack-of-47", "of another family"),
        ):
            action = outcome.actions[0].model_copy(update={"kind": kind})
            wrong = outcome.model_copy(update={"actions": (action,)})
            self.found(case, plan.model_copy(update={"outcomes": (wrong,)}), words)

    def test_plans_asked_for_at_once_by_many_are_all_the_same(self):
        cases = [make_case(seed, 3) for seed in (1, 2)]
        alone = [make_plan(case) for case in cases]
        with ThreadPoolExecutor(4) as pool:
            together = list(pool.map(make_plan, cases * 2))
        self.assertEqual(together, alone * 2)

    def test_the_command_line_explains_and_verifies(self):
        case = make_case(2, 4)
        with tempfile.TemporaryDirectory() as folder:
            saved, planned = f"{folder}/case.json", f"{folder}/plan.json"
            with open(saved, "w") as file:
                file.write(case.model_dump_json())
            code, out, _ = run("plan", saved)
            self.assertEqual(code, 0)
            with open(planned, "w") as file:
                file.write(out)
            code, said, _ = run("verify", saved, planned)
            self.assertEqual((code, "The plan holds" in said), (0, True))
            with open(planned, "w") as file:
                file.write(out.replace('"ready": ', '"ready": 1'))
            code, _, wrong = run("verify", saved, planned)
            self.assertEqual(code, 1)
            self.assertIn("count of units ready", wrong)
            code, out, _ = run("explain", saved, case.units[0].tag)
            self.assertEqual((code, case.units[0].tag in out), (0, True))
            code, _, error = run("explain", saved, "NO-1")
            self.assertEqual((code, "NO-1 is not among" in error), (1, True))
