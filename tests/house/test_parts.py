"""A part that ends by itself is begun again, after a wait that grows."""

import os
import signal
import subprocess
import sys
import time
import unittest
from unittest import mock

from house import parts
from house.parts import Part
from house.processes import _is_over, die_with_parent

SLEEPS = "import time; time.sleep(600)"
WITH_CHILD = f"""
import subprocess, sys, time
child = subprocess.Popen([sys.executable, "-c", "{SLEEPS}"])
print(child.pid, flush=True)
time.sleep(600)
"""


class Parts(unittest.TestCase):
    def setUp(self):
        self.said: list[str] = []
        quiet = mock.patch.object(parts, "say", self.said.append)
        quiet.start()
        self.addCleanup(quiet.stop)
        self.now = 1000.0
        clock = mock.patch.object(parts.time, "monotonic", side_effect=lambda: self.now)
        clock.start()
        self.addCleanup(clock.stop)

    def part(self, program: str = SLEEPS) -> Part:
        def begin() -> subprocess.Popen:
            return subprocess.Popen(
                [sys.executable, "-c", program],
                stdout=subprocess.PIPE,
                text=True,
                preexec_fn=die_with_parent,
            )

        made = Part("worker", begin)
        self.addCleanup(lambda: made.process.stdout.close())
        self.addCleanup(made.end)
        return made

    def kill(self, part: Part) -> None:
        part.process.stdout.close()
        os.kill(part.process.pid, signal.SIGKILL)
        while not part.is_over():
            time.sleep(0.01)

    def test_it_is_begun_again_after_a_wait_that_grows_and_starts_anew_after_a_steady_run(self):
        part = self.part()
        part.tend()
        self.assertEqual(self.said, [])
        for wait in (1, 2, 4, 8, 16, 30, 30):
            before = part.process.pid
            self.kill(part)
            part.tend()
            self.assertIn(
                f"worker ended by itself (status -9); it is begun again in {wait} s", self.said[-1]
            )
            self.now += wait - 0.1
            part.tend()
            self.assertTrue(part.is_over())
            self.now += 0.2
            part.tend()
            self.assertFalse(part.is_over())
            self.assertNotEqual(part.process.pid, before)
        self.now += parts.STEADY_SECONDS
        self.kill(part)
        part.tend()
        self.assertIn("again in 1 s", self.said[-1])

    def test_what_it_had_started_goes_with_it(self):
        part = self.part(WITH_CHILD)
        child = int(part.process.stdout.readline())
        self.kill(part)
        os.kill(child, 0)
        part.tend()
        until = time.perf_counter() + 10
        while not _is_over(child):
            self.assertLess(time.perf_counter(), until, "the child lives on")
            time.sleep(0.01)

    def test_what_cannot_be_begun_is_tried_later(self):
        part = self.part()
        self.kill(part)
        part.tend()
        self.now += 2
        with mock.patch.object(part, "_begin", side_effect=OSError(28, "No space left on device")):
            part.tend()
        self.assertIn("could not be begun: No space left on device", self.said[-1])
        part.tend()
        self.assertTrue(part.is_over())
        self.now += 2
        part.tend()
        self.assertFalse(part.is_over())

    def test_a_terminal_that_is_gone_ends_nothing(self):
        part = self.part()
        self.kill(part)
        with mock.patch.object(parts, "say", side_effect=BrokenPipeError):
            part.tend()
            self.now += 2
            part.tend()
        self.assertFalse(part.is_over())

    def test_what_is_ended_for_good_stays_ended(self):
        part = self.part()
        part.end()
        self.assertTrue(part.is_over())
