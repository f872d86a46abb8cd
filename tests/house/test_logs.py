"""Logs keep to their room while programs append to them."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from house import logs
from house.logs import EARLIER, Logs, keep_short


@mock.patch.object(logs, "LONGEST_BYTES", 20)
class KeepingShort(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.file = self.folder / "server.log"

    def texts(self) -> dict[str, str]:
        return {one.name: one.read_text() for one in sorted(self.folder.iterdir())}

    def test_what_is_short_stays(self):
        self.file.write_text("x" * 20)
        self.assertFalse(keep_short(self.file))
        self.assertEqual(self.texts(), {"server.log": "x" * 20})

    def test_a_program_that_has_it_open_goes_on_at_its_beginning(self):
        with self.file.open("ab", buffering=0) as program:
            program.write(b"first " * 5)
            self.assertTrue(keep_short(self.file))
            program.write(b"second")
        self.assertEqual(self.texts(), {"server.log": "second", "server.log.1": "first " * 5})

    def test_the_newest_are_kept_and_the_oldest_goes(self):
        for number in range(EARLIER + 3):
            self.file.write_text(f"{number} ".ljust(30, "."))
            keep_short(self.file)
        kept = {name: text.split()[0] for name, text in self.texts().items() if text}
        newest = EARLIER + 2
        self.assertEqual(kept, {f"server.log.{n + 1}": str(newest - n) for n in range(EARLIER)})

    def test_every_log_is_looked_at_now_and_then(self):
        with mock.patch.object(logs.time, "monotonic") as clock:
            clock.return_value = 100.0
            watch = Logs([self.folder, self.folder / "not there"])
            watch.tend()
            self.file.write_text("x" * 50)
            clock.return_value += logs.EVERY_SECONDS - 1
            watch.tend()
            self.assertEqual(list(self.texts()), ["server.log"])
            clock.return_value += 1
            watch.tend()
            self.assertEqual(list(self.texts()), ["server.log", "server.log.1"])
