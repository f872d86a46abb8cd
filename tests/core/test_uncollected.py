"""What a plan makes is not walked by the collector, neither meanwhile nor at the end."""

import gc
import unittest
import weakref
from unittest.mock import patch

from sortis_core.plan import uncollected as module
from sortis_core.plan.uncollected import uncollected


class Circle:
    """Something that only the collector frees."""

    def __init__(self) -> None:
        self.itself = self


class Collector(unittest.TestCase):
    def setUp(self) -> None:
        self.passes = []
        gc.collect()
        gc.callbacks.append(self.note)
        self.addCleanup(gc.callbacks.remove, self.note)

    def note(self, phase, info) -> None:
        self.passes.append((phase, info["generation"]))

    def test_what_was_made_is_not_walked(self):
        with patch.object(module, "MUCH", 40_000), uncollected():
            kept = [[n] for n in range(50_000)]
            self.assertFalse(gc.isenabled())
        self.assertTrue(gc.isenabled())
        some = [[n] for n in range(gc.get_threshold()[0] // 2)]
        self.assertEqual(self.passes, [])
        self.assertEqual((len(kept), len(some)), (50_000, gc.get_threshold()[0] // 2))

    def test_circles_among_much_are_freed_later(self):
        with patch.object(module, "MUCH", 0), uncollected():
            gone = weakref.ref(Circle())
        self.assertIsNotNone(gone())
        gc.collect()
        self.assertIsNone(gone())

    def test_circles_among_little_are_freed_at_the_next_chance(self):
        with uncollected():
            gone = weakref.ref(Circle())
            kept = [[n] for n in range(2_000)]
        kept += [[n] for n in range(10)]
        self.assertIsNone(gone())

    def test_what_somebody_keeps_from_the_collector_stays_so(self):
        gc.freeze()
        self.addCleanup(gc.unfreeze)
        frozen = gc.get_freeze_count()
        with patch.object(module, "MUCH", 0), uncollected():
            pass
        self.assertEqual(gc.get_freeze_count(), frozen)

    def test_it_goes_on_only_after_the_last_who_works(self):
        with uncollected():
            with uncollected():
                pass
            self.assertFalse(gc.isenabled())
        self.assertTrue(gc.isenabled())

    def test_a_collector_that_was_off_stays_off(self):
        gc.disable()
        self.addCleanup(gc.enable)
        with uncollected():
            pass
        self.assertFalse(gc.isenabled())
