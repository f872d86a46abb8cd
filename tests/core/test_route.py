import unittest
from itertools import combinations, permutations

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_case
from sortis_core.actions import Action, Verb, action_words, after_actions
from sortis_core.cautions import Caution
from sortis_core.findings import PlaceState
from sortis_core.policy import Policy
from sortis_core.route.graph import Depth
from sortis_core.route.minutes import RouteMinutes
from sortis_core.route.sequence import HAND, Job, fewest_tool_changes
from sortis_core.route.way import Way
from sortis_core.route.work import Begun, StepKind, plan_work
from tests.core.sample import FOLIO, KINDS, LERN, SHEETS, STILT, folio, lern, stilt
from tests.examples import few

POLICY = Policy()
FIT = {
    LERN.key: [("d1", "m2-sata-256-2280"), ("p1", "pack-tl-38"), ("keyboard", "keyboard-tl11")],
    FOLIO.key: [
        ("m1", "sodimm-ddr4-8"),
        ("d1", "nvme-256-2280"),
        ("d2", "sata-256-bay"),
        ("p1", "pack-of-47"),
        ("fan", "fan-of15"),
        ("feet", "feet-small"),
    ],
    STILT.key: [
        ("m1", "sodimm-ddr4-8"),
        ("m2", "sodimm-ddr4-8"),
        ("d1", "sata-256-bay"),
        ("d2", "nvme-256-2280"),
        ("display_out", "display-module-qs2"),
    ],
}
FOUND = {LERN.key: lern(), FOLIO.key: folio(), STILT.key: stilt()}


def fit(*pairs: tuple[str, str]) -> tuple[Action, ...]:
    return tuple(Action(verb="fit", place=place, kind=kind) for place, kind in pairs)


def order_for(key: str, actions: tuple[Action, ...], **more):
    return plan_work(SHEETS[key], FOUND[key], actions, KINDS, POLICY, **more)


some_actions = st.sampled_from(sorted(FIT)).flatmap(
    lambda key: st.tuples(
        st.just(key), st.lists(st.sampled_from(FIT[key]), min_size=1, unique=True)
    )
)


class WhatIsDone(unittest.TestCase):
    def test_every_repair_without_a_part_stands_in_a_step_once(self):
        """Also where the place is reached by taking it out, and where that was done before."""
        seen = carried = 0
        for sheet in SHEETS.values():
            unit = make_case(1, 1, models=(sheet.key,)).units[0].findings
            for test in sheet.tests_of(unit.trim):
                if not test.attempt:
                    continue
                action = Action(verb=Verb.MEND, place=test.key)
                words = action_words(sheet, action, KINDS)
                fresh = plan_work(sheet, unit, (action,), KINDS, POLICY)
                opened = tuple(step.key for step in fresh.steps if step.kind is StepKind.OPEN)
                reach = next((r for r in sheet.route.reaches if r.place == test.key), None)
                carried += bool(reach and reach.carried_by)
                open_already = Begun(opened=opened)
                gone_on = plan_work(sheet, unit, (action,), KINDS, POLICY, begun=open_already)
                for order in (fresh, gone_on):
                    with self.subTest(sheet=sheet.key, test=test.key, begun=order.begun.opened):
                        doing = [s for s in order.steps if words.lower() in s.title.lower()]
                        self.assertEqual(len(doing), 1, [s.title for s in order.steps])
                        self.assertIn("See whether it works", doing[0].how)
                        self.assertEqual(doing[0].actions, (action,))
                        seen += 1
        self.assertGreater(seen, 20)
        self.assertGreater(carried, 0)


