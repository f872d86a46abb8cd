import unittest

from sortis_core.assess import assess
from sortis_core.gates import KeyboardLanguageGate
from sortis_core.gates.verdict import GateState
from sortis_core.plan import make_plan
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.strip import draw_strip
from tests.core.sample import DESK, FOLIO, folio
from tests.core.test_plan import case_of

NORTHERN = DESK.model_copy(
    update={"gates": (*DESK.gates, KeyboardLanguageGate(languages=("no", "da")))}
)


def planned(*units):
    case = case_of(*units).model_copy(update={"standards": (NORTHERN,)})
    plan = make_plan(case)
    assert faults(case, plan) == []
    return case, plan


class KeyboardLanguages(unittest.TestCase):
    def verdict(self, **entries):
        said = assess(FOLIO, folio(**entries), (NORTHERN,), Policy()).verdicts[0]
        return next(gate for gate in said.gates if gate.gate == "keyboard_language")

    def test_one_of_the_list_passes_and_another_is_short(self):
        self.assertIs(self.verdict(keyboard_language="da").state, GateState.MET)
        short = self.verdict(keyboard_language="de")
        self.assertIs(short.state, GateState.SHORT)
        self.assertEqual(short.sentence, "Keyboard is German, wanted Norwegian or Danish")

    def test_what_nobody_noted_is_unknown_and_looked_at_first(self):
        self.assertIs(self.verdict().state, GateState.UNKNOWN)
        _, plan = planned(folio())
        self.assertEqual(plan.outcomes[0].outcome, "hold")
        self.assertTrue(plan.groups[0].rejections[0].look_first)

    def test_the_inspector_is_asked_for_it_where_a_standard_wants_it(self):
        findings = folio()
        cells = {cell.key: cell for cell in draw_strip(FOLIO, findings, (NORTHERN,)).cells}
        self.assertEqual(cells["keyboard_language"].mark, "unseen")
        unknown = assess(FOLIO, findings, (NORTHERN,), Policy()).unknowns
        self.assertEqual(unknown.decide, ("keyboard_language",))

    def test_units_of_two_languages_are_two_groups_and_one_is_not_sold(self):
        _, plan = planned(folio(keyboard_language="no"), folio(keyboard_language="de"))
        self.assertEqual([o.outcome.ready for o in plan.outcomes], [True, False])
        facts = [r.fact for group in plan.groups for r in group.rejections]
        self.assertTrue(any("Keyboard is German" in fact for fact in facts))

    def test_a_plan_that_sells_another_language_is_refused(self):
        case, plan = planned(folio(keyboard_language="no"))
        german = case.units[0].model_copy(update={"findings": folio(keyboard_language="de")})
        wrong = faults(case.model_copy(update={"units": (german,)}), plan)
        self.assertTrue(any("none of the languages wanted" in fault for fault in wrong), wrong)
