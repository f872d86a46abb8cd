"""What waits today, for whom, in which order; the way to the first plan."""

import unittest

from sortis_core.day.today import WHO, Doing, FirstStep, Waiting, first_steps, next_for
from sortis_core.vocabulary.states import Role


def waiting(doing, count=2, **more):
    return Waiting(doing=doing, count=count, batch="quay", name="Quay", **more)


class Next(unittest.TestCase):
    def test_each_doing_is_somebodys(self):
        self.assertEqual(set(WHO), set(Doing))
        for doing, roles in WHO.items():
            for role in Role:
                found = next_for([role], [waiting(doing)])
                self.assertEqual(bool(found), role in roles, (doing, role))

    def test_dangers_first_then_what_is_late_then_what_is_due_and_nearest_to_the_sale(self):
        told = next_for(
            list(Role),
            [
                waiting(Doing.INSPECT, days_left=3),
                waiting(Doing.RELEASE, days_left=3),
                waiting(Doing.COUNT, days_left=-2),
                waiting(Doing.TRY),
                waiting(Doing.DANGER, count=1, about="TW-0001"),
                waiting(Doing.FIT, count=0, days_left=-9),
            ],
        )
        self.assertEqual(
            [one.doing for one in told],
            [Doing.DANGER, Doing.COUNT, Doing.RELEASE, Doing.INSPECT, Doing.TRY],
        )
        self.assertEqual([one.late for one in told], [False, True, False, False, False])
        self.assertEqual(told[0].sentence, "Say where the danger of TW-0001 went")
        self.assertEqual(told[1].beside, "Quay, 2 days late")

    def test_one_and_many_are_said_as_people_say_them(self):
        for doing in Doing:
            for count in (1, 7):
                (told,) = next_for(list(Role), [waiting(doing, count=count, about="TW-1")])
                self.assertNotIn("1 unit", told.sentence)
                self.assertTrue(told.sentence[0].isupper())
        for days, words in ((-1, "a day late"), (0, "due today"), (1, "due tomorrow")):
            (told,) = next_for([Role.TECHNICIAN], [waiting(Doing.FIT, days_left=days)])
            self.assertIn(words, told.beside)

    def test_a_long_list_is_cut(self):
        self.assertEqual(len(next_for(list(Role), [waiting(Doing.FIT)] * 50)), 8)


class FirstSteps(unittest.TestCase):
    def test_each_line_is_done_by_doing_it_and_the_list_goes_away(self):
        done: set[FirstStep] = set()
        for step in FirstStep:
            lines = first_steps(done)
            self.assertEqual({one.step for one in lines if one.done}, done)
            done.add(step)
        self.assertEqual(first_steps(done), ())
