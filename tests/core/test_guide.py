"""The questions that matter first: their answers make a sheet; what they do not touch stays."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.assess import assess
from sortis_core.guide.answers import (
    OUTSIDE,
    PackAnswer,
    SheetAnswers,
    SocketAnswer,
    StepAnswer,
    answered,
    asks,
)
from sortis_core.guide.usual import STEPS, SocketKind, socket
from sortis_core.intake.entry import read_entries
from sortis_core.policy import Policy
from sortis_core.route.check import route_gaps
from sortis_core.route.graph import Depth
from sortis_core.sheets import Connector, FactSource, MachineForm
from sortis_core.sheetwork import only_named, sheet_faults, what_changed
from tests.core.sample import FOLIO, KINDS, SHEETS, STANDARDS
from tests.examples import few


def changed(sheet, **answers):
    told = asks(sheet).answers.model_copy(update=answers)
    return answered(sheet, SheetAnswers.model_validate(told.model_dump()), KINDS)


def faults(sheet):
    return sheet_faults(sheet.model_dump(mode="json"))


class Untouched(unittest.TestCase):
    def test_answers_that_change_nothing_change_nothing(self):
        for sheet in SHEETS.values():
            self.assertEqual(what_changed(sheet, changed(sheet)), (), sheet.key)

    def test_one_answer_touches_one_thing(self):
        said = what_changed(FOLIO, changed(FOLIO, most_gb=64))
        self.assertEqual([c.where for c in said], ["memory › stated › gb"])
        one = asks(FOLIO).answers.sockets[0].model_copy(update={"limit_gb": 4000})
        rest = asks(FOLIO).answers.sockets[1:]
        said = what_changed(FOLIO, changed(FOLIO, sockets=(one, *rest)))
        self.assertEqual(
            [c.where for c in said], ["drives › d1 › limit_gb", "drives › d1 › source"]
        )

    def test_a_socket_is_offered_as_most_models_have_it(self):
        """An eMMC takes 128 GB and no standoff; an M.2 socket is 80 mm long unless it is said."""
        offered = {one.kind: one for one in asks(FOLIO).sockets}
        self.assertEqual(set(offered), set(SocketKind))
        for kind, one in offered.items():
            self.assertLessEqual(set(one.usual_mm), set(one.lengths_mm), kind)
            new = SocketAnswer(key="d9", kind=kind, lengths_mm=one.usual_mm, limit_gb=one.limit_gb)
            made = changed(FOLIO, sockets=(*asks(FOLIO).answers.sockets, new))
            self.assertEqual(faults(made), (), kind)
            self.assertEqual(made.drives[-1], socket(kind, "d9", kind.label))
        self.assertEqual(
            (offered[SocketKind.EMMC].limit_gb, offered[SocketKind.EMMC].lengths_mm), (128, ())
        )
        self.assertEqual(offered[SocketKind.NVME].usual_mm, (2280,))

    @few(12)
    @given(st.sampled_from(sorted(SHEETS)), st.data())
    def test_whatever_is_taken_out_of_the_way_in_the_sheet_holds(self, key, data):
        sheet = SHEETS[key]
        steps = asks(sheet).answers.steps
        left = tuple(step for step in steps if data.draw(st.integers(0, 3)))
        without = changed(sheet, steps=left)
        self.assertEqual(faults(without), ())
        self.assertEqual([s.key for s in without.route.steps], [s.key for s in left])
        tests = asks(sheet).answers.tests[::2]
        parts = asks(sheet).answers.parts[::2]
        self.assertEqual(faults(changed(sheet, tests=tests, parts=parts, steps=left)), ())

    def test_what_waited_for_a_step_waits_for_what_that_waited_for(self):
        keys = [step.key for step in FOLIO.route.steps]
        gone = next(
            s
            for s in FOLIO.route.steps
            if s.after and any(s.key in o.after for o in FOLIO.route.steps)
        )
        waiting = next(o for o in FOLIO.route.steps if gone.key in o.after)
        left = tuple(
            StepAnswer.model_validate(a) for a in asks(FOLIO).answers.steps if a.key != gone.key
        )
        without = changed(FOLIO, steps=left)
        self.assertEqual(len(without.route.steps), len(keys) - 1)
        now = next(o for o in without.route.steps if o.key == waiting.key)
        self.assertLessEqual(set(gone.after), set(now.after))


class FromNothing(unittest.TestCase):
    """A laptop that nobody knows, answered in a few minutes."""

    def sheet(self):
        blank = only_named("Tolva", "Odd 13")
        steps = ["power_off", "tray_out", "cover_screws", "cover_off", "pack_unplug", "shield_off"]
        told = {step.key: step.title for step in asks(blank).steps}
        self.assertLessEqual(set(steps), set(told))
        first = changed(
            blank,
            soldered_gb=(8,),
            slots=1,
            slot_gb=16,
            most_gb=24,
            sockets=(
                SocketAnswer(key="d1", kind=SocketKind.NVME, lengths_mm=(2242,), limit_gb=1000),
                SocketAnswer(key="d2", kind=SocketKind.BAY, limit_gb=2000),
            ),
            packs=(PackAnswer(key="p1", external=False, design_wh=43.7, volts=11.25),),
            parts=("coin-cell", "feet-small", "no-such-kind"),
            tests=("starts", "screen", "keyboard", "fan"),
            steps=tuple(
                StepAnswer(key=key, screws=9 if key == "cover_screws" else 0, drive="", length_mm=6)
                for key in steps
            ),
        )
        places = [place.key for place in asks(first).places]
        self.assertEqual(places, ["m1", "d1", "d2", "p1", "coin_cell", "feet_small"])
        reached = dict.fromkeys(places, "pack_unplug") | {"feet_small": OUTSIDE, "d1": "shield_off"}
        return changed(first, reached=reached)

    def test_it_is_a_sheet_that_units_are_inspected_by_and_opened_by(self):
        sheet = self.sheet()
        self.assertEqual(faults(sheet), ())
        self.assertEqual(route_gaps(sheet), ())
        (slot,) = sheet.memory.slots
        self.assertEqual((slot.limit_gb, slot.channel), (16, "B"))
        self.assertEqual(sheet.packs[0].variants[0].cells, 3)
        self.assertEqual(sheet.drives[0].source, FactSource.GUESS)
        self.assertEqual([part.kind for part in sheet.parts], ["coin-cell", "feet-small"])
        screws = next(s for s in sheet.route.steps if s.key == "cover_screws").screws
        self.assertEqual([(s.count, s.drive) for s in screws], [(9, "cross-head PH1")])
        self.assertEqual(sheet.route.reach("d1").after, ("shield_off",))
        findings, refusals = read_entries(sheet, "std", {"*": "+", "m1": "8", "grade": "b"})
        self.assertEqual(refusals, {})
        assess(sheet, findings, STANDARDS, Policy())

    def test_steps_wait_for_the_one_before(self):
        steps = self.sheet().route.steps
        for one, after in zip(steps[1:], steps, strict=False):
            self.assertEqual(one.after, (after.key,))

    def test_how_many_screws_is_asked_until_somebody_said(self):
        offered = {step.key: step.screws for step in asks(self.sheet()).steps}
        self.assertEqual((offered["shield_off"], offered["cover_off"]), (True, False))

    def test_asked_again_it_answers_the_same(self):
        sheet = self.sheet()
        self.assertEqual(what_changed(sheet, changed(sheet)), ())

    def test_another_kind_of_socket_is_another_place(self):
        sheet = self.sheet()
        one = asks(sheet).answers.sockets[0].model_copy(update={"kind": SocketKind.MSATA})
        other = changed(sheet, sockets=(one,))
        self.assertEqual(
            [(d.key, d.connector, d.lengths_mm) for d in other.drives],
            [("d1", Connector.MSATA, ())],
        )
        self.assertIsNone(other.route.reach("d2"))
        self.assertEqual(faults(other), ())


class WhatThereIsToPick(unittest.TestCase):
    def test_a_mini_pc_is_offered_no_pack_and_every_step_once(self):
        box = only_named("Tolva", "Box").model_copy(update={"form": MachineForm.MINI_PC})
        offered = [step.key for step in asks(box).steps]
        self.assertNotIn("pack_unplug", offered)
        self.assertIn("panel_off", offered)
        for sheet in SHEETS.values():
            keys = [step.key for step in asks(sheet).steps]
            self.assertEqual(len(set(keys)), len(keys), sheet.key)

    def test_steps_stand_in_the_order_of_the_work(self):
        depths = list(Depth)
        places = [depths.index(one.step.depth) for one in STEPS]
        self.assertEqual(places, sorted(places))