class Examples(unittest.TestCase):
    def test_isolation_comes_before_anything_else_inside(self):
        work = order_for(FOLIO.key, fit(("m1", "sodimm-ddr4-8"), ("d1", "nvme-256-2280")))
        keys = [step.key for step in work.steps]
        for inside in ("slot_lid", "at:m1", "at:d1"):
            self.assertLess(keys.index("pack_unplug"), keys.index(inside))

    def test_the_pack_is_plugged_in_before_the_base_closes(self):
        keys = [s.key for s in order_for(FOLIO.key, fit(("m1", "sodimm-ddr4-8"))).steps]
        self.assertLess(keys.index("pack_unplug:back"), keys.index("base_off:back"))

    def test_a_new_pack_goes_in_on_the_way_back(self):
        work = order_for(LERN.key, fit(("p1", "pack-tl-38")))
        step = next(s for s in work.steps if s.actions)
        self.assertEqual((step.key, step.kind), ("pack_out:back", StepKind.CLOSE))
        self.assertIn("Pack TL-38", step.title)

    def test_fresh_paste_before_the_heat_sink_goes_on(self):
        keys = [s.key for s in order_for(FOLIO.key, fit(("fan", "fan-of15"))).steps]
        self.assertLess(keys.index("at:fan"), keys.index("paste"))
        self.assertLess(keys.index("paste"), keys.index("heat_sink_off:back"))

    def test_a_trim_without_heat_sink_has_no_step_for_it(self):
        work = plan_work(FOLIO, folio("lite"), fit(("m1", "sodimm-ddr4-8")), KINDS, POLICY)
        self.assertNotIn("heat_sink_off", {s.key for s in work.steps})

    def test_two_jobs_under_one_cover_pay_for_one_opening(self):
        work = order_for(STILT.key, fit(("m1", "sodimm-ddr4-8"), ("d2", "nvme-256-2280")))
        self.assertLess(work.minutes, work.minutes_apart)
        self.assertEqual(sum(s.key == "panel_off" for s in work.steps), 1)

    def test_captive_screws_stay_and_long_ones_have_a_well_of_their_own(self):
        work = order_for(FOLIO.key, fit(("fan", "fan-of15")))
        opened = next(s for s in work.steps if s.key == "heat_sink_off")
        loose = [well for well in opened.tray if not well.screws.captive]
        self.assertEqual(
            [(w.number, w.screws.count, w.screws.length_mm) for w in loose], [(1, 7, 5), (2, 3, 8)]
        )

    def test_lithium_words_stand_where_the_pack_is_near(self):
        work = order_for(LERN.key, fit(("d1", "m2-sata-256-2280")))
        step = next(s for s in work.steps if s.key == "base_off")
        self.assertIn(Caution.LITHIUM, {caution.key for caution in step.cautions})

    def test_a_donor_is_not_closed_again(self):
        out = Action(verb="take_out", place="m1", takes_out="sodimm-ddr4-8", takes_out_label="8 GB")
        work = order_for(FOLIO.key, (out,), donor=True)
        self.assertFalse({StepKind.CLOSE, StepKind.CHECK} & {s.kind for s in work.steps})
        self.assertIn(out, [a for s in work.steps for a in s.actions])

    def test_a_new_drive_is_installed_before_the_check(self):
        action = Action(verb="fit", place="d2", kind="nvme-256-2280", installs_system=True)
        kinds = [s.kind for s in order_for(STILT.key, (action,)).steps]
        self.assertEqual(kinds[-2:], [StepKind.INSTALL, StepKind.CHECK])

    def test_why_names_what_lies_behind(self):
        work = order_for(FOLIO.key, fit(("m1", "sodimm-ddr4-8")))
        lid = next(s for s in work.steps if s.key == "slot_lid")
        self.assertEqual(lid.why, "Slot 1 lies behind it.")

    def test_findings_after_the_work(self):
        actions = (
            Action(verb="fit", place="m1", kind="sodimm-ddr4-16"),
            Action(verb="take_out", place="d1"),
            Action(verb="fit", place="speaker", kind="speaker-qs2"),
        )
        after = after_actions(STILT, stilt(speaker="-"), actions, KINDS)
        self.assertEqual(after.module("m1").gb, 16)
        self.assertIs(after.drive("d1").state, PlaceState.EMPTY)
        self.assertEqual(after.part("speaker"), "present")


