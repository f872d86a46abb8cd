import os
import re
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from pathlib import Path
from unittest import mock

from house.database import database, free_port
from house.place import HOME, StepFailed
from house.setup import _fingerprint, debian_packages, missing_packages


class TheOneCommand(unittest.TestCase):
    def test_help_names_every_command(self):
        out = subprocess.run(
            [sys.executable, HOME / "sortis", "--help"], capture_output=True, text=True, check=True
        ).stdout
        for name in (
            "demo",
            "serve",
            "stop",
            "test",
            "check",
            "bench",
            "core",
            "export-case",
            "backup",
            "restore",
            "work",
            "add-person",
        ):
            self.assertIn(name, out)

    def test_the_demo_starts_gives_a_case_and_ends(self):
        """From nothing to a plan by the commands the docs name, in a folder of its own."""
        with tempfile.TemporaryDirectory() as folder:
            here = {**os.environ, "SORTIS_DATA": folder, "SORTIS_PORT": str(free_port())}
            for name in [name for name in here if name.startswith("SORTIS_DB")]:
                del here[name]
            del here["DJANGO_SETTINGS_MODULE"]

            def sortis(*words: str | Path) -> str:
                command = [sys.executable, HOME / "sortis", *words]
                return subprocess.run(
                    command, env=here, capture_output=True, text=True, check=True
                ).stdout

            demo = subprocess.Popen(
                [sys.executable, HOME / "sortis", "demo"],
                env=here,
                stdout=subprocess.PIPE,
                text=True,
            )
            said = ""
            while "Ctrl-C stops it" not in said:
                line = demo.stdout.readline()
                self.assertTrue(line, f"it ended by itself: {said}")
                said += line
            address = re.search(r"Sortis runs at (\S+)", said)[1]
            with urllib.request.urlopen(f"{address}/alive", timeout=10) as answer:
                self.assertEqual(answer.status, 200)
            case = Path(folder, "case.json")
            case.write_text(sortis("export-case", "call-centre-closed"))
            plan = Path(folder, "plan.json")
            plan.write_text(sortis("core", "plan", case))
            self.assertIn("The plan holds", sortis("core", "verify", case, plan))
            self.assertIn("Stopped", sortis("stop"))
            self.assertEqual(demo.wait(timeout=30), 0)
            self.assertIn("Everything is kept", demo.stdout.read())
            demo.stdout.close()

    def test_stop_with_nothing_running_says_so(self):
        with tempfile.TemporaryDirectory() as folder:
            out = subprocess.run(
                [sys.executable, HOME / "sortis", "stop"],
                capture_output=True,
                text=True,
                env={**os.environ, "SORTIS_DATA": folder},
                check=True,
            )
        self.assertEqual(out.stdout.strip(), "Sortis is not running.")

    def test_a_database_that_is_not_there_is_said_in_a_sentence(self):
        gone = {
            "SORTIS_DB_HOST": "127.0.0.1",
            "SORTIS_DB_PORT": str(free_port()),
            "SORTIS_SECRET_KEY": "x",
        }
        failing = self.assertRaises(StepFailed)
        with mock.patch.dict(os.environ, gone), failing as refused, database():
            self.fail("it started without a database")
        self.assertIn("does not answer", str(refused.exception))
        self.assertIn("Nothing was changed", str(refused.exception))

    def test_missing_programs_are_named_by_their_package(self):
        self.assertIn("some-package", missing_packages({"a-program-nobody-has": "some-package"}))

    def ordinary(self, *, sudo: str | None):
        """An ordinary user on a machine without the database's programs."""
        return (
            mock.patch("house.setup.os.geteuid", return_value=1000),
            mock.patch(
                "house.setup.shutil.which",
                side_effect=lambda name, **_: sudo if name == "sudo" else None,
            ),
            mock.patch("house.setup.subprocess.run"),
            mock.patch("house.setup.run_step"),
        )

    def test_an_ordinary_user_without_sudo_is_told_which_packages(self):
        user, which, run, _quiet = self.ordinary(sudo=None)
        with user, which, run, self.assertRaises(StepFailed) as refused:
            debian_packages(testing=False)
        self.assertIn("mariadb-server-core", str(refused.exception))
        self.assertNotIn("chromium", str(refused.exception))

    def test_an_ordinary_user_with_sudo_installs_only_what_is_missing(self):
        user, which, run, quiet = self.ordinary(sudo="/usr/bin/sudo")
        with user, which, run as ran, quiet as steps:
            ran.return_value.returncode = 0
            debian_packages(testing=True)
        commands = [call.args[1] for call in steps.call_args_list]
        self.assertEqual([command[0] for command in commands], ["sudo", "sudo"])
        self.assertIn("update", commands[0])
        self.assertIn("chromium", commands[1])
        self.assertIn("--no-install-recommends", commands[1])

    def test_a_taken_port_is_left_alone(self):
        import socket

        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            self.assertNotEqual(free_port(port), port)

    def test_setting_up_again_is_skipped_only_while_nothing_changed(self):
        with tempfile.TemporaryDirectory(dir=HOME / "var") as folder:
            file = Path(folder, "needs.txt")
            file.write_text("one")
            first = _fingerprint([file])
            self.assertEqual(first, _fingerprint([file]))
            file.write_text("two")
            self.assertNotEqual(first, _fingerprint([file]))
