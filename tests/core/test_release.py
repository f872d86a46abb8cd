import unittest

from sortis_core.actions import Action, after_actions
from sortis_core.findings import Origin, OriginKind, carry_origins
from sortis_core.gates.proof import Signature
from sortis_core.gates.sanitised import drives_with_data
from sortis_core.policy import Policy
from sortis_core.release import (
    NotReleasable,
    NotSignable,
    label_lines,
    release_gates,
    require_all,
    signature_words,
)
from tests.core.sample import CLASS, DESK, FIELD, FOLIO, KINDS, SHEETS, STILT, folio, found, stilt

SEEN = Signature(by="Ines", at="2026-11-24T10:00:00Z", words="inspection 1")
LENA = Signature(by="Lena", at="2026-11-24T12:00:00Z", words="seen", about=SEEN.words)
FOUND_SSD = "d1 SATA 256 GB"
WIPED = LENA.model_copy(update={"words": "overwritten once", "about": FOUND_SSD})
CLOSING = {f"closing: {check}": LENA for check in ("clock_set", "closed_flush", "cleaned")}


def gates(standard, now, signed=None, sheet=STILT):
    found = release_gates(sheet, standard, now, SEEN, signed or {}, Policy())
    return {gate.gate: gate for gate in found}


def with_new_drive(findings, kind="sata-256-bay", place="d1"):
    return after_actions(STILT, findings, (Action(verb="fit", place=place, kind=kind),), KINDS)


class Data(unittest.TestCase):
    def test_a_drive_that_came_with_the_unit_needs_its_record(self):
        standing = gates(DESK, stilt(), CLOSING)
        self.assertFalse(standing["sanitised"].met)
        with self.assertRaisesRegex(NotReleasable, "sanitised"):
            require_all(tuple(standing.values()))

    def test_a_drive_fitted_from_stock_held_nobodys_data(self):
        standing = gates(DESK, with_new_drive(stilt(d1="h500")), CLOSING)
        self.assertTrue(standing["sanitised"].met)
        require_all(tuple(standing.values()))

    def test_looking_again_does_not_make_a_found_drive_a_new_one(self):
        """The same drive with its wear, its length, or read as another size: still found."""
        for entry in ("s256 91%", "s256", "s512", "h500"):
            again = carry_origins(stilt(), stilt(d1=entry))
            self.assertEqual(drives_with_data(again), ("d1",), entry)
        socket = {"d1": "-", "d2": "n256"}
        for entry in ("n256 2280", "n256 2280 80%"):
            again = carry_origins(stilt(**socket), stilt(**(socket | {"d2": entry})))
            self.assertEqual(drives_with_data(again), ("d2",), entry)

    def test_a_fitted_drive_stays_fitted_when_it_is_looked_at_again(self):
        fitted = with_new_drive(stilt(d1="h500"))
        for entry in ("s256", "s256 100%", "?"):
            again = carry_origins(fitted, stilt(d1=entry))
            self.assertEqual(drives_with_data(again), (), entry)

    def test_another_drive_in_its_place_was_found_there(self):
        fitted = with_new_drive(stilt(d1="h500"))
        for entry in ("s512", "h500"):
            self.assertEqual(drives_with_data(carry_origins(fitted, stilt(d1=entry))), ("d1",))
        gone = carry_origins(fitted, stilt(d1="-"))
        self.assertEqual(drives_with_data(carry_origins(gone, stilt(d1="s256"))), ("d1",))

    def test_what_nobody_looked_at_in_between_may_be_another_drive(self):
        fitted = with_new_drive(stilt(d1="h500"))
        for between in (stilt(d1="?"), stilt(d1="?").model_copy(update={"drives": {}})):
            unseen = carry_origins(fitted, between)
            for entry in ("s256", "h500"):
                again = carry_origins(unseen, stilt(d1=entry))
                self.assertEqual(drives_with_data(again), ("d1",), entry)

    def test_a_drive_out_of_another_unit_brings_its_data(self):
        origin = Origin(kind=OriginKind.MOVED, unit="TW-0402")
        fit = (Action(verb="fit", place="d1", kind="sata-256-bay"),)
        moved = after_actions(STILT, stilt(d1="-"), fit, KINDS, {"d1": origin})
        self.assertEqual(drives_with_data(moved), ("d1",))

    def test_a_drive_that_does_not_work_holds_data_all_the_same(self):
        self.assertEqual(drives_with_data(stilt(d1="x")), ("d1",))

    def test_a_socket_nobody_looked_into_may_hold_one(self):
        gate = gates(DESK, stilt(d1="?"), {"sanitised": WIPED})["sanitised"]
        self.assertFalse(gate.met or gate.signable)
        self.assertIn("not looked at", gate.asks)

    def test_soldered_storage_holds_data_too(self):
        self.assertEqual(drives_with_data(folio(d1="-", d2="-")), ())
        self.assertEqual(gates(CLASS, folio(d1="-", d2="-"), sheet=FOLIO)["sanitised"].met, True)

    def test_a_record_counts_for_the_drives_it_was_given_for(self):
        self.assertTrue(gates(DESK, stilt(), {"sanitised": WIPED})["sanitised"].met)
        other = gates(DESK, stilt(d1="s512"), {"sanitised": WIPED})["sanitised"]
        self.assertFalse(other.met)
        self.assertTrue(other.signable)

    def test_wear_read_later_does_not_ask_for_the_record_again(self):
        self.assertTrue(gates(DESK, stilt(d1="s256 91%"), {"sanitised": WIPED})["sanitised"].met)


