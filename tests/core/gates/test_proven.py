"""Proven by use: what a standard asks to be shown before a unit leaves."""

import unittest

from pydantic import ValidationError

from sortis_core.gates import ProvenGate
from sortis_core.gates.proof import Signature
from sortis_core.gates.verdict import GateState
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from tests.core.sample import FOLIO, SHEETS, STILT, folio, stilt

SEEN = Signature(by="Ines", at="", words="inspection 2")
RUNTIME = ProvenGate(what="runtime", min_hours=3.0)
HALYARD = SHEETS["quarrin-halyard-14"]


def proof(gate: ProvenGate, sheet: ModelSheet, findings, signature: Signature | None = None):
    return gate.proof(sheet, findings, Policy(), SEEN, signature)


class Asked(unittest.TestCase):
    def test_each_asks_for_its_figure_and_for_no_other(self):
        wrong: list[dict[str, object]] = [
            {"what": "runtime"},
            {"what": "runtime", "min_hours": 3.0, "max_celsius": 80},
            {"what": "self_test", "min_hours": 3.0},
            {"what": "load"},
            {"what": "own_test", "max_celsius": 80},
            {"what": "smoke"},
        ]
        for given in wrong:
            with self.assertRaises(ValidationError, msg=given):
                ProvenGate.model_validate(given)

    def test_it_decides_nothing_before_the_last_check(self):
        said = RUNTIME.verdict(FOLIO, folio(), Policy())
        self.assertEqual(said.state, GateState.AT_RELEASE)
        self.assertEqual(said.sentence, "Runs 3 h on its packs, measured")

    def test_what_a_unit_does_not_have_it_need_not_show(self):
        self.assertEqual(proof(RUNTIME, STILT, stilt()).sentence, "This model has no pack")
        empty = proof(ProvenGate(what="self_test"), STILT, stilt(d1="-"))
        self.assertTrue(empty.met)
        own = proof(ProvenGate(what="own_test"), STILT, stilt())
        self.assertEqual((own.met, own.sentence), (True, "This model has no test of its own"))

    def test_a_machine_s_record_counts_until_the_unit_is_looked_at_again(self):
        open_gate = proof(RUNTIME, FOLIO, folio())
        self.assertEqual(
            (open_gate.met, open_gate.signable, open_gate.by_machine), (False,) + (True,) * 2
        )
        shown = Signature(by="Lena", at="", words="6.6 W, so 6.9 h", about=SEEN.words)
        self.assertTrue(proof(RUNTIME, FOLIO, folio(), shown).met)
        before = shown.model_copy(update={"about": "inspection 1"})
        self.assertFalse(proof(RUNTIME, FOLIO, folio(), before).met)

    def test_the_model_s_own_test_is_a_record_that_nobody_presets(self):
        assert HALYARD.built_in_test
        own = proof(ProvenGate(what="own_test"), HALYARD, folio())
        self.assertEqual((own.wants_words, own.by_machine), (True, False))
        self.assertIn(HALYARD.built_in_test, own.asks)
