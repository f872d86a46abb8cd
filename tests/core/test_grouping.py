"""Units that are planned as one hold the same in the same places."""

import gc
import os
import unittest
from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import demo_sheets, make_case
from sortis_core.findings import PlaceState
from sortis_core.options import OptionBuilder
from sortis_core.plan import Case, CaseUnit, grouping, make_plan
from sortis_core.plan.grouping import Group, group_units
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.supply import Supply
from tests.core.sample import FIELD, KINDS, SHEETS, STILT, lot, stilt
from tests.examples import few

WITH_32 = FIELD.model_copy(
    update={
        "gates": tuple(
            gate.model_copy(update={"min_gb": 32}) if gate.type == "memory" else gate
            for gate in FIELD.gates
        )
    }
)


def case(*found, stock: tuple[str, ...]) -> Case:
    return Case(
        batch="b",
        units=tuple(CaseUnit(tag=f"U-{n}", findings=one) for n, one in enumerate(found)),
        sheets=(STILT,),
        standards=(WITH_32,),
        kinds=tuple(KINDS.values()),
        lots=tuple(lot(kind, 4, 10) for kind in stock),
        offers=(),
        policy=Policy(),
        money_cents=0,
        bench_minutes=10_000,
    )


class Places(unittest.TestCase):
    def test_the_same_modules_in_other_slots_come_out_of_those(self):
        """Both are to get two of 16 GB; which slot gives which module is another thing in each."""
        one, other = stilt(m1="4", m2="8"), stilt(m1="8", m2="4")
        both = case(one, other, stock=("sodimm-ddr4-16",))
        groups = group_units(both, both.units)
        self.assertEqual(len(groups), 2)
        plan = make_plan(both)
        self.assertEqual(faults(both, plan), [])
        out = [
            {a.place: a.takes_out for a in outcome.actions if a.takes_out}
            for outcome in plan.outcomes
        ]
        self.assertEqual(set(out[0]), {"m1", "m2"})
        self.assertEqual((out[0]["m1"], out[0]["m2"]), (out[1]["m2"], out[1]["m1"]))

    @given(st.integers(0, 10_000))
    def test_every_option_takes_out_of_each_unit_what_sits_there(self, seed):
        made = make_case(seed, 12, models=tuple(SHEETS))
        units = tuple(unit for unit in made.units if not unit.findings.hazards)
        turned = tuple(
            unit.model_copy(
                update={"tag": f"X-{n}", "findings": with_modules_turned(unit.findings)}
            )
            for n, unit in enumerate(units)
        )
        every = {unit.tag: unit.findings for unit in (*units, *turned)}
        supply = Supply({kind.key: kind for kind in made.kinds}, frozenset())
        for group in group_units(made, (*units, *turned)):
            for findings in (every[tag] for tag in group.tags):
                for action in (a for o in group.options for a in o.actions if a.takes_out):
                    there = findings.module(action.place)
                    if there.state is PlaceState.PRESENT:
                        sheet = SHEETS[group.sheet]
                        self.assertEqual(action.takes_out, supply.module_kind(there, sheet))


EVERY = frozenset(KINDS)
NOBODYS = "nobody's"


def asked(case: Case, *, to_the_last: bool = False) -> tuple[list[Group], int]:
    """The groups, and how often a unit was asked for its ways to the standards.

    :param to_the_last: nobody can tell what is wanted before the last unit was asked.
    """
    calls = []
    toward = OptionBuilder.toward_standards

    def counted(*given):
        calls.append(given)
        return toward(*given)

    of_all = case.model_copy(update={"units": ()})
    doubt = {NOBODYS} if to_the_last else set()
    may_want = (lambda sheet, kinds: EVERY | doubt) if to_the_last else grouping._may_want
    with (
        patch.object(OptionBuilder, "toward_standards", counted),
        patch.object(grouping, "_may_want", may_want),
    ):
        share = grouping._share(of_all, case.units, prune=True, home=os.getpid())
        told = next(share)
        told = share.send(told._replace(spare=told.spare | doubt))
        told = share.send(told)
        try:
            share.send(told)
        except StopIteration as end:
            return end.value, len(calls)
    raise AssertionError("a share tells three times")


class Wanted(unittest.TestCase):
    @few(12)
    @given(st.integers(0, 10_000), st.sampled_from([12, 40]))
    def test_who_wants_what_is_known_before_the_last_unit_was_asked(self, seed, count):
        made = make_case(seed, count, models=tuple(sheet.key for sheet in demo_sheets()))
        case = made.model_copy(
            update={"units": tuple(u for u in made.units if not u.findings.hazards)}
        )
        groups, calls = asked(case)
        same, most = asked(case, to_the_last=True)
        self.assertEqual(groups, same)
        self.assertLessEqual(calls, most)

    def test_few_are_asked_twice_where_many_want_the_same(self):
        made = make_case(5, 60, models=("quarrin-stilt-q2",))
        case = made.model_copy(
            update={"units": tuple(u for u in made.units if not u.findings.hazards)}
        )
        _, calls = asked(case)
        _, most = asked(case, to_the_last=True)
        self.assertLess(calls, 0.8 * most)

    @few(20)
    @given(st.integers(0, 10_000))
    def test_a_unit_uses_only_what_its_model_may_want(self, seed):
        made = make_case(seed, 4, models=tuple(sheet.key for sheet in demo_sheets()))
        kinds = {kind.key: kind for kind in made.kinds}
        supply = Supply(kinds, frozenset(kinds))
        sheets = {sheet.key: sheet for sheet in made.sheets}
        for unit in made.units:
            sheet = sheets[unit.findings.sheet]
            builder = OptionBuilder(sheet, supply, made.standards, made.policy, prune=False)
            found = builder.toward_standards(unit.findings, frozenset(kinds))
            used = {part.kind for option in found.options for part in option.uses}
            self.assertLessEqual(used, grouping._may_want(sheet, made.kinds))


def remembering() -> set[int]:
    """Builders that still hold what they worked out, by id."""
    builders = (one for one in gc.get_objects() if type(one) is OptionBuilder)
    return {id(one) for one in builders if one._filled or one._found or one._ways_of_sides}


class Afterwards(unittest.TestCase):
    def test_what_was_worked_out_on_the_way_is_gone_without_the_collector(self):
        made = make_case(3, 30, models=tuple(sheet.key for sheet in demo_sheets()))
        gc.collect()
        before = remembering()
        gc.disable()
        self.addCleanup(gc.enable)
        groups = group_units(made, made.units)
        self.assertTrue(groups)
        self.assertEqual(remembering() - before, set())


def with_modules_turned(findings):
    """The same modules, each in another slot."""
    slots, held = list(findings.modules), list(findings.modules.values())
    turned = dict(zip(slots, [*held[1:], *held[:1]], strict=True))
    return findings.model_copy(update={"modules": turned})