class Gates(unittest.TestCase):
    def test_closing_checks_are_signed_by_a_person(self):
        standing = gates(DESK, stilt(), {"sanitised": WIPED})
        self.assertEqual([standing[check].met for check in CLOSING], [False] * 3)
        self.assertIn("Lena", standing["sanitised"].evidence)

    def test_what_was_seen_before_the_last_work_is_seen_again(self):
        before = {check: LENA.model_copy(update={"about": "inspection 0"}) for check in CLOSING}
        standing = gates(DESK, stilt(), before)
        self.assertEqual([standing[check].met for check in CLOSING], [False] * 3)

    def test_a_gate_that_is_short_cannot_be_signed_away(self):
        standing = gates(FIELD, stilt(m2="-"), {"memory": LENA, "sanitised": WIPED, **CLOSING})
        self.assertFalse(standing["memory"].met or standing["memory"].signable)

    def test_a_record_of_data_says_how(self):
        standing = tuple(gates(DESK, stilt()).values())
        for words in ("", "ok", " . "):
            with self.assertRaisesRegex(NotSignable, "how it was sanitised"):
                signature_words(standing, "sanitised", words)
        self.assertEqual(signature_words(standing, "sanitised", " erased "), "erased")
        self.assertEqual(signature_words(standing, "closing: cleaned", ""), "seen")

    def test_only_what_asks_for_a_signature_takes_one(self):
        standing = tuple(gates(DESK, stilt(), {"sanitised": WIPED}).values())
        for gate in ("memory", "sanitised", "nonsense"):
            with self.assertRaises(NotSignable):
                signature_words(standing, gate, "erased twice")

    def test_the_label_says_what_was_seen(self):
        lines = label_lines(STILT, stilt(), FIELD, Policy())
        self.assertEqual(lines[:2], ("16 GB DDR4", "256 GB solid-state drive"))
        noted = label_lines(STILT, stilt(built_processor="d6"), FIELD, Policy())
        self.assertEqual(noted[2], "Dorrin D6")
        self.assertNotIn("Dorrin", " ".join(lines))
        self.assertEqual(lines[-1], "Field ready, grade B")

    def test_the_label_says_what_goes_beyond_the_maker_s_word(self):
        proven = found(SHEETS["kestrin-tarn-14"], m1="16", m2="16", d1="s256", d2="r", d3="-")
        lines = label_lines(SHEETS["kestrin-tarn-14"], proven, FIELD, Policy())
        self.assertEqual(lines[0], "32 GB DDR4 (maker states 16 GB)")

    def test_the_label_rounds_nothing_up(self):
        lines = label_lines(FOLIO, folio(p1="36.7816/46 90c"), CLASS, Policy())
        self.assertIn("Pack 36 Wh, 79 % healthy", lines)
