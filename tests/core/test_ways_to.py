"""The way to each place of a sheet, as it is drawn."""

import unittest

from sortis_core.policy import Policy
from sortis_core.route.ways_to import ways_to
from tests.core.sample import FOLIO, SHEETS

POLICY = Policy()


class EveryShape(unittest.TestCase):
    def test_every_place_has_a_way_that_obeys_what_comes_first(self):
        for sheet in SHEETS.values():
            steps = {step.key: step for step in sheet.route.steps}
            for trim in sheet.trims:
                found = ways_to(sheet, trim.key, POLICY)
                self.assertEqual(
                    [way.place for way in found], [reach.place for reach in sheet.route.reaches]
                )
                for way in found:
                    for number, key in enumerate(way.steps):
                        before = set(way.steps[:number])
                        waits = set(steps[key].after) & set(way.steps)
                        self.assertLessEqual(waits, before, (sheet.key, way.place, key))

    def test_the_pack_is_unplugged_before_anything_inside_is_reached(self):
        isolating = {step.key for step in FOLIO.route.steps if step.isolates}
        for way in ways_to(FOLIO, "disk", POLICY):
            cover = {step.key for step in FOLIO.route.steps if step.depth == "cover"}
            if cover & set(way.steps):
                self.assertTrue(isolating & set(way.steps), way.place)


class Minutes(unittest.TestCase):
    def test_down_and_back_are_those_of_the_steps_and_of_the_part(self):
        steps = {step.key: step for step in FOLIO.route.steps}
        way = next(one for one in ways_to(FOLIO, "flash", POLICY) if one.place == "m1")
        reach = FOLIO.route.reach("m1")
        down = sum(steps[key].minutes_out for key in way.steps) + reach.minutes_out
        back = sum(steps[key].minutes_back for key in way.steps) + reach.minutes_in
        self.assertAlmostEqual(way.minutes_in, down)
        self.assertAlmostEqual(way.minutes_back, back)
        loosened = [one for key in way.steps for one in steps[key].screws]
        self.assertEqual(way.screws, (*loosened, *reach.screws))
