"""What every gate of the union must hold to, whichever it is."""

import ast
import inspect
import random
import textwrap
import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from demo.generator import make_entries, read
from sortis_core.base import Record
from sortis_core.findings import Findings, PlaceState
from sortis_core.gates.choices import GATES, FieldKind, gate_choices
from sortis_core.gates.gate import GateBase, Phase, came_with
from sortis_core.gates.memory import MemoryGate
from sortis_core.gates.verdict import GateState
from sortis_core.gates.ways import Asked, NoWay
from sortis_core.policy import BatterySchool, MemorySchool, Policy, SpinningSchool
from sortis_core.standards import Standard
from sortis_core.supply import Supply
from tests.core.sample import FOLIO, KINDS, SHEETS, STANDARDS, folio
from tests.examples import few

POLICIES = (
    Policy(),
    Policy(
        battery=BatterySchool.RUNTIME,
        memory_ceiling=MemorySchool.BENCH_PROVEN,
        spinning=SpinningSchool.SECOND_IN_LOWEST,
    ),
)
SUPPLY = Supply(KINDS, frozenset(KINDS))


def of_type(gate: type[GateBase]) -> tuple[GateBase, ...]:
    kind = gate.model_fields["type"].default
    return tuple(gate.model_validate({"type": kind, **given}) for given in gate.examples)


def unit(key: str, seed: int) -> Findings:
    sheet, dice = SHEETS[key], random.Random(seed)
    trim = dice.choice(sheet.trims).key
    entries = make_entries(sheet, trim, dice)
    for place in dice.sample(sorted(entries), dice.randint(0, 3)):
        entries.pop(place)
    return read(sheet, trim, entries)


def mixed(one: Findings, other: Findings, dice: random.Random) -> Findings:
    """``one`` with some sides of the other, so that views often agree in part."""
    sides = ("modules", "drives", "packs", "parts", "tests", "grade", "soldered_gb")
    taken = [side for side in sides if dice.random() < 0.3]
    return one.model_copy(update={side: getattr(other, side) for side in taken})


def with_faults(findings: Findings, dice: random.Random) -> Findings:
    """The same unit, where more of what sits in slots and bays does not work."""

    def some(places):
        faulty = {"state": PlaceState.FAULTY}
        return {
            key: there.model_copy(update=faulty) if dice.random() < 0.4 else there
            for key, there in places.items()
        }

    return findings.model_copy(
        update={"modules": some(findings.modules), "drives": some(findings.drives)}
    )


def answers(
    gate: GateBase, findings: Findings, policy: Policy, *, filled=frozenset(), emptied=frozenset()
):
    """All that a decision takes from a gate."""
    sheet = SHEETS[findings.sheet]
    verdict = gate.verdict(sheet, findings, policy)
    asked = Asked(
        sheet=sheet,
        findings=findings,
        supply=SUPPLY,
        policy=policy,
        lowest=True,
        filled=filled,
        emptied=emptied,
    )
    ways: object = None
    if verdict.state is not GateState.UNKNOWN:
        try:
            ways = gate.ways(asked)
        except NoWay as refusal:
            ways = refusal.sentence
    ruled_out = gate.rules_out(sheet, findings, policy)
    return verdict.state, verdict.places, ways, ruled_out, gate.heeds(sheet, findings)


class TheUnion(unittest.TestCase):
    def test_every_gate_shows_how_standards_write_it(self):
        for gate in GATES:
            self.assertTrue(of_type(gate), gate)
            self.assertTrue(gate.question, gate)

    def test_a_gate_that_leaves_an_answer_out_cannot_be_made(self):
        class Silent(GateBase):
            type: str = "silent"

        with self.assertRaisesRegex(TypeError, "abstract"):
            Silent()

    def test_a_gate_nobody_knows_is_refused_where_a_standard_is_read(self):
        for gate in ({"type": "smell"}, {"type": "memory", "min_gb": 8, "colour": "red"}, {}):
            with self.assertRaises(ValidationError):
                Standard.model_validate(
                    {"key": "x", "version": 1, "name": "X", "gates": [gate], "prices": []}
                )

    def test_every_standard_keeps_faulty_parts_in_and_asks_for_data(self):
        bare = Standard(key="x", version=1, name="X", gates=(), prices=())
        self.assertEqual([gate.type for gate in bare.gates], ["fit_to_leave", "sanitised"])

    def test_names_differ_within_every_standard(self):
        for standard in STANDARDS:
            names = [gate.name for gate in standard.gates]
            self.assertEqual(len(set(names)), len(names))

    def test_the_second_reckoning_calls_nothing_of_the_first(self):
        """``audit`` may read records and use plain Python, and call no function of the core.

        What audits share is held to the same.
        """
        allowed = {"Audited", came_with.__name__, *(r.__name__ for r in (Record, Findings))}
        for gate in (*GATES, came_with):
            module = inspect.getmodule(gate)
            imported = {name for name, thing in vars(module).items() if inspect.isfunction(thing)}
            audit = getattr(gate, "audit", gate)
            tree = ast.parse(textwrap.dedent(inspect.getsource(audit)))
            called = {
                node.func.id if isinstance(node.func, ast.Name) else node.func.attr
                for node in ast.walk(tree)
                if isinstance(node, ast.Call) and isinstance(node.func, ast.Name | ast.Attribute)
            }
            own = {name for name in vars(gate) if not name.startswith("__")}
            self.assertEqual(called & (imported | own) - allowed, set(), gate.__name__)


