"""All tests are run, each once."""

import unittest

from house.place import HOME
from house.testing import HALVES


class Halves(unittest.TestCase):
    def test_every_folder_with_tests_is_in_one_half(self):
        there = {
            f"tests.{folder.name}"
            for folder in (HOME / "tests").iterdir()
            if folder.is_dir() and list(folder.glob("test_*.py"))
        }
        run = [name for half in HALVES for name in half]
        self.assertEqual(sorted(run), sorted(there))
