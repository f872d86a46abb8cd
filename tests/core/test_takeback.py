"""What may be taken back, and the fact against it where it may not."""

import unittest

from sortis_core.stages import Stage
from sortis_core.takeback import (
    StayedDone,
    require_signing,
    require_unbegun,
    require_unsent,
    require_unsold,
    require_untouched,
)
from sortis_core.vocabulary.states import PurchaseState


class Plans(unittest.TestCase):
    def test_until_something_began(self):
        require_unbegun(3, [], 0, [])
        for begun, sent, changed, words in (
            (["TW-1"], 0, [], "work on TW-1 has begun"),
            (["TW-1", "TW-2", "TW-3", "TW-4", "TW-5"], 0, [], "TW-3 and 2 more"),
            ([], 1, [], "ordered"),
            ([], 0, ["TW-9"], "TW-9"),
        ):
            with self.assertRaisesRegex(StayedDone, words):
                require_unbegun(3, begun, sent, changed)


class Units(unittest.TestCase):
    def test_a_signature_until_the_release_and_a_release_until_the_sale(self):
        for stage in Stage:
            if stage is Stage.RELEASE:
                require_signing("TW-1", stage)
            else:
                with self.assertRaisesRegex(StayedDone, "TW-1 is in"):
                    require_signing("TW-1", stage)
            if stage is Stage.RELEASED:
                require_unsold("TW-1", stage)
            else:
                with self.assertRaises(StayedDone):
                    require_unsold("TW-1", stage)

    def test_what_is_released_says_to_take_the_release_back_first(self):
        with self.assertRaisesRegex(StayedDone, "release back first"):
            require_signing("TW-1", Stage.RELEASED)


class Store(unittest.TestCase):
    def test_an_order_noted_by_hand_until_its_parts_are_here(self):
        for state in PurchaseState:
            if state is PurchaseState.ORDERED:
                require_unsent(state)
            else:
                with self.assertRaises(StayedDone):
                    require_unsent(state)

    def test_what_lies_as_it_was_left(self):
        require_untouched(True, "Caddy")
        with self.assertRaisesRegex(StayedDone, "Caddy: some of it was used"):
            require_untouched(False, "Caddy")
