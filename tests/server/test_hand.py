"""The hand on a dial goes first; and what one process found of a batch, all have."""

import os
import tempfile
import threading
import time
from multiprocessing import get_context
from pathlib import Path
from select import select
from unittest.mock import patch

from django.core.cache import caches
from django.test import SimpleTestCase, override_settings

from sortis_core.plan.aside import stand_aside
from sortis_core.plan.grouping import group_units
from sortis_server.decide import hand
from sortis_server.decide.hand import after_the_hand, hand_waits
from sortis_server.decide.shelf import FilesOfThisRun
from tests.core.test_narrow import scarce


def go_through(tell: int) -> None:
    """A step of a solve in the background, then a word that it was taken."""
    with after_the_hand():
        stand_aside()
    os.write(tell, b"through")


class TheHandGoesFirst(SimpleTestCase):
    def test_what_is_solved_beside_it_stands_aside_and_goes_on(self):
        seen: list[float] = []

        def background() -> None:
            with after_the_hand():
                for _ in range(3):
                    stand_aside()
                    seen.append(time.monotonic())

        with hand_waits():
            solve = threading.Thread(target=background)
            solve.start()
            time.sleep(0.1)
            self.assertEqual(seen, [])
            off = time.monotonic()
        solve.join(5)
        self.assertEqual(len(seen), 3)
        self.assertGreaterEqual(min(seen), off)

    def test_also_in_the_other_processes_of_the_server(self):
        told, tell = os.pipe()
        with hand_waits():
            # Parted after the clock was laid down, as the server's processes are.
            child = get_context("fork").Process(target=go_through, args=(tell,))
            child.start()
            self.assertEqual(select([told], [], [], 0.2)[0], [])
        child.join(10)
        self.assertEqual(os.read(told, 10), b"through")

    def test_the_hand_itself_waits_for_nobody(self):
        with patch.object(hand.time, "sleep") as slept, hand_waits():
            stand_aside()
        slept.assert_not_called()

    def test_a_hand_that_never_ends_holds_nobody_for_long(self):
        with patch.object(hand, "AT_MOST_SECONDS", 0.05):
            lost = hand_waits()
            lost.__enter__()
        with after_the_hand():
            stand_aside()
        self.assertLess(hand._until.value, time.monotonic())
        lost.__exit__(None, None, None)

    def test_many_hands_hold_one_request_no_longer_than_it_stands_aside_in_all(self):
        with (
            patch.object(hand.time, "sleep") as slept,
            patch.object(hand, "AT_MOST_SECONDS", 3600.0),
            hand_waits(),
            after_the_hand(),
        ):
            for _ in range(50):
                stand_aside()
        waited = sum(call.args[0] for call in slept.call_args_list)
        self.assertAlmostEqual(waited, hand.ASIDE_SECONDS, delta=2 * hand.LOOK_SECONDS)

    def test_what_fails_under_the_hand_holds_nobody(self):
        with self.assertRaises(ValueError), hand_waits():
            raise ValueError
        self.assertLess(hand._until.value, time.monotonic())


class TheShelf(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "shelf"
        files = "django.core.cache.backends.filebased.FileBasedCache"
        settings = override_settings(
            CACHES={"shelf": {"BACKEND": files, "LOCATION": str(self.folder), "TIMEOUT": None}}
        )
        settings.enable()
        self.addCleanup(settings.disable)
        case = scarce(5, 8)
        self.groups = group_units(case, case.units)

    def test_what_was_laid_down_is_taken_as_it_was(self):
        shelf = FilesOfThisRun()
        self.assertIsNone(shelf.take("of another"))
        shelf.lay("of these", self.groups)
        self.assertEqual(shelf.take("of these"), self.groups)
        self.assertEqual(self.folder.stat().st_mode & 0o077, 0)

    def test_half_a_file_is_none(self):
        shelf = FilesOfThisRun()
        shelf.lay("of these", self.groups)
        (file,) = self.folder.iterdir()
        whole = file.read_bytes()
        for kept in (len(whole) // 2, len(whole) - 1):
            file.write_bytes(whole[:kept])
            with self.subTest(kept), self.assertLogs("sortis_server.decide.shelf"):
                self.assertIsNone(shelf.take("of these"))
        file.write_bytes(b"")
        self.assertIsNone(shelf.take("of these"))

    def test_a_full_disk_costs_time_only(self):
        full = OSError(28, "No space left on device")
        with (
            patch.object(type(caches["shelf"]), "set", side_effect=full),
            self.assertLogs("sortis_server.decide.shelf"),
        ):
            FilesOfThisRun().lay("of these", self.groups)
        self.assertIsNone(FilesOfThisRun().take("of these"))
