"""What keeps a unit in a stage and what sends it on."""

import unittest

from sortis_core.assess import assess
from sortis_core.options import OutcomeKind
from sortis_core.policy import Policy
from sortis_core.stages import Stage, after_decision, after_inspection, after_work, moved_on
from tests.core.sample import FOLIO, STANDARDS, STILT, folio, stilt


class Stages(unittest.TestCase):
    def after(self, findings, enough=False):
        assessment = assess(STILT, findings, STANDARDS, Policy())
        return after_inspection(assessment, enough=enough)

    def test_nothing_unknown_goes_on(self):
        self.assertIs(self.after(stilt()), Stage.DECIDE)

    def test_something_unknown_stays_unless_it_is_enough(self):
        self.assertIs(self.after(stilt(fan="?")), Stage.INSPECT)
        self.assertIs(self.after(stilt(fan="?"), enough=True), Stage.DECIDE)

    def test_a_hazard_stays_whatever_anybody_says(self):
        assessment = assess(FOLIO, folio(p1="!"), STANDARDS, Policy())
        self.assertIs(after_inspection(assessment, enough=True), Stage.INSPECT)

    def test_every_outcome_leads_somewhere(self):
        self.assertEqual(
            [after_decision(kind) for kind in OutcomeKind],
            [Stage.RELEASE, Stage.FIT, Stage.DECIDE, Stage.FIT, Stage.RECYCLED],
        )
        self.assertIs(after_work(OutcomeKind.DONOR), Stage.PARTED)
        self.assertIs(after_work(OutcomeKind.FIT), Stage.RELEASE)

    def test_where_a_unit_is_by_now_is_told_where_its_plan_has_it_elsewhere(self):
        def now(outcome, stage, *, approved=True, danger=False, done=None):
            return moved_on(outcome, stage, approved=approved, danger=danger, done=done, steps=9)

        for outcome in OutcomeKind:
            self.assertEqual(now(outcome, after_decision(outcome)), "")
            self.assertEqual(now(outcome, Stage.DECIDE, approved=False), "")
            self.assertEqual(now(outcome, Stage.INSPECT, danger=True), "a danger stops it")
            self.assertEqual(now(outcome, Stage.INSPECT), "back at Inspect")
            # Whatever the stage, a unit that is elsewhere is never silent.
            for stage in Stage:
                elsewhere = stage is not after_decision(outcome)
                self.assertEqual(bool(now(outcome, stage)), elsewhere, (outcome, stage))
        self.assertEqual(now(OutcomeKind.FIT, Stage.FIT, done=3), "at the bench, 3 of 9 steps done")
        self.assertEqual(now(OutcomeKind.FIT, Stage.RELEASE), "fitted, at its last check")
        self.assertEqual(now(OutcomeKind.HOLD, Stage.RELEASE), "at its last check")
        self.assertEqual(now(OutcomeKind.FIT, Stage.DECIDE), "waits for the next plan")
        self.assertEqual(now(OutcomeKind.DONOR, Stage.PARTED), "parted out")
