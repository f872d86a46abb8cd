"""What may be waived, what never, and how long a waiver counts."""

import unittest

from sortis_core.gates.gate import GateBase
from sortis_core.gates.proof import Signature
from sortis_core.policy import Policy
from sortis_core.release import release_gates
from sortis_core.waivers import NotWaivable, Waiver, require_waivable
from tests.core.sample import FOLIO, STANDARDS, folio

SEEN = Signature(by="Ines", at="2026-11-20T08:00:00+00:00", words="inspection 1")
FIELD = next(standard for standard in STANDARDS if standard.key == "field-ready")


def gates(findings, **waivers):
    found = release_gates(FOLIO, FIELD, findings, SEEN, {}, Policy(), waivers)
    return {gate.gate: gate for gate in found}


def waiver(about: str, told: bool = True) -> Waiver:
    return Waiver(by="Marit", reason="agreed with the buyer", told=told, about=about)


class Waivers(unittest.TestCase):
    def test_a_known_shortfall_is_waived_with_its_reason(self):
        unit = folio(m1="-")
        memory = gates(unit)["memory"]
        self.assertTrue(memory.waivable and not memory.met)
        now = gates(unit, memory=waiver(memory.sentence))["memory"]
        self.assertEqual((now.met, now.waived, now.told, now.asks), (True, True, True, ""))
        self.assertIn("agreed with the buyer, Marit", now.evidence)

    def test_it_counts_for_just_what_the_gate_said(self):
        unit = folio(m1="-")
        other = gates(unit, memory=waiver("4 of 16 GB"))["memory"]
        self.assertFalse(other.met or other.waived)

    def test_what_is_met_needs_none(self):
        whole = gates(folio(m1="8"))["memory"]
        self.assertTrue(whole.met and not whole.waivable)
        self.assertFalse(gates(folio(m1="8"), memory=waiver(whole.sentence))["memory"].waived)

    def test_nobody_waives_data_on_drives_what_is_faulty_and_what_nobody_saw(self):
        for unit, name in (
            (folio(d2="h500"), "sanitised"),
            (folio(m1="x"), "fit_to_leave"),
            (folio(p1="?"), "pack"),
            (folio(camera="?"), "tests"),
        ):
            gate = gates(unit)[name]
            self.assertFalse(gate.met or gate.waivable, name)
            self.assertFalse(gates(unit, **{name: waiver(gate.sentence)})[name].met, name)
            with self.assertRaisesRegex(NotWaivable, "nobody waives this"):
                require_waivable((gate,), name, "agreed with the buyer")

    def test_it_says_why_and_for_a_gate_there_is(self):
        found = tuple(gates(folio(m1="-")).values())
        self.assertEqual(require_waivable(found, "memory", "sold as 8 GB").gate, "memory")
        with self.assertRaisesRegex(NotWaivable, "a few words why"):
            require_waivable(found, "memory", " ..")
        with self.assertRaisesRegex(NotWaivable, "no such gate"):
            require_waivable(found, "smell", "sold as 8 GB")
        with self.assertRaisesRegex(NotWaivable, "it is met"):
            require_waivable(tuple(gates(folio(m1="8")).values()), "memory", "sold as 8 GB")

    def test_only_two_kinds_are_never_waived(self):
        kinds = {cls.model_fields["type"].default: cls for cls in _leaves(GateBase)}
        never = {name for name, cls in kinds.items() if not cls.may_be_waived}
        self.assertEqual(never, {"sanitised", "fit_to_leave"})


def _leaves(cls):
    return [leaf for sub in cls.__subclasses__() for leaf in (_leaves(sub) or [sub])]
