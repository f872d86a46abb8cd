"""Routes that fit the unit in hand: what is not there is not done; the order of powering down."""

import unittest

from sortis_core.actions import Action
from sortis_core.findings import Findings
from sortis_core.plan.recount import Recount
from sortis_core.policy import IsolationSchool, MemorySchool, Policy, SwitchOffSchool
from sortis_core.route.check import route_gaps
from sortis_core.route.graph import Depth, RouteStep
from sortis_core.route.minutes import RouteMinutes
from sortis_core.route.presence import absent
from sortis_core.route.work import WorkOrder, plan_work
from sortis_core.sheets import MachineForm, ModelSheet
from tests.core.sample import FOLIO, KINDS, SHEETS, STILT, found, stilt

POLICY = Policy()
SHINGLE, HALYARD = SHEETS["tolva-shingle-s1"], SHEETS["quarrin-halyard-14"]


def entries(sheet: ModelSheet, trim: str) -> dict[str, str]:
    packs = {
        p.key: f"{p.variants[0].design_wh}/{p.variants[0].design_wh} 9c"
        for p in sheet.packs_of(trim)
    }
    slots = {slot.key: "4" for slot in sheet.memory.slots}
    return packs | slots


def order(sheet: ModelSheet, unit: Findings, *places: str, policy: Policy = POLICY) -> WorkOrder:
    actions = tuple(Action(verb="take_out", place=place, takes_out_label="it") for place in places)
    return plan_work(sheet, unit, actions, KINDS, policy)


class OnlyWhatIsThere(unittest.TestCase):
    def test_every_step_that_asks_is_left_out_without_its_thing_and_both_reckonings_agree(self):
        asked = 0
        for sheet in SHEETS.values():
            trim = sheet.trims[0].key
            parts = {part.key for part in sheet.parts_of(trim)}
            for step in sheet.route.steps:
                key = step.only_with
                if key not in parts or (step.trims and trim not in step.trims):
                    continue
                asked += 1
                units = [
                    found(sheet, trim, **(entries(sheet, trim) | {key: mark})) for mark in "+-"
                ]
                reach = [r for r in sheet.route.reaches if step.key in r.after and r.place != key]
                if not reach:
                    continue
                there, gone = (
                    [one.key for one in order(sheet, unit, reach[0].place).steps] for unit in units
                )
                self.assertIn(step.key, there, (sheet.key, step.key))
                self.assertNotIn(step.key, gone, (sheet.key, step.key))
                action = (Action(verb="take_out", place=reach[0].place, takes_out_label="it"),)
                for unit in units:
                    self.assertAlmostEqual(
                        RouteMinutes(sheet, POLICY).of(unit, action),
                        Recount(sheet, unit, action, POLICY).minutes(donor=False),
                    )
        self.assertGreater(asked, 10)

    def test_the_other_screws_where_the_cage_is_gone(self):
        base = {"m1": "4", "d2": "-"}
        caged = found(SHINGLE, "cage", **base, d1="s256", cage="+")
        gone = found(SHINGLE, "cage", **base, d1="-", cage="-")
        bare = found(SHINGLE, "bare", **base)

        def keys(unit: Findings) -> set[str]:
            return {step.key for step in order(SHINGLE, unit, "lower").steps}

        self.assertIn("board_caged", keys(caged))
        self.assertNotIn("board_bare", keys(caged))
        for unit in (gone, bare):
            self.assertIn("board_bare", keys(unit))
            self.assertFalse({"board_caged", "cage_out"} & keys(unit))
        self.assertIn("cage", absent(SHINGLE, bare))

    def test_what_nobody_looked_at_may_be_there(self):
        unit = stilt(cage="?")
        self.assertIn("cage_out", [step.key for step in order(STILT, unit, "d1").steps])

    def test_a_part_that_goes_in_has_its_step(self):
        unit = stilt(cage="-", d1="-")
        self.assertIn("cage", absent(STILT, unit))
        fit = (Action(verb="fit", place="cage", kind="cage-qs2"),)
        self.assertNotIn("cage", absent(STILT, unit, fit))


