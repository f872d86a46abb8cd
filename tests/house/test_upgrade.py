"""Changes of the tables are tried on a copy first; what cannot go on changes nothing."""

import os
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from house import upgrade
from house.database import private
from house.place import MANAGE, PYTHON, StepFailed
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
        return run(ASK, self.env, "SELECT COUNT(*) FROM django_migrations")

    def change(self, *lines: str) -> None:
        run(RUN, self.env, said="\n".join(lines))

    def test_where_nothing_waits_nothing_is_copied(self):
        with mock.patch.object(upgrade, "copy_of") as copied:
            upgrade.require_upgradable(self.folder, self.env)
        copied.assert_not_called()

    def test_what_waits_is_tried_on_a_copy_and_only_there(self):
        forget = "DELETE FROM django_migrations WHERE app = 'live'"
        self.change(forget, "DROP TABLE live_here")
        before = self.applied()
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

    def test_a_database_of_ones_own_is_left_to_its_tools(self):
        own = mock.patch.dict(os.environ, {"SORTIS_DB_HOST": "db.example"})
        with own, mock.patch.object(upgrade, "_managed") as asked:
            upgrade.require_upgradable(self.folder, self.env)
        asked.assert_not_called()
