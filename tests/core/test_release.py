import unittest

from sortis_core.release import (
    NotReleasable,
    Signature,
    drives_with_data,
    label_lines,
    release_gates,
    require_all,
)
from sortis_core.standards import Policy
from tests.core.sample import DESK, FIELD, STILT, stilt

SEEN = Signature(by="Ines", at="2026-11-24T10:00:00Z", words="inspection 1")
LENA = Signature(by="Lena", at="2026-11-24T12:00:00Z", words="seen")


def gates(standard, first, now, signed=()):
    found = release_gates(
        STILT, standard, first, now, SEEN, {gate: LENA for gate in signed}, Policy()
    )
    return {gate.gate: gate for gate in found}


CLOSING = ("closing: clock set", "closing: cover closed flush", "closing: cleaned")


class Gates(unittest.TestCase):
    def test_a_drive_that_came_with_the_unit_needs_its_record(self):
        standing = gates(DESK, stilt(), stilt(), CLOSING)
        self.assertFalse(standing["sanitised"].met)
        with self.assertRaisesRegex(NotReleasable, "sanitised"):
            require_all(tuple(standing.values()))

    def test_a_new_drive_held_nobodys_data(self):
        standing = gates(DESK, stilt(d1="h500"), stilt(d1="s256"), CLOSING)
        self.assertTrue(standing["sanitised"].met)
        require_all(tuple(standing.values()))

    def test_closing_checks_are_signed_by_a_person(self):
        standing = gates(DESK, stilt(), stilt(), ("sanitised",))
        self.assertEqual([standing[c].met for c in CLOSING], [False] * 3)
        self.assertIn("Lena", standing["sanitised"].evidence)

    def test_a_gate_that_is_short_cannot_be_signed_away(self):
        standing = gates(FIELD, stilt(m2="-"), stilt(m2="-"), ("memory", "sanitised", *CLOSING))
        self.assertFalse(standing["memory"].met or standing["memory"].signable)

    def test_only_drives_still_in_it_count(self):
        self.assertEqual(drives_with_data(stilt(), stilt(d1="-")), ())
        self.assertEqual(drives_with_data(stilt(), stilt()), ("d1",))

    def test_the_label_says_what_was_seen(self):
        lines = label_lines(STILT, stilt(), FIELD, Policy())
        self.assertEqual(lines[0], "16 GB DDR4")
        self.assertIn("256 GB solid-state drive", lines)
        self.assertEqual(lines[-1], "Field ready, grade B")
