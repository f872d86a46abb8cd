"""How much a reason or a record must say, everywhere the same."""

import unittest

from sortis_core.reasons import says_something


class Reasons(unittest.TestCase):
    def test_four_letters_or_figures_say_something_and_three_do_not(self):
        self.assertTrue(says_something("wipe"))
        self.assertFalse(says_something("wip"))

    def test_dots_and_blanks_say_nothing_in_any_script(self):
        self.assertFalse(says_something("w. i. p. ..."))
        self.assertTrue(says_something("נמחק"))