class PoweringDown(unittest.TestCase):
    def test_off_then_the_firmware_then_cool_then_opened_by_every_school(self):
        for sheet in SHEETS.values():
            trim = sheet.trims[0].key
            unit = found(sheet, trim, **entries(sheet, trim))
            inside = next((s.key for s in sheet.memory.slots), sheet.drives_of(trim)[-1].key)
            for isolation in IsolationSchool:
                for switch in SwitchOffSchool:
                    policy = Policy(isolation=isolation, switch_off=switch)
                    steps = [s.key for s in order(sheet, unit, inside, policy=policy).steps]
                    self.assertEqual(steps[:2][-1 if "array_look" in steps else 0], "power_off")
                    if sheet.form is MachineForm.LAPTOP:
                        before = steps[: steps.index("cool")]
                        off = {"power_off", "firmware_off", "external_out"}
                        self.assertIn("power_off", before)
                        self.assertLessEqual(set(before), off, sheet.key)
                        self.assertEqual(
                            "firmware_off" in before,
                            sheet.firmware_switches_pack_off and switch is SwitchOffSchool.FIRMWARE,
                        )

    def test_a_look_before_it_is_off_does_not_cool_it(self):
        """Whatever is done while it still runs, it cools once it is off."""
        look = RouteStep(
            key="look", title="Look", how="Look.", depth=Depth.OUTSIDE, minutes_out=1.0
        )
        steps = tuple(
            step.model_copy(update={"after": ("look",)}) if step.key == "power_off" else step
            for step in HALYARD.route.steps
        )
        route = HALYARD.route.model_copy(update={"steps": (look, *steps)})
        sheet = HALYARD.model_copy(update={"route": route})
        unit = found(HALYARD, m0="8", m1="8", d1="n256", p1="48/50 90c")
        keys = [step.key for step in order(sheet, unit, "m1").steps]
        self.assertEqual(keys[:4], ["look", "power_off", "firmware_off", "cool"])

    def test_the_firmware_is_reached_on_the_pack_alone_and_the_adapter_wakes_it_at_the_end(self):
        unit = found(HALYARD, m0="8", m1="8", d1="n256", p1="48/50 90c")
        steps = order(HALYARD, unit, "m1").steps
        off = next(step for step in steps if step.key == "firmware_off")
        self.assertIn("on the pack alone", off.how)
        self.assertNotIn("Adapter in", off.how)
        ends = [step.key for step in steps if step.key.endswith(":back")]
        self.assertEqual(ends[-1], "firmware_off:back")

    def test_a_sheet_that_says_so_and_has_no_such_step_has_a_gap(self):
        self.assertEqual(route_gaps(HALYARD), ())
        for sheet in (HALYARD, FOLIO):
            other = not sheet.firmware_switches_pack_off
            changed = sheet.model_copy(update={"firmware_switches_pack_off": other})
            (gap,) = route_gaps(changed)
            self.assertIn("the firmware switches the pack off", gap.sentence)


class Said(unittest.TestCase):
    def test_the_models_own_test_stands_at_the_check(self):
        unit = found(HALYARD, m0="8", m1="8", d1="n256", p1="48/50 90c")
        self.assertIn(HALYARD.built_in_test, order(HALYARD, unit, "m1").steps[-1].how)

    def test_more_than_the_maker_states_shows_its_risk_in_the_order(self):
        unit = found(FOLIO, "flash", m0="8", m1="4", d1="n256", d2="-", p1="43/46 90c")
        policy = Policy(memory_ceiling=MemorySchool.BENCH_PROVEN)
        fit = (Action(verb="fit", place="m1", kind="sodimm-ddr4-16", takes_out_label="4 GB"),)
        check = plan_work(FOLIO, unit, fit, KINDS, policy).steps[-1]
        self.assertIn(f"more than the {FOLIO.memory.stated.gb} GB that the maker states", check.how)
        small = (Action(verb="fit", place="m1", kind="sodimm-ddr4-8", takes_out_label="4 GB"),)
        check = plan_work(FOLIO, unit, small, KINDS, policy).steps[-1]
        self.assertNotIn("maker states", check.how)

    def test_a_pack_with_its_own_screws_says_so(self):
        sheet = next(
            s for s in SHEETS.values() for p in s.packs for v in p.variants if v.screws_included
        )
        pack = next(p for p in sheet.packs if any(v.screws_included for v in p.variants))
        families = {v.family for v in pack.variants if v.screws_included}
        kind = next(k for k, one in KINDS.items() if getattr(one.facts, "family", "") in families)
        trim = sheet.trims[0].key
        unit = found(sheet, trim, **entries(sheet, trim))
        fit = (Action(verb="fit", place=pack.key, kind=kind, takes_out_label="worn pack"),)
        said = " ".join(step.how for step in plan_work(sheet, unit, fit, KINDS, POLICY).steps)
        self.assertIn("its own captive screws", said)
