import unittest
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sortis_core.story import Chapter, StoryKind, chapters, what_changed
from sortis_core.strip import draw_strip
from tests.core.sample import FOLIO, STANDARDS, folio


class WhatChanged(unittest.TestCase):
    def between(self, before, after):
        strips = [draw_strip(FOLIO, unit, STANDARDS) if unit else None for unit in (before, after)]
        return [(one.place, one.was, one.now) for one in what_changed(*strips)]

    def test_the_first_look_changes_nothing(self):
        self.assertEqual(self.between(None, folio()), [])

    def test_only_what_differs_in_words(self):
        self.assertEqual(self.between(folio(), folio()), [])
        self.assertEqual(self.between(folio(m1="-"), folio(m1="8")), [("m1", "empty", "8 GB DDR4")])
        changed = self.between(folio(), folio(screen="p dim", p1="20/46 90c"))
        self.assertEqual([place for place, _, _ in changed], ["p1", "screen"])

    def test_a_place_that_one_of_them_has_not(self):
        changed = self.between(folio("flash"), folio("lite"))
        self.assertIn(("heat_sink", "there", ""), changed)


@dataclass
class Event:
    kind: StoryKind
    at: datetime


class Chapters(unittest.TestCase):
    def told(self, *events: tuple[StoryKind, float]):
        """(chapter, events in it, minutes waited) of events at hours of one morning."""
        began = datetime(2026, 11, 2, 8, tzinfo=UTC)
        found = chapters([Event(kind, began + timedelta(hours=at)) for kind, at in events])
        return [(one.chapter, one.count, one.waited_minutes) for one in found]

    def test_what_follows_at_one_stage_is_one_chapter(self):
        self.assertEqual(
            self.told(
                (StoryKind.ANNOUNCED, 0),
                (StoryKind.COUNTED, 0.5),
                (StoryKind.LOOKED, 1),
                (StoryKind.READ, 1.1),
                (StoryKind.DECIDED, 3),
                (StoryKind.PART, 4),
                (StoryKind.BENCH, 4.5),
                (StoryKind.SIGNED, 5),
                (StoryKind.RELEASED, 5),
                (StoryKind.SALE, 6),
            ),
            [
                (Chapter.ARRIVE, 2, 0),
                (Chapter.INSPECT, 2, 30),
                (Chapter.DECIDE, 1, 114),
                (Chapter.FIT, 2, 60),
                (Chapter.RELEASE, 2, 30),
                (Chapter.SALE, 1, 60),
            ],
        )

    def test_a_look_after_the_work_is_its_check_and_before_it_is_none(self):
        after = self.told((StoryKind.PART, 0), (StoryKind.LOOKED, 0.1), (StoryKind.LOOKED, 0.2))
        self.assertEqual(after[1:], [(Chapter.CHECK, 2, 6)])
        again = self.told((StoryKind.DECIDED, 0), (StoryKind.LOOKED, 1))
        self.assertEqual(again[1][0], Chapter.INSPECT)

    def test_what_may_happen_anywhere_stays_where_the_story_is(self):
        for kind in (StoryKind.PICTURE, StoryKind.DANGER, StoryKind.SAFE, StoryKind.TAKEN_BACK):
            self.assertEqual(
                self.told((StoryKind.BENCH, 0), (kind, 1)), [(Chapter.FIT, 2, 0)], kind
            )

    def test_a_long_wait_begins_another(self):
        told = self.told((StoryKind.LOOKED, 0), (StoryKind.LOOKED, 3.9), (StoryKind.LOOKED, 8))
        self.assertEqual(told, [(Chapter.INSPECT, 2, 0), (Chapter.INSPECT, 1, 246)])

    def test_every_kind_has_a_chapter(self):
        for kind in StoryKind:
            self.assertEqual(len(self.told((kind, 0))), 1)
