"""Repairs without a part, tried first; a part that is missing and fails a test goes in once."""

import unittest

from sortis_core.actions import Verb, action_words, after_actions
from sortis_core.facts.functions import repair_facts
from sortis_core.findings import TestState
from sortis_core.gates import TestsGate
from sortis_core.options import OptionBuilder
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.route.work import plan_work
from sortis_core.supply import Supply
from sortis_core.surprise import Surprise, SurpriseKind, known_after
from tests.core.sample import DESK, FOLIO, KINDS, SHEETS, STILT, folio, found, stilt
from tests.core.test_plan import case_of

POLICY = Policy()
ARBOR = SHEETS["kestrin-arbor-13"]


def ways(sheet, findings, standard=DESK, kinds=KINDS):
    builder = OptionBuilder(sheet, Supply(kinds, frozenset(kinds)), (standard,), POLICY)
    found_ways = builder.toward_standards(findings)
    return [[a.key for a in o.actions] for o in found_ways.options], found_ways.rejections


class FirstAttempt(unittest.TestCase):
    def test_it_comes_before_a_part_and_needs_none(self):
        (way,), _ = ways(FOLIO, folio(screen="x"))
        self.assertEqual(way, ["screen~"])
        no_parts, _ = ways(FOLIO, folio(screen="x"), kinds={})
        self.assertEqual(no_parts, [["screen~"]])

    def test_after_it_did_not_help_the_part_goes_in(self):
        (way,), _ = ways(FOLIO, folio(screen="xx"))
        self.assertTrue(way[0].startswith("screen+"), way)

    def test_where_no_part_helps_it_is_tried_once(self):
        ports = stilt(ports="x")
        (way,), _ = ways(STILT, ports)
        self.assertEqual(way, ["ports~"])
        none, (rejection,) = ways(STILT, stilt(ports="xx"))
        self.assertEqual(none, [])
        self.assertIn("a repair is not worth it", rejection.fact)
        self.assertEqual(TestsGate().rules_out(STILT, ports, POLICY), "")
        self.assertIn("Ports", TestsGate().rules_out(STILT, stilt(ports="xx"), POLICY))

    def test_a_standard_without_the_tests_gate_asks_for_no_repair(self):
        gates = tuple(gate for gate in DESK.gates if gate.type != "tests")
        bare = DESK.model_copy(update={"gates": gates})
        (way,), _ = ways(FOLIO, folio(screen="x"), bare)
        self.assertEqual(way, [])

    def test_the_plan_holds_with_its_minutes_and_the_order_says_what_to_do(self):
        unit = folio(screen="x")
        case = case_of(unit)
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        (outcome,) = plan.outcomes
        (action,) = outcome.actions
        self.assertIs(action.verb, Verb.MEND)
        self.assertEqual(action_words(FOLIO, action, KINDS), "reseat the display plug")
        self.assertEqual(plan.allocations, ())
        order = plan_work(FOLIO, unit, outcome.actions, KINDS, POLICY)
        step = next(step for step in order.steps if step.actions)
        self.assertIn("Reseat the display plug", step.title)
        self.assertIn("not as written", step.how)
        self.assertEqual(step.minutes, 2)
        self.assertIn("working", order.steps[-1].how)
        after = after_actions(FOLIO, unit, outcome.actions, KINDS)
        self.assertIs(after.test("screen"), TestState.PASSED)

    def test_one_that_was_tried_already_is_refused_by_the_checker(self):
        unit = folio(screen="x")
        plan = make_plan(case_of(unit))
        tried = case_of(folio(screen="xx"))
        self.assertTrue(any("nothing is mended" in fault for fault in faults(tried, plan)))

    def test_at_the_bench_it_still_fails(self):
        said = Surprise(kind=SurpriseKind.BROKE, place="screen")
        first = known_after(FOLIO, folio(screen="x"), said)
        again = known_after(FOLIO, folio(screen="x"), said, frozenset({"screen"}))
        self.assertIs(first.test("screen"), TestState.FAILED)
        self.assertIs(again.test("screen"), TestState.STILL_FAILS)

    def test_the_screen_says_what_a_failure_means(self):
        words = {fact.test: fact.words for fact in repair_facts(FOLIO, "flash", KINDS)}
        self.assertRegex(words["screen"], r"^first reseat the display plug, 2 min; then ")
        lid = next(f for f in repair_facts(ARBOR, ARBOR.trims[0].key, KINDS) if f.test == "lid")
        self.assertTrue(lid.worth_it)
        self.assertEqual(lid.words, "first clean the sensor and its magnet, 1 min")


class NeededOnce(unittest.TestCase):
    def test_a_part_that_is_missing_and_fails_a_test_goes_in_once(self):
        shared = [
            (sheet, part, test)
            for sheet in SHEETS.values()
            for part in sheet.parts
            for test in sheet.tests
            if test.repair and test.repair.kind == part.kind and not part.trims and not test.attempt
        ]
        self.assertTrue(shared)
        for sheet, part, test in shared:
            entries = {slot.key: "4" for slot in sheet.memory.slots}
            entries |= {part.key: "-", test.key: "x"}
            unit = found(sheet, **entries)
            asks = DESK.model_copy(
                update={
                    "gates": tuple(g for g in DESK.gates if g.type in ("parts", "tests")),
                    "prices": tuple(
                        price.model_copy(update={"sheet": sheet.key}) for price in DESK.prices[:3]
                    ),
                }
            )
            found_ways, rejections = ways(sheet, unit, asks)
            self.assertTrue(found_ways, (sheet.key, rejections))
            for way in found_ways:
                self.assertEqual(sum(f"+{part.kind}" in key for key in way), 1, (sheet.key, way))
                self.assertTrue(any(key.startswith(f"{part.key}+") for key in way))
