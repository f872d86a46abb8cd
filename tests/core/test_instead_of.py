"""A part that goes in the place of the one a sheet names."""

import unittest

from pydantic import ValidationError

from sortis_core.actions import Action, Verb, action_words, after_actions
from sortis_core.findings import PartState, TestState
from sortis_core.gates.ways import MOST_PICKS, picks
from sortis_core.options import OptionBuilder
from sortis_core.plan import make_plan
from sortis_core.plan.grouping import _may_want
from sortis_core.plan.verify import faults
from sortis_core.policy import Policy
from sortis_core.stock import BracketFacts, Condition, Lot, OtherFacts, PartKind
from sortis_core.supply import Supply
from tests.core.sample import DESK, KINDS, STILT, stilt
from tests.core.test_plan import case_of

ANY_COIN = PartKind(
    key="coin-wired", label="Wired coin cell", facts=OtherFacts(), instead_of=("coin-cell",)
)
ANY_FAN = PartKind(key="fan-any", label="Any fan", facts=OtherFacts(), instead_of=("fan-qs2",))
WITH = {**KINDS, ANY_COIN.key: ANY_COIN, ANY_FAN.key: ANY_FAN}


def ways(unit, *there: str, kinds=WITH) -> tuple[list[list[str]], tuple]:
    supply = Supply(kinds, frozenset(there))
    found = OptionBuilder(STILT, supply, (DESK,), Policy()).toward_standards(unit)
    return sorted([a.key for a in o.actions] for o in found.options), found.rejections


def lot(kind: str, cents: int, count: int = 1) -> Lot:
    return Lot(
        key=f"lot-{kind}",
        kind=kind,
        condition=Condition.NEW,
        place="A",
        count=count,
        unit_cost_cents=cents,
    )


class InsteadOf(unittest.TestCase):
    def test_it_is_a_way_beside_the_named_part_and_the_only_one_without_it(self):
        bare = stilt(coin="-")
        self.assertEqual(ways(bare, "coin-cell")[0], [["coin+coin-cell"]])
        both, _ = ways(bare, "coin-cell", "coin-wired")
        self.assertEqual(both, [["coin+coin-cell"], ["coin+coin-wired"]])
        self.assertEqual(ways(bare, "coin-wired")[0], [["coin+coin-wired"]])
        none, (refused,) = ways(bare, "coin-wired", kinds={**KINDS, "coin-wired": _plain(ANY_COIN)})
        self.assertEqual(none, [])
        self.assertIn("Coin cell is missing and there is none", refused.fact)

    def test_a_model_may_want_it_where_its_sheet_writes_the_named_part(self):
        wanted = _may_want(STILT, WITH.values())
        self.assertLessEqual({"coin-cell", "coin-wired", "fan-any"}, wanted)
        self.assertNotIn("coin-wired", _may_want(STILT, (_plain(ANY_COIN),)))

    def test_it_repairs_what_the_named_part_would(self):
        self.assertEqual(ways(stilt(fan="x"), "fan-any")[0], [["fan+fan-any"]])

    def test_the_cheaper_one_is_planned_the_other_where_that_runs_out(self):
        case = case_of(stilt(coin="-"), stilt(coin="-"))
        lots = (lot("coin-cell", 400, 5), lot("coin-wired", 100))
        case = case.model_copy(update={"kinds": tuple(WITH.values()), "lots": lots, "offers": ()})
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        self.assertEqual(sorted(a.kind for a in plan.allocations), ["coin-cell", "coin-wired"])
        (wired,) = [a for o in plan.outcomes for a in o.actions if a.kind == "coin-wired"]
        self.assertEqual(
            action_words(STILT, wired, WITH),
            f"Wired coin cell in place of {KINDS['coin-cell'].label}",
        )

    def test_the_plan_counted_again_takes_no_part_that_nobody_said_fits(self):
        case = case_of(stilt(coin="-"))
        lots = (lot("coin-wired", 100),)
        case = case.model_copy(update={"kinds": tuple(WITH.values()), "lots": lots, "offers": ()})
        plan = make_plan(case)
        self.assertEqual(faults(case, plan), [])
        plain = {**WITH, "coin-wired": _plain(ANY_COIN)}
        other = case.model_copy(update={"kinds": tuple(plain.values())})
        self.assertTrue(any("another kind belongs there" in one for one in faults(other, plan)))

    def test_a_test_that_failed_for_want_of_it_passes_once_it_is_in(self):
        named = PartKind(key="n", label="N", facts=OtherFacts(), instead_of=("fan-qs2",))
        sheet = STILT.model_copy(
            update={
                "parts": tuple(
                    p.model_copy(update={"kind": "fan-qs2"}) if p.key == "fan_arm" else p
                    for p in STILT.parts
                )
            }
        )
        unit = stilt(fan_arm="-", fan="x")
        fit = Action(verb=Verb.FIT, place="fan_arm", kind="n")
        after = after_actions(sheet, unit, (fit,), {**KINDS, "n": named})
        self.assertIs(after.part("fan_arm"), PartState.PRESENT)
        self.assertIs(after.test("fan"), TestState.PASSED)
        builder = OptionBuilder(
            sheet, Supply({**KINDS, "n": named}, frozenset({"n"})), (DESK,), Policy()
        )
        found = builder.toward_standards(unit).options
        self.assertEqual([[a.key for a in o.actions] for o in found], [["fan_arm+n"]])

    def test_only_a_part_that_sheets_name_goes_in_the_place_of_another(self):
        with self.assertRaisesRegex(ValidationError, "fit by their facts"):
            PartKind(
                key="b",
                label="B",
                facts=BracketFacts(drive_mm=42, standoff_mm=80),
                instead_of=("coin-cell",),
            )
        with self.assertRaisesRegex(ValidationError, "instead of itself"):
            PartKind(key="b", label="B", facts=OtherFacts(), instead_of=("b",))

    def test_the_choices_of_a_stripped_unit_stay_few(self):
        pair = [Action(verb=Verb.FIT, place="p", kind=kind) for kind in "ab"]
        self.assertEqual(len(picks([pair] * 3)), 8)
        many = picks([pair] * 40)
        self.assertEqual(len(many), MOST_PICKS)
        self.assertEqual({len(way) for way in many}, {40})


def _plain(kind: PartKind) -> PartKind:
    return kind.model_copy(update={"instead_of": ()})
