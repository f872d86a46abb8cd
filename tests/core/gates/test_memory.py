import unittest
from typing import ClassVar

from sortis_core.gates import MemoryGate
from sortis_core.gates.ways import Asked, NoWay
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import PairSchool, Policy
from sortis_core.stock import PartKind
from sortis_core.supply import Supply
from tests.core.sample import KINDS, STILT, stilt
from tests.core.test_plan import case_of

ONE_MAKER = Policy(pair=PairSchool.ONE_MAKER)


def module(key: str, gb: int, maker: str) -> PartKind:
    facts = {"type": "module", "gb": gb, "generation": "DDR4", "mts": 2666, "maker": maker}
    return PartKind.model_validate({"key": key, "label": key, "facts": facts})


STORE = {one.key: one for one in (module("tolva-8", 8, "tolva"), module("ombrel-8", 8, "ombrel"))}


def ways(findings, policy, kinds=STORE, min_gb=16, spare=frozenset()):
    asked = Asked(
        sheet=STILT,
        findings=findings,
        supply=Supply(kinds, frozenset(kinds)),
        policy=policy,
        lowest=True,
        spare=spare,
    )
    return {tuple(a.key for a in way) for way in MemoryGate(min_gb=min_gb).ways(asked)}


class WantedByOthers(unittest.TestCase):
    """A unit has what the gate asks for; another unit wants just such a module."""

    kinds: ClassVar = {key: KINDS[key] for key in ("sodimm-ddr4-8", "sodimm-ddr4-16")}

    def test_two_smaller_ones_free_the_larger(self):
        found = ways(
            stilt(m1="?", m2="16"), Policy(), self.kinds, spare=frozenset({"sodimm-ddr4-16"})
        )
        self.assertEqual(found, {()})
        found = ways(
            stilt(m1="-", m2="16"), Policy(), self.kinds, spare=frozenset({"sodimm-ddr4-16"})
        )
        two = ("m1+sodimm-ddr4-8", "m2+sodimm-ddr4-8")
        self.assertLessEqual({(), two, ("m1+sodimm-ddr4-16", "m2-")}, found)

    def test_a_larger_one_frees_the_smaller(self):
        found = ways(
            stilt(m1="8", m2="8"), Policy(), self.kinds, spare=frozenset({"sodimm-ddr4-8"})
        )
        self.assertLessEqual({(), ("m1+sodimm-ddr4-16", "m2-"), ("m1+sodimm-ddr4-16",)}, found)

    def test_nothing_moves_that_nobody_wants(self):
        self.assertEqual(ways(stilt(m1="-", m2="16"), Policy(), self.kinds), {()})


class Makers(unittest.TestCase):
    """The Stilt has two slots; 8 GB of one maker sit in the first, the gate wants 16."""

    half = stilt(m1="8 by tolva", m2="-")

    def test_any_module_goes_beside_another_where_makers_may_mix(self):
        self.assertEqual(ways(self.half, Policy()), {("m2+tolva-8",), ("m2+ombrel-8",)})

    def test_only_the_same_maker_goes_beside_it_by_the_school(self):
        self.assertEqual(ways(self.half, ONE_MAKER), {("m2+tolva-8",)})

    def test_a_module_nobody_read_the_maker_of_has_no_pair(self):
        with self.assertRaisesRegex(NoWay, "never mixed"):
            ways(stilt(m1="8", m2="-"), ONE_MAKER)

    def test_an_empty_board_takes_a_pair_of_one_maker(self):
        empty = stilt(m1="-", m2="-")
        pairs = ways(empty, ONE_MAKER)
        self.assertEqual(pairs, {("m1+tolva-8", "m2+tolva-8"), ("m1+ombrel-8", "m2+ombrel-8")})

    def test_one_large_module_is_no_pair(self):
        kinds = STORE | {"plain-16": module("plain-16", 16, "")}
        self.assertIn(("m1+plain-16",), ways(stilt(m1="-", m2="-"), ONE_MAKER, kinds))

    def test_units_that_differ_by_maker_alone_are_told_apart_only_by_the_school(self):
        other = stilt(m1="8 by ombrel", m2="-")
        gate = MemoryGate(min_gb=16)
        for policy, same in ((Policy(), True), (ONE_MAKER, False)):
            eye = MemoryGate.sees((gate,), STILT, policy)
            self.assertEqual(eye(self.half) == eye(other), same)

    def test_a_plan_that_mixes_makers_is_refused(self):
        case = case_of(self.half)
        plan = make_plan(case)
        self.assertTrue(any(a.place == "m2" for a in plan.outcomes[0].actions))
        self.assertEqual(faults(case, plan), [])
        strict = case.model_copy(update={"policy": ONE_MAKER})
        self.assertTrue(any("one known maker" in fault for fault in faults(strict, plan)))
        self.assertEqual(faults(strict, make_plan(strict)), [])


class Ceilings(unittest.TestCase):
    def test_the_gate_met_exactly_needs_nothing(self):
        self.assertEqual(ways(stilt(), Policy(), KINDS), {()})

    def test_a_filling_meets_the_ceiling_and_never_passes_it(self):
        top = STILT.memory.stated.gb
        found = ways(stilt(m1="-", m2="-"), Policy(), KINDS, min_gb=top)
        self.assertTrue(found)
        with self.assertRaisesRegex(NoWay, "ceiling"):
            ways(stilt(m1="-", m2="-"), Policy(), KINDS, min_gb=top + 1)
