"""The doctor says what is not well, and what to do."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

from house import doctor
from house.commands import doctor as command
from house.place import HOME


class Doctor(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.patch("VAR", self.folder)
        self.running(None)

    def patch(self, name: str, value: object) -> None:
        patched = mock.patch.object(doctor, name, value)
        patched.start()
        self.addCleanup(patched.stop)

    def running(self, known: dict | None) -> None:
        patched = mock.patch.object(doctor.instance, "running", return_value=known)
        patched.start()
        self.addCleanup(patched.stop)

    def told(self) -> dict[bool, str]:
        found = list(doctor.looked_at())
        return {well: " ".join(o.words for o in found if o.well is well) for well in (True, False)}

    def test_where_nothing_runs_it_says_how_to_start(self):
        with mock.patch.dict("os.environ", {"SORTIS_DB_HOST": ""}):
            told = self.told()
        self.assertIn("./sortis serve starts it", told[True])
        self.assertIn("no database yet", told[True])
        self.assertEqual(told[False], "")

    def test_a_missing_package_and_a_full_disk_are_named(self):
        self.patch("missing_packages", lambda programs: ["some-package"])
        full = mock.patch("shutil.disk_usage", return_value=SimpleNamespace(free=10_000_000))
        with full:
            told = self.told()
        self.assertIn("some-package", told[False])
        self.assertIn("0.0 GB are free", told[False])
        self.assertIn("Make room", told[False])

    def test_an_address_that_is_silent_and_a_database_that_cannot_be_asked(self):
        self.running({"address": "http://127.0.0.1:1", "env": {"SORTIS_DB_PORT": "1"}})
        told = self.told()
        self.assertIn("http://127.0.0.1:1 does not answer", told[False])
        self.assertIn("The database cannot be asked", told[False])

    def test_what_the_application_says_is_passed_on_and_decides_the_status(self):
        self.running({"address": "http://127.0.0.1:1", "env": {}})
        self.patch("_answers", lambda address: doctor.Told(True, "It answers."))
        said = json.dumps([{"well": False, "words": "A task waits for 12 minutes."}])
        ran = mock.patch(
            "subprocess.run", return_value=SimpleNamespace(stdout=said, stderr="", returncode=0)
        )
        out = io.StringIO()
        with ran, redirect_stdout(out):
            self.assertEqual(command(mock.Mock()), 1)
        self.assertIn("NOT WELL  A task waits for 12 minutes.", out.getvalue())
        self.assertIn("doctor", (HOME / "docs" / "running.md").read_text())
