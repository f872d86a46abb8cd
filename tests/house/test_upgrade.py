"""Changes of the tables are tried on a copy first; what cannot go on changes nothing."""

import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from house import upgrade
from house.database import private
from house.place import HOME, MANAGE, PYTHON, StepFailed
from tests.house.test_backup import RUN, run
from tests.house.test_database import ASK


class Upgrade(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name, "data")
        cls.folder.mkdir()
        cls.enterClassContext(mock.patch.dict(os.environ))
        # What the tests themselves run on is another one.
        for name in [name for name in os.environ if name.startswith("SORTIS_DB")]:
            del os.environ[name]
        cls.env = cls.enterClassContext(private(cls.folder, lasting=False))
        upgrade.require_upgradable(cls.folder, cls.env)
        cls.migrate()

    @classmethod
    def migrate(cls) -> None:
        words = [PYTHON, MANAGE, "migrate"]
        subprocess.run(words, env=cls.env, check=True, capture_output=True)

    def applied(self) -> str:
        return self.told("SELECT COUNT(*) FROM django_migrations")

    def change(self, *lines: str) -> None:
        run(RUN, self.env, said="\n".join(lines))

    def test_where_nothing_waits_nothing_is_copied(self):
        with mock.patch.object(upgrade, "copy_of") as copied:
            upgrade.require_upgradable(self.folder, self.env)
        copied.assert_not_called()
        upgrade.require_same_tables(self.env)

    def test_what_waits_is_tried_on_a_copy_and_only_there(self):
        forget = "DELETE FROM django_migrations WHERE app = 'live'"
        self.change(forget, "DROP TABLE live_here")
        before = self.applied()
        # Workers of another machine leave that to an application's.
        with self.assertRaisesRegex(StepFailed, "that wait: 1. ./sortis serve of this version"):
            upgrade.require_same_tables(self.env)
        upgrade.require_upgradable(self.folder, self.env)
        self.assertEqual(self.applied(), before)
        self.assertEqual([one.name for one in self.folder.glob(".sortis-backup-*")], [])
        # A table that is there already: the copy cannot be changed.
        self.change("CREATE TABLE live_here (pk INT PRIMARY KEY) ENGINE=InnoDB")
        with self.assertRaisesRegex(StepFailed, "could not be brought up to date on a copy"):
            upgrade.require_upgradable(self.folder, self.env)
        self.assertEqual(self.applied(), before)
        self.change("DROP TABLE live_here")
        self.migrate()

    def test_tables_of_a_newer_one_are_refused(self):
        newer = "INSERT INTO django_migrations (app, name, applied) VALUES ('orders', 'z', NOW())"
        self.change(newer)
        self.addCleanup(self.change, "DELETE FROM django_migrations WHERE name = 'z'")
        with self.assertRaisesRegex(StepFailed, "of a newer Sortis .orders.z.*Nothing was changed"):
            upgrade.require_upgradable(self.folder, self.env)
        with self.assertRaisesRegex(StepFailed, "of a newer Sortis"):
            upgrade.require_same_tables(self.env)

    def sortis(self, *words: str, folder: str, **env: str) -> subprocess.CompletedProcess:
        here = os.environ | self.env | {"SORTIS_DATA": folder} | env
        command = [sys.executable, HOME / "sortis", *words]
        return subprocess.run(command, env=here, capture_output=True, text=True, check=False)

    def test_workers_alone_take_what_waits_and_say_so(self):
        with tempfile.TemporaryDirectory() as folder:
            many = {"SORTIS_DATA": folder, "SORTIS_WORKERS": "2"}
            command = [sys.executable, HOME / "sortis", "work"]
            work = subprocess.Popen(
                command, env=os.environ | self.env | many, stdout=subprocess.PIPE, text=True
            )
            said = iter(work.stdout.readline, "")
            self.assertTrue(any("Workers: 2." in line for line in said), "it ended by itself")
            until = time.monotonic() + 30
            while self.told("SELECT COUNT(*) FROM background_workerseen") != "2":
                self.assertLess(time.monotonic(), until)
                time.sleep(0.1)
            # What reaches the database is known from the one that runs, not from this terminal.
            unset = {"SORTIS_DB_HOST": "", "SORTIS_SECRET_KEY": ""}
            seen = self.sortis("doctor", folder=folder, **unset).stdout
            self.assertIn("Only workers on 127.0.0.1 run here, for other machines.", seen)
            self.assertIn("Workers that live: 2;", seen)
            self.assertIn("Stopped.", self.sortis("stop", folder=folder).stdout)
            self.assertEqual(work.wait(timeout=30), 0)
            self.assertIn("goes on with others", work.stdout.read())
            work.stdout.close()
            self.assertEqual(self.told("SELECT COUNT(*) FROM background_workerseen"), "0")

    def told(self, question: str) -> str:
        return run(ASK, self.env, question)

    def test_workers_alone_need_a_database_that_others_reach(self):
        with tempfile.TemporaryDirectory() as folder:
            said = self.sortis("work", folder=folder, SORTIS_DB_HOST="")
            self.assertIn("in a database that applications share", said.stderr)
            for many in ("0", "many", "17"):
                said = self.sortis("work", folder=folder, SORTIS_WORKERS=many)
                self.assertIn("SORTIS_WORKERS is how many, 1 to 16.", said.stderr)

    def test_a_database_of_ones_own_is_left_to_its_tools(self):
        own = mock.patch.dict(os.environ, {"SORTIS_DB_HOST": "db.example"})
        with own, mock.patch.object(upgrade, "_managed") as asked:
            upgrade.require_upgradable(self.folder, self.env)
        asked.assert_not_called()
