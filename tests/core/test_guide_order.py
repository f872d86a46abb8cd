"""What each step of the way in waits for follows from the order, not from when it was picked."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.guide.order import in_turn, still
from tests.examples import few

KEYS = "abcdefg"


def chain(keys):
    """Each waits for the one before it."""
    return {key: (keys[at - 1],) if at else () for at, key in enumerate(keys)}


def all_of(waits):
    """Of each step all that it waits for, through others, too."""
    found = {}
    for key in waits:
        ahead, met = list(waits[key]), set()
        while ahead:
            one = ahead.pop()
            if one not in met:
                met.add(one)
                ahead += waits[one]
        found[key] = met
    return found


class InTurn(unittest.TestCase):
    @few(200)
    @given(st.permutations(KEYS), st.data())
    def test_a_way_is_the_same_whatever_was_picked_first(self, order, data):
        """Steps put in one by one, anywhere, wait as if all had been picked in turn."""
        waits = {}
        there = []
        for key in data.draw(st.permutations(order)):
            there = [one for one in order if one in there or one == key]
            waits = in_turn(there, waits)
        self.assertEqual(waits, chain(order))

    @few(200)
    @given(st.permutations(KEYS), st.permutations(KEYS))
    def test_steps_that_change_places_wait_the_other_way_round(self, order, other):
        moved, waits = list(order), chain(order)
        # One place at a time, as the two keys of a step move it.
        for at, key in enumerate(other):
            while moved.index(key) > at:
                here = moved.index(key)
                moved[here - 1], moved[here] = moved[here], moved[here - 1]
                waits = in_turn(moved, waits)
        self.assertEqual(all_of(waits), all_of(chain(other)))

    @few(200)
    @given(st.data())
    def test_what_stays_as_it_stood_waits_as_it_did(self, data):
        waits = {
            key: tuple(data.draw(st.lists(st.sampled_from(KEYS[:at]), unique=True)) if at else ())
            for at, key in enumerate(KEYS)
        }
        self.assertEqual(in_turn(KEYS, waits), waits)
        left = [key for key in KEYS if data.draw(st.integers(0, 2))]
        now, was = all_of(in_turn(left, waits)), all_of(waits)
        for key in left:
            self.assertEqual(now[key], was[key] & set(left))

    @few(200)
    @given(st.permutations(KEYS), st.data())
    def test_nothing_ever_waits_for_what_comes_later(self, order, data):
        waits = {
            key: tuple(data.draw(st.lists(st.sampled_from(KEYS[:at]), unique=True)) if at else ())
            for at, key in enumerate(KEYS)
        }
        left = [key for key in order if data.draw(st.integers(0, 3))]
        for key, after in in_turn([*left, "new"], waits).items():
            place = [*left, "new"].index(key)
            self.assertLessEqual(set(after), set([*left, "new"][:place]))

    def test_of_two_ways_that_part_only_the_one_that_is_met_is_joined(self):
        parted = {"cover": (), "drive": ("cover",), "pack": ("cover",), "board": ("drive", "pack")}
        now = in_turn(["cover", "shield", "drive", "pack", "board"], parted)
        self.assertEqual(
            now,
            {
                "cover": (),
                "shield": ("cover",),
                "drive": ("shield",),
                "pack": ("cover",),
                "board": ("drive", "pack"),
            },
        )

    def test_a_sheet_that_names_a_step_before_what_it_waits_for_stays_so(self):
        odd = {"b": ("a",), "a": ()}
        self.assertEqual(in_turn(["b", "a"], odd), odd)

    def test_what_was_left_out_is_waited_for_through_what_it_waited_for(self):
        waits = chain("abc")
        self.assertEqual(still(("c",), "a", waits), ("a",))
        self.assertEqual(still(("c", "a"), "ac", waits), ("c", "a"))
        self.assertEqual(still(("x",), "a", waits), ())
        self.assertEqual(still(("b",), "", {"b": ("c",), "c": ("b",)}), ())