class Properties(unittest.TestCase):
    @given(some_actions)
    def test_no_step_before_what_covers_it(self, chosen):
        key, pairs = chosen
        work = order_for(key, fit(*pairs))
        at = {step.key: number for number, step in enumerate(work.steps)}
        for step in SHEETS[key].route.steps:
            if step.key in at and not step.back_only:
                self.assertTrue(all(at[b] < at[step.key] for b in step.after if b in at))
        for place, _ in pairs:
            reach = SHEETS[key].route.reach(place)
            if reach and not reach.carried_by:
                self.assertTrue(all(at[b] < at[f"at:{place}"] for b in reach.after))

    @given(some_actions)
    def test_every_screw_that_comes_out_is_in_again_and_every_action_is_done_once(self, chosen):
        key, pairs = chosen
        work = order_for(key, fit(*pairs))
        self.assertEqual(work.steps[-1].tray, ())
        done = [action.place for step in work.steps for action in step.actions]
        self.assertEqual(sorted(done), sorted(place for place, _ in pairs))
        opened = {s.key for s in work.steps if s.kind is StepKind.OPEN and s.screws}
        closed = {s.key.removesuffix(":back") for s in work.steps if s.kind is StepKind.CLOSE}
        self.assertLessEqual(opened, closed)

    @given(some_actions)
    def test_minutes_reckoned_for_the_plan_are_those_of_the_work_order(self, chosen):
        key, pairs = chosen
        actions = fit(*pairs)
        reckoned = RouteMinutes(SHEETS[key], POLICY).of(FOUND[key], actions)
        work = order_for(key, actions)
        self.assertAlmostEqual(work.minutes, reckoned, places=1)
        self.assertLessEqual(work.minutes, work.minutes_apart + 0.01)

    @few(3)
    @given(st.data())
    def test_tool_changes_are_the_fewest_there_can_be(self, data):
        count = data.draw(st.integers(1, 6))
        jobs = tuple(
            Job(
                key=f"j{n}",
                tool=data.draw(st.sampled_from([HAND, "one", "two"])),
                after=tuple(f"j{e}" for e in range(n) if data.draw(st.booleans())),
            )
            for n in range(count)
        )
        keys, changes = fewest_tool_changes(jobs)
        self.assertEqual(changes, min(_changes(o) for o in permutations(jobs) if _obeys(o)))
        by_key = {job.key: job for job in jobs}
        self.assertTrue(_obeys(tuple(by_key[key] for key in keys)))

    def test_every_part_of_every_sheet_is_reached_or_outside(self):
        for sheet in SHEETS.values():
            trim = sheet.trims[0].key
            for place in sheet.places:
                reach = sheet.route.reach(place.key)
                if reach:
                    jobs = Way(sheet, trim, POLICY).jobs_for((place.key,))
                    self.assertEqual(len(fewest_tool_changes(jobs)[0]), len(jobs))

    def test_no_two_steps_wait_for_each_other(self):
        for sheet in SHEETS.values():
            order = {step.key: number for number, step in enumerate(sheet.route.steps)}
            for one, other in combinations(sheet.route.steps, 2):
                self.assertFalse(one.key in other.after and other.key in one.after)
            inside = [s for s in sheet.route.steps if s.depth is not Depth.OUTSIDE]
            self.assertTrue(all(step.after for step in inside), order)


def _changes(order: tuple[Job, ...]) -> int:
    held, changes = "", 0
    for job in order:
        if job.tool not in (HAND, held):
            held, changes = job.tool, changes + 1
    return changes


def _obeys(order: tuple[Job, ...]) -> bool:
    done: set[str] = set()
    for job in order:
        if not set(job.after) <= done:
            return False
        done.add(job.key)
    return True