class EveryGate(unittest.TestCase):
    @few(20)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 9999), st.integers(0, 9999))
    def test_units_that_look_the_same_get_the_same_answers(self, key, one, other):
        dice = random.Random(one)
        first = unit(key, one)
        second = mixed(first, unit(key, other), dice)
        sheet = SHEETS[key]
        for policy in POLICIES:
            for kind in GATES:
                gates = of_type(kind)
                sees, reads = (look(gates, sheet, policy) for look in (kind.sees, kind.reads))
                if sees(first) == sees(second):
                    for gate in gates:
                        self.assertEqual(
                            answers(gate, first, policy), answers(gate, second, policy), gate
                        )
                if reads(first) == reads(second):
                    for gate in gates:
                        self.assertEqual(
                            gate.verdict(sheet, first, policy), gate.verdict(sheet, second, policy)
                        )

    @few(40)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 9999))
    def test_the_ways_hang_on_no_place_that_the_gate_does_not_heed(self, key, seed):
        dice, sheet = random.Random(seed), SHEETS[key]
        findings = with_faults(mixed(unit(key, seed), unit(key, seed + 1), dice), dice)
        places = sorted(place.key for place in sheet.places)
        filled, emptied = (frozenset(p for p in places if dice.random() < 0.5) for _ in range(2))
        for kind in GATES:
            for gate in of_type(kind) if kind.phase is not Phase.FILL else ():
                heeds = gate.heeds(sheet, findings)
                self.assertEqual(
                    answers(gate, findings, POLICIES[0], filled=filled, emptied=emptied),
                    answers(
                        gate, findings, POLICIES[0], filled=filled & heeds, emptied=emptied & heeds
                    ),
                    gate,
                )

    def test_a_gate_that_does_not_say_which_places_it_heeds_heeds_all(self):
        sheet, findings = SHEETS[FOLIO.key], folio()
        self.assertEqual(
            GateBase.heeds(MemoryGate(min_gb=8), sheet, findings),
            {place.key for place in sheet.places_of(findings.trim)},
        )

    @few(20)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 9999))
    def test_both_reckonings_agree_on_what_passes(self, key, seed):
        findings, sheet = unit(key, seed), SHEETS[key]
        for policy in POLICIES:
            for kind in GATES:
                for gate in of_type(kind):
                    state = gate.verdict(sheet, findings, policy).state
                    passes = state in (GateState.MET, GateState.AT_RELEASE)
                    fault = gate.audit(sheet, findings, policy).fault
                    self.assertEqual(passes, not fault, (gate, fault))

    @few(20)
    @given(st.sampled_from(sorted(SHEETS)), st.integers(0, 9999))
    def test_an_open_gate_is_not_met_at_the_last_check(self, key, seed):
        from sortis_core.gates.proof import Signature

        findings, sheet = unit(key, seed), SHEETS[key]
        seen = Signature(by="Ines", at="2026-11-24T10:00:00Z", words="inspection 1")
        for kind in GATES:
            for gate in of_type(kind):
                state = gate.verdict(sheet, findings, Policy()).state
                proof = gate.proof(sheet, findings, Policy(), seen, None)
                if state in (GateState.SHORT, GateState.UNKNOWN):
                    self.assertFalse(proof.met, gate)
                self.assertEqual(proof.met, not proof.asks)

    def test_what_is_met_as_it_is_wants_nothing_done(self):
        for kind in GATES:
            for gate in of_type(kind):
                state, _, ways, *_ = answers(gate, folio(), Policy())
                if state in (GateState.MET, GateState.AT_RELEASE):
                    self.assertEqual(ways, [()], gate)


class Choices(unittest.TestCase):
    def test_every_gate_can_be_written_field_by_field(self):
        for choice in gate_choices():
            for example in choice.examples:
                self.assertLessEqual(set(example), {field.name for field in choice.fields})
            needed = {field.name for field in choice.fields if field.needed}
            self.assertTrue(all(needed <= set(example) for example in choice.examples))
            for field in choice.fields:
                listed = field.kind in (FieldKind.ONE_OF, FieldKind.SOME_OF)
                self.assertEqual(bool(field.options), listed, field)

    def test_fields_are_named_as_people_say_them(self):
        labels = {f.name: f.label for choice in gate_choices() for f in choice.fields}
        self.assertEqual(labels["min_gb"], "at least GB")
        self.assertEqual(labels["min_health_percent"], "health at least %")
        self.assertEqual(labels["max_cycles"], "at most cycles")

    def test_a_figure_out_of_all_range_is_refused(self):
        for gate in (
            {"type": "memory", "min_gb": -8},
            {"type": "pack", "min_health_percent": 140},
            {"type": "solid_drive", "min_gb": 0},
        ):
            with self.assertRaises(ValidationError):
                Standard.model_validate(
                    {"key": "x", "version": 1, "name": "X", "gates": [gate], "prices": []}
                )
