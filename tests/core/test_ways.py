"""Routes of every shape by every school: nothing before what covers it, every screw back in."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.actions import Action, Verb
from sortis_core.findings import Findings
from sortis_core.plan.recount import Recount
from sortis_core.policy import IsolationSchool, Policy, PryingSchool, ScrewSchool, SwitchOffSchool
from sortis_core.route.check import circles, has_way_to, route_gaps
from sortis_core.route.graph import Depth
from sortis_core.route.minutes import RouteMinutes, hand_overs
from sortis_core.route.pace import Pace, StepPace, paced
from sortis_core.route.remains import remains_of
from sortis_core.route.way import Way
from sortis_core.route.work import Begun, StepKind, WorkOrder, plan_work
from sortis_core.sheets import BOARD, Connector, ModelSheet
from tests.core.sample import FOLIO, KINDS, LERN, SHEETS, STILT, folio, found, lern, stilt
from tests.examples import few

HALYARD, TARN = SHEETS["quarrin-halyard-14"], SHEETS["kestrin-tarn-14"]
HOLLOW = SHEETS["quarrin-hollow-14"]
policies = st.builds(
    Policy,
    isolation=st.sampled_from(IsolationSchool),
    switch_off=st.sampled_from(SwitchOffSchool),
    prying=st.sampled_from(PryingSchool),
    screws=st.sampled_from(ScrewSchool),
    cooling_minutes=st.sampled_from([0.0, 3.0]),
)


def full(sheet: ModelSheet, trim: str = "") -> Findings:
    """Findings of a unit that holds something everywhere."""
    filled = {slot.key: str(min(8, slot.limit_gb)) for slot in sheet.memory.slots}
    for drive in sheet.drives_of(trim or sheet.trims[0].key):
        letter = {"NVMe": "n", "SATA": "s", "eMMC": "e"}[drive.interfaces[0]]
        filled[drive.key] = f"{letter}64"
    if sheet.memory.soldered:
        filled["m0"] = str(sheet.memory.soldered.amounts_gb[0])
    return found(sheet, trim, **filled)


def fit(place: str, kind: str = "feet-small") -> Action:
    return Action(verb="fit", place=place, kind=kind, takes_out_label="old one")


def board(sheet: ModelSheet) -> Action:
    return fit(BOARD, next(one.kind for one in sheet.boards if one.kind))


@st.composite
def work_of(draw) -> tuple[str, str, tuple[Action, ...], Policy]:
    sheet = SHEETS[draw(st.sampled_from(sorted(SHEETS)))]
    trim = draw(st.sampled_from(sheet.trims)).key
    places = [p.key for p in sheet.places_of(trim) if has_way_to(sheet, p.key)]
    chosen = draw(st.lists(st.sampled_from(places), min_size=1, max_size=4, unique=True))
    actions = [fit(place) for place in chosen]
    if any(b.kind for b in sheet.boards) and draw(st.booleans()):
        actions.append(board(sheet))
    return sheet.key, trim, tuple(actions), draw(policies)


def covers(sheet: ModelSheet, trim: str, policy: Policy, keys: tuple[str, ...]) -> set[str]:
    """All steps of the raw sheet that must come first, worked out apart from the code."""
    steps = {step.key: step for step in sheet.route.steps}
    seen: set[str] = set()
    waiting = list(keys)
    while waiting:
        key = waiting.pop()
        if key and key not in seen:
            seen.add(key)
            waiting += steps[key].after
    off = policy.switch_off is SwitchOffSchool.UNPLUG
    has = {place.key for place in sheet.places_of(trim)}
    return {
        key
        for key in seen
        if (not steps[key].trims or trim in steps[key].trims)
        and (not steps[key].only_with or steps[key].only_with in has)
        and not (steps[key].only_without and steps[key].only_without in has)
        and not (off and steps[key].firmware)
        and not steps[key].back_only
    }


class EveryShape(unittest.TestCase):
    def test_no_sheet_has_a_gap_in_its_route(self):
        for sheet in SHEETS.values():
            self.assertEqual(route_gaps(sheet), (), sheet.key)

    def test_every_place_of_every_trim_is_reached_and_left_with_an_empty_tray(self):
        for sheet in SHEETS.values():
            soldered = {d.key for d in sheet.drives if d.connector is Connector.EMMC}
            boards = {b.kind for b in sheet.boards if b.kind}
            for trim in sheet.trims:
                for place in sheet.places_of(trim.key):
                    test = next((t for t in sheet.tests if t.key == place.key), None)
                    mended = test and (test.repair is None or test.repair.kind in boards)
                    if place.key in soldered or mended:
                        continue
                    self.assertTrue(has_way_to(sheet, place.key), f"{sheet.key} {place.key}")
                    work = plan_work(
                        sheet, full(sheet, trim.key), (fit(place.key),), KINDS, Policy()
                    )
                    self.assertEqual(work.steps[-1].tray, ())

    @few(13)
    @given(work_of())
    def test_nothing_is_reached_before_what_covers_it_by_any_school(self, drawn):
        key, trim, actions, policy = drawn
        sheet = SHEETS[key]
        work = plan_work(sheet, full(sheet, trim), actions, KINDS, policy)
        at = {step.key: number for number, step in enumerate(work.steps)}
        for action in actions:
            reach = sheet.route.reach(action.place)
            if reach is None:
                continue
            number = at.get(f"at:{action.place}", at.get(f"{reach.carried_by}:back", 10**6))
            for key in covers(sheet, trim, policy, reach.after):
                self.assertLess(at[key], number, f"{sheet.key} {action.place} {key}")
        for step in work.steps:
            if step.kind is StepKind.OPEN:
                raw = next(s for s in sheet.route.steps if s.key == step.key)
                for key in covers(sheet, trim, policy, raw.after):
                    self.assertLess(at[key], at[step.key])

    @few(8)
    @given(work_of())
    def test_no_pack_feeds_what_is_touched_inside(self, drawn):
        key, trim, actions, policy = drawn
        sheet = SHEETS[key]
        work = plan_work(sheet, full(sheet, trim), actions, KINDS, policy)
        isolating = [s.key for s in sheet.route.steps if s.isolates]
        to_isolate = covers(sheet, trim, policy, tuple(isolating))
        keys = [step.key for step in work.steps]
        for number, step in enumerate(work.steps):
            inside = step.kind in (StepKind.OPEN, StepKind.WORK) and step.depth is not Depth.OUTSIDE
            reach = sheet.route.reach(step.key.removeprefix("at:"))
            outside = step.key.startswith("at:") and not (reach and reach.after)
            if inside and step.key not in to_isolate and not outside:
                self.assertTrue(all(keys.index(key) < number for key in isolating), step.key)

    @few(8)
    @given(work_of())
    def test_every_screw_out_is_in_again_whatever_the_school_of_screws(self, drawn):
        key, trim, actions, policy = drawn
        sheet = SHEETS[key]
        work = plan_work(sheet, full(sheet, trim), actions, KINDS, policy)
        self.assertEqual(work.steps[-1].tray, ())
        out = {s.key: s.wells for s in work.steps if s.kind is StepKind.OPEN and s.wells}
        back = {
            s.key.removesuffix(":back"): s.wells for s in work.steps if s.wells and s.key not in out
        }
        self.assertEqual(out, back)

    @few(8)
    @given(work_of())
    def test_merged_work_is_never_longer_than_separate_openings(self, drawn):
        key, trim, actions, policy = drawn
        sheet = SHEETS[key]
        work = plan_work(sheet, full(sheet, trim), actions, KINDS, policy)
        self.assertLessEqual(work.minutes, work.minutes_apart + 0.01)
        self.assertAlmostEqual(
            work.minutes, RouteMinutes(sheet, policy).of(full(sheet, trim), actions), places=1
        )


class Boards(unittest.TestCase):
    def test_a_board_swap_moves_everything_that_sits_on_it(self):
        for sheet in SHEETS.values():
            if not any(one.kind for one in sheet.boards):
                continue
            work = plan_work(sheet, full(sheet), (board(sheet),), KINDS, Policy())
            moved = {
                s.key.removeprefix("over:") for s in work.steps if s.kind is StepKind.HAND_OVER
            }
            on_board = {slot.key for slot in sheet.memory.slots}
            on_board |= {d.key for d in sheet.drives if d.connector is not Connector.BAY}
            self.assertLessEqual(on_board, moved, sheet.key)
            keys = [step.key for step in work.steps]
            lifted = keys.index("board_out")
            self.assertTrue(all(keys.index(f"over:{place}") > lifted for place in moved))
            self.assertTrue(
                all(keys.index(f"over:{place}") < keys.index("board_out:back") for place in moved)
            )

    def test_what_is_empty_or_exchanged_in_the_same_order_does_not_move(self):
        findings = found(HALYARD, m0="8", m1="-", d1="n256")
        moved = {over.place for over in hand_overs(HALYARD, findings, (board(HALYARD),))}
        self.assertNotIn("m1", moved)
        self.assertIn("d1", moved)
        both = (board(HALYARD), fit("d1", "nvme-256-2280"))
        self.assertNotIn("d1", {over.place for over in hand_overs(HALYARD, findings, both)})
        work = plan_work(HALYARD, findings, both, KINDS, Policy())
        keys = [step.key for step in work.steps]
        self.assertLess(keys.index("board_out"), keys.index("at:d1"))
        self.assertIn("It goes into the other board.", work.steps[keys.index("at:d1")].how)


class Schools(unittest.TestCase):
    def keys(self, sheet: ModelSheet, findings: Findings, place: str, **policy) -> list[str]:
        work = plan_work(sheet, findings, (fit(place),), KINDS, Policy(**policy))
        return [step.key for step in work.steps]

    def test_the_pack_comes_out_where_the_work_passes_over_it(self):
        tarn = full(TARN)
        by_route = self.keys(TARN, tarn, "fan")
        self.assertLess(by_route.index("pack_out"), by_route.index("cooler_off"))
        self.assertNotIn("pack_out", self.keys(TARN, tarn, "m1"))
        only = self.keys(TARN, tarn, "fan", isolation=IsolationSchool.UNPLUG)
        self.assertNotIn("pack_out", only)
        always = self.keys(TARN, tarn, "m1", isolation=IsolationSchool.TAKE_OUT)
        self.assertLess(always.index("pack_out"), always.index("at:m1"))

    def test_the_firmware_is_left_out_by_the_other_school_and_nothing_is_lost(self):
        first = self.keys(HALYARD, full(HALYARD), "m1")
        self.assertLess(first.index("firmware_off"), first.index("sim_out"))
        other = self.keys(HALYARD, full(HALYARD), "m1", switch_off=SwitchOffSchool.UNPLUG)
        self.assertNotIn("firmware_off", other)
        self.assertLess(other.index("power_off"), other.index("sim_out"))

    def test_prying_begins_where_the_school_says_if_the_sheet_knows_it(self):
        def how(school: PryingSchool, sheet: ModelSheet = HOLLOW) -> str:
            work = plan_work(sheet, full(sheet), (fit("m1"),), KINDS, Policy(prying=school))
            return next(step.how for step in work.steps if step.key == "base_off")

        self.assertIn("hinge corner", how(PryingSchool.SHEET))
        self.assertIn("front right corner", how(PryingSchool.FAR_CORNER))
        self.assertIn("knows no way from the lifted by captive", how(PryingSchool.CAPTIVE))

    def test_a_trim_without_a_step_still_waits_for_what_covered_that_step(self):
        lite = self.keys(FOLIO, full(FOLIO, "lite"), "fan")
        self.assertNotIn("heat_sink_off", lite)
        self.assertLess(lite.index("pack_unplug"), lite.index("at:fan"))

    def test_screws_lie_by_set_or_by_kind(self):
        def wells(school: ScrewSchool, sheet: ModelSheet, place: str) -> list[tuple[int, int]]:
            work = plan_work(sheet, full(sheet), (fit(place),), KINDS, Policy(screws=school))
            most = max(work.steps, key=lambda step: len(step.tray))
            return [(w.number, w.screws.count) for w in most.tray if not w.screws.captive]

        # The Folio's base has two lengths: each set has its own well unless all is sorted.
        by_set = wells(ScrewSchool.WHERE_LENGTHS_DIFFER, FOLIO, "keyboard")
        self.assertEqual(by_set, wells(ScrewSchool.LEDGER, FOLIO, "keyboard"))
        sorted_ = wells(ScrewSchool.BY_KIND, FOLIO, "keyboard")
        self.assertEqual(sum(n for _, n in by_set), sum(n for _, n in sorted_))
        self.assertLessEqual(len(sorted_), len(by_set))

    def test_cooling_is_left_out_where_the_workshop_opens_at_once(self):
        self.assertNotIn("cool", self.keys(FOLIO, folio(), "m1", cooling_minutes=0))


class Reasons(unittest.TestCase):
    def test_the_cooler_comes_off_for_the_chain_behind_it(self):
        work = plan_work(HALYARD, full(HALYARD), (board(HALYARD),), KINDS, Policy())
        cooler = next(step for step in work.steps if step.key == "cooler_off")
        self.assertEqual(cooler.chain, ("Lift the cooler", "Take the board out", "the board"))
        self.assertEqual(
            cooler.why, "It comes before “Take the board out”, on the way to the board."
        )

    def test_a_pack_that_comes_out_by_school_says_so(self):
        work = plan_work(TARN, full(TARN), (fit("fan"),), KINDS, Policy())
        pack = next(step for step in work.steps if step.key == "pack_out")
        self.assertIn("passes over the pack", pack.why)

    def test_every_step_down_has_a_reason(self):
        for sheet in SHEETS.values():
            for place in sheet.places_of(sheet.trims[0].key):
                if sheet.route.reach(place.key):
                    work = plan_work(sheet, full(sheet), (fit(place.key),), KINDS, Policy())
                    for step in work.steps:
                        if step.kind is StepKind.OPEN:
                            self.assertTrue(step.why, f"{sheet.key} {place.key} {step.key}")


class GoingOn(unittest.TestCase):
    """A unit lies open: a new order goes on from there."""

    def begun(self, work: WorkOrder, key: str) -> Begun:
        keys = [step.key for step in work.steps]
        return work.begun_after(keys.index(key))

    def test_what_is_out_is_not_opened_again_and_its_screws_go_back(self):
        first = plan_work(STILT, full(STILT), (fit("m1"), fit("m2")), KINDS, Policy())
        begun = self.begun(first, "at:m2")
        later = plan_work(STILT, full(STILT), (fit("d2"),), KINDS, Policy(), begun=begun)
        keys = [step.key for step in later.steps]
        self.assertFalse(set(begun.opened) & set(keys))
        back = {s.key for s in STILT.route.steps if s.back_title and s.key in begun.opened}
        self.assertLessEqual({f"{key}:back" for key in back}, set(keys))
        self.assertEqual(later.tray_before, first.steps[len(begun.opened)].tray)
        self.assertEqual(later.steps[-1].tray, ())
        self.assertIn("into Slot 1", later.steps[-1].how)

    def test_shelved_it_is_only_closed(self):
        first = plan_work(LERN, lern(), (fit("d1", "m2-sata-256-2280"),), KINDS, Policy())
        begun = self.begun(first, "at:d1")
        closing = plan_work(LERN, lern(), (), KINDS, Policy(), begun=begun, shelve=True)
        self.assertEqual({step.kind for step in closing.steps}, {StepKind.CLOSE})
        self.assertEqual(closing.steps[-1].tray, ())

    def test_a_system_that_was_called_for_is_still_installed(self):
        drive = Action(verb="fit", place="d2", kind="nvme-256-2280", installs_system=True)
        first = plan_work(STILT, stilt(), (drive, fit("m2")), KINDS, Policy())
        done = len(first.steps) - 3
        begun = first.begun_after(done)
        self.assertIn(drive, begun.done)
        later = plan_work(STILT, stilt(), (), KINDS, Policy(), begun=begun)
        self.assertIn("install", [step.key for step in later.steps])

    @few(5)
    @given(work_of(), st.data())
    def test_stopped_anywhere_and_gone_on_every_screw_comes_back(self, drawn, data):
        key, trim, actions, policy = drawn
        sheet = SHEETS[key]
        findings = full(sheet, trim)
        work = plan_work(sheet, findings, actions, KINDS, policy)
        done = data.draw(st.integers(0, len(work.steps) - 1))
        begun = work.begun_after(done)
        left = tuple(a for step in work.steps[done:] for a in step.actions)
        later = plan_work(sheet, findings, left, KINDS, policy, begun=begun)
        self.assertEqual(later.steps[-1].tray, ())
        opened = [s.key for s in later.steps if s.kind is StepKind.OPEN]
        self.assertFalse(set(opened) & set(begun.opened))
        fitted = [a.place for step in later.steps for a in step.actions]
        self.assertEqual(sorted(fitted), sorted(a.place for a in left))


class Paces(unittest.TestCase):
    def test_the_plan_and_the_order_take_the_same_recorded_times(self):
        pace = Pace(
            steps={
                "pack_unplug": StepPace(factor=2.0, spread=0.2, times=9),
                "at:m1": StepPace(factor=0.5, spread=0.2, times=9),
                "base_off:back": StepPace(factor=1.5, spread=0.2, times=9),
                "check": StepPace(factor=1.2, spread=0.2, times=9),
            }
        )
        actions = (fit("m1"), fit("p1", "pack-of-47"))
        work = plan_work(FOLIO, folio(), actions, KINDS, Policy(), pace=pace)
        reckon = RouteMinutes(paced(FOLIO, pace), Policy())
        self.assertAlmostEqual(work.minutes, reckon.of(folio(), actions), places=1)
        plain = plan_work(FOLIO, folio(), actions, KINDS, Policy())
        self.assertNotAlmostEqual(work.minutes, plain.minutes, places=1)
        self.assertEqual(
            [s.sheet_minutes for s in work.steps], [s.sheet_minutes for s in plain.steps]
        )
        self.assertEqual(work.times, 9 * 4)


class Gaps(unittest.TestCase):
    def changed(self, **route) -> ModelSheet:
        document = FOLIO.model_dump()
        document["route"] |= route
        return ModelSheet.model_validate(document)

    def sentences(self, sheet: ModelSheet) -> str:
        return " ".join(gap.sentence for gap in route_gaps(sheet))

    def test_a_place_nobody_can_reach(self):
        sheet = self.changed(
            reaches=[r.model_dump() for r in FOLIO.route.reaches if r.place != "m1"]
        )
        self.assertIn("Nothing says how Slot 1 is reached", self.sentences(sheet))

    def test_screws_that_never_return(self):
        steps = [s.model_dump() for s in FOLIO.route.steps]
        for step in steps:
            if step["key"] == "pack_out":
                step["minutes_back"] = 0
        self.assertIn(
            "4 screws of “Take the pack out” never return",
            self.sentences(self.changed(steps=steps)),
        )

    def test_a_step_that_leads_to_nothing_and_a_route_that_isolates_nothing(self):
        steps = [s.model_dump() for s in FOLIO.route.steps]
        steps.append(steps[0] | {"key": "dance", "title": "Dance", "after": []})
        for step in steps:
            step["isolates"] = False
        said = self.sentences(self.changed(steps=steps))
        self.assertIn("“Dance” leads to nothing", said)
        self.assertIn("No step isolates the board", said)

    def test_a_board_that_would_leave_something_behind(self):
        document = HALYARD.model_dump()
        for reach in document["route"]["reaches"]:
            if reach["place"] == BOARD:
                reach["hands_over"] = [h for h in reach["hands_over"] if h["place"] != "d1"]
        sheet = ModelSheet.model_validate(document)
        self.assertIn("would stay on the old board", self.sentences(sheet))

    def test_steps_that_wait_for_each_other(self):
        steps = [s.model_dump() for s in FOLIO.route.steps]
        steps[0]["after"] = ["base_off"]
        (gap,) = circles(self.changed(steps=steps).route)
        self.assertIn("in a circle", gap.sentence)


class Rest(unittest.TestCase):
    def test_what_is_taken_out_is_off_its_stream_and_streams_with_nothing_are_left_out(self):
        before = {w.stream: w.grams for w in FOLIO.weights}
        module = KINDS["sodimm-ddr4-8"]
        left = {w.stream: w.grams for w in remains_of(FOLIO, folio(), [module])}
        self.assertEqual(before[module.stream] - left[module.stream], module.grams)
        empty = folio(p1="-", d1="-", d2="-")
        streams = {w.stream for w in remains_of(FOLIO, empty, [])}
        self.assertFalse(streams & {"lithium packs", "drives"})


class WayThroughTrims(unittest.TestCase):
    def test_a_part_carried_by_a_step_of_another_trim_is_reached_over_what_that_waited_for(self):
        for sheet in SHEETS.values():
            for trim in sheet.trims:
                way = Way(sheet, trim.key, Policy())
                for place in sheet.places_of(trim.key):
                    reach = way.reach(place.key)
                    if reach:
                        keys = {*reach.after, reach.carried_by} - {""}
                        self.assertLessEqual(keys, set(way.steps), f"{sheet.key} {place.key}")


class EitherWay(unittest.TestCase):
    """What can be reached two ways takes the shorter one."""

    def order(self, *places, donor=False, **entries):
        unit = stilt(**({"d2": "n256"} | entries))
        actions = tuple(
            Action(verb=Verb.TAKE_OUT, place=place, takes_out_label="it") for place in places
        )
        return plan_work(STILT, unit, actions, KINDS, Policy(), donor=donor), unit, actions

    def keys(self, *places, **more):
        return [step.key for step in self.order(*places, **more)[0].steps]

    def test_the_bracket_comes_off_for_the_drive_under_it_alone(self):
        keys = self.keys("d2")
        self.assertIn("bracket_out", keys)
        self.assertNotIn("cage_out", keys)

    def test_where_the_cage_is_out_anyway_the_bracket_stays(self):
        keys = self.keys("d1", "d2")
        self.assertIn("cage_out", keys)
        self.assertNotIn("bracket_out", keys)
        self.assertLess(keys.index("cage_out"), keys.index("at:d2"))

    def test_minutes_are_those_of_the_order_and_of_the_second_count(self):
        for places in (("d2",), ("d1", "d2"), ("d2", "speaker"), ("radio",), ("d1",)):
            for donor in (False, True):
                order, unit, actions = self.order(*places, donor=donor)
                reckoned = RouteMinutes(STILT, Policy()).of(unit, actions, donor=donor)
                self.assertAlmostEqual(order.minutes, reckoned, places=1)
                counted = Recount(STILT, unit, actions, Policy()).minutes(donor=donor)
                self.assertAlmostEqual(counted, reckoned, places=2)

    def test_a_carried_drive_is_worked_at_with_words_of_its_own(self):
        order, _, _ = self.order("d1")
        work = next(step for step in order.steps if step.key == "at:d1")
        self.assertIn("Slide the drive out of the cage", work.how)

    def test_what_holds_a_drive_down_goes_in_right_after_it(self):
        def keys(*actions: Action) -> list[str]:
            unit = stilt(d1="h500", d2="-", d2_screw="-")
            order = plan_work(STILT, unit, actions, KINDS, Policy())
            return [step.key for step in order.steps]

        drive, screw = fit("d2", "m2-sata-256-2280"), fit("d2_screw", "screw-m2x3")
        disk = Action(verb=Verb.TAKE_OUT, place="d1", takes_out_label="it")
        there = keys(drive, disk, screw)
        self.assertEqual(there.index("at:d2_screw"), there.index("at:d2") + 1)
        # A drive that stays has no part in the order; its screw goes in where it stood.
        self.assertIn("at:d2_screw", keys(disk, screw))

    def test_either_of_what_the_route_does_not_have_is_refused(self):
        document = STILT.model_dump()
        document["route"]["reaches"][2]["either"] = ["lid_off"]
        with self.assertRaisesRegex(ValueError, "lid_off, which the route does not have"):
            ModelSheet.model_validate(document)
