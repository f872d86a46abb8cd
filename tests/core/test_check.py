"""What was fitted, confirmed by the machine: each difference one question."""

import unittest
from datetime import UTC, datetime, timedelta

from sortis_core.check import (
    CheckState,
    CheckStep,
    NotAsOrdered,
    check,
    looked_at_again,
    require_as_ordered,
)
from sortis_core.findings import Origin, OriginKind
from sortis_core.intake.readout import ReadOut, read_bundle
from standins.probe import Probe
from tests.core.sample import FOLIO, SHEETS, folio, found

SERIAL = "FX2472998"
SEATED = CheckStep(number=8, title="Module into Slot 1", how="Until both click.", places=("m1",))


def checked(ordered, there=None, serial=SERIAL, steps=(SEATED,)):
    """``ordered`` checked against a machine that holds ``there``."""
    bundle = Probe(FOLIO, there or ordered, serial, seed=3).bundle()
    return check(FOLIO, ordered, read_bundle(bundle), SERIAL, steps)


class Checks(unittest.TestCase):
    def question(self, ordered, there):
        (one,) = checked(ordered, there).questions
        return one

    def test_what_is_as_ordered_asks_nothing(self):
        found = checked(folio(m1="8", d1="n256", p1="40/46 90c"))
        self.assertEqual((found.questions, found.doubts), ((), ()))
        self.assertEqual(found.as_ordered, found.asked)
        self.assertGreaterEqual(found.asked, 4)
        require_as_ordered(found)
        require_as_ordered(None)

    def test_radio_fan_and_clock_are_confirmed_where_they_were_seen_working(self):
        now = datetime(2026, 11, 27, 12, 0, tzinfo=UTC)
        sheet = SHEETS["kestrin-plinth-15"]
        good = found(sheet, **{"*": "+"})
        self.assertLessEqual({"radio", "fan", "clock"}, {test.key for test in sheet.tests})

        def said(there, taken=now):
            bundle = Probe(sheet, there, SERIAL, seed=3, now=now).bundle()
            answer = check(sheet, good, read_bundle(bundle), SERIAL, at=taken)
            return {one.place: one for one in answer.places}, answer.questions

        places, questions = said(good)
        self.assertEqual(questions, ())
        for test, words in (("radio", "1 wireless"), ("fan", "turns"), ("clock", "27 Nov 2026")):
            self.assertIs(places[test].state, CheckState.AS_ORDERED)
            self.assertIn(words, places[test].seen)
        _, questions = said(found(sheet, **{"*": "+", "radio": "x", "fan": "x", "clock": "x"}))
        self.assertEqual({q.place for q in questions}, {"radio", "fan", "clock"})
        told = {q.place: f"{q.question} {q.fact} {q.likely}" for q in questions}
        self.assertIn("both leads", told["radio"])
        self.assertIn("0 turns a minute at 88 °C", told["fan"])
        self.assertIn("coin cell", told["clock"])
        # A file that lay a day is no lost clock; without a moment nothing is said of it.
        self.assertEqual(said(good, now + timedelta(days=1))[1], ())
        self.assertNotIn("clock", said(good, None)[0])

    def test_what_was_not_seen_working_or_what_rests_is_no_question(self):
        sheet = SHEETS["kestrin-plinth-15"]
        good = found(sheet, **{"*": "+"})
        cool = ReadOut(radios=None, fans_rpm=(0,), hottest_celsius=41)
        self.assertEqual(check(sheet, good, cool, SERIAL).asked, 0)
        hot = cool.model_copy(update={"hottest_celsius": 60.0})
        self.assertEqual(len(check(sheet, good, hot, SERIAL).questions), 1)
        unknown = found(sheet, fan="?")
        self.assertEqual(check(sheet, unknown, hot, SERIAL).asked, 0)

    def test_a_module_that_is_not_seen_leads_to_its_step(self):
        one = self.question(folio(m1="8", d1="n256"), folio(m1="-", d1="n256"))
        self.assertEqual(one.place, "m1")
        self.assertIn("Slot 1 seated?", one.question)
        self.assertIn("GB.", one.fact)
        self.assertEqual(one.step, SEATED)
        self.assertIn("both sides clicked", one.likely)

    def test_another_module_drive_or_pack_is_told_apart_from_none(self):
        for ordered, there, words in (
            (folio(m1="8"), folio(m1="16"), "right module"),
            (folio(d1="n256"), folio(d1="n512"), "right drive"),
            (folio(d1="n256"), folio(d1="-"), "pushed home"),
            (folio(d2="h500"), folio(d2="-"), "pushed home"),
            (folio(p1="40/46 90c"), folio(p1="20/46 90c"), "pack that was ordered"),
            (folio(p1="40/46 90c"), folio(p1="-"), "plug of"),
        ):
            self.assertIn(words, self.question(ordered, there).question)

    def test_a_drive_in_a_bay_asks_for_its_cable(self):
        bay = self.question(folio(d2="h500"), folio(d2="-"))
        card = self.question(folio(d1="n256"), folio(d1="-"))
        self.assertIn("cable", bay.likely)
        self.assertIn("screw", card.likely)
        self.assertIsNone(card.step)

    def test_what_nobody_ordered_or_the_machine_does_not_say_is_no_difference(self):
        found = checked(folio(p1="?"))
        states = {one.place: one.state for one in found.places}
        self.assertEqual(states.get("p1", CheckState.NOT_SAID), CheckState.NOT_SAID)
        self.assertEqual(found.questions, ())

    def test_a_read_out_of_another_unit_is_a_doubt(self):
        found = checked(folio(m1="8"), serial="OTHER-77")
        self.assertTrue(any("another unit" in doubt for doubt in found.doubts))
        with self.assertRaisesRegex(NotAsOrdered, "of another unit"):
            require_as_ordered(found)

    def test_an_open_question_holds_the_release(self):
        found = checked(folio(m1="8", d1="n256"), folio(m1="-", d1="-"))
        with self.assertRaisesRegex(NotAsOrdered, "And 1 more.*back to inspection"):
            require_as_ordered(found)

    def test_what_is_looked_at_again_is_unknown_and_the_rest_stays(self):
        unit = folio(m1="8", d1="n256", p1="40/46 90c", camera="+")
        again = looked_at_again(unit, ("m1", "camera"))
        self.assertNotIn("m1", again.modules)
        self.assertNotIn("camera", again.tests)
        self.assertEqual((again.drives, again.packs), (unit.drives, unit.packs))
        self.assertEqual(looked_at_again(unit, ()), unit)

    def test_where_it_came_from_is_not_known_either(self):
        fitted = Origin(kind=OriginKind.FITTED, lot=3)
        unit = folio(d1="n256").model_copy(update={"origins": {"d1": fitted, "m1": fitted}})
        self.assertEqual(looked_at_again(unit, ("d1",)).origins, {"m1": fitted})
