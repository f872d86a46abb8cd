"""The private database: on loopback, with its own user, gone when it should be."""

import os
import socket
import subprocess
import unittest
from pathlib import Path
from unittest import mock

from house.database import database
from house.place import PYTHON

ASK = """
import MySQLdb, os, sys
link = MySQLdb.connect(host="127.0.0.1", port=int(os.environ["SORTIS_DB_PORT"]),
    user=os.environ["SORTIS_DB_USER"], passwd=os.environ["SORTIS_DB_PASSWORD"], db="sortis")
cursor = link.cursor()
cursor.execute(sys.argv[1])
print(cursor.fetchone()[0])
"""


class Private(unittest.TestCase):
    def test_runs_strict_on_loopback_with_its_own_user_and_leaves_nothing(self):
        alone = {k: v for k, v in os.environ.items() if not k.startswith("SORTIS_DB")}
        with mock.patch.dict(os.environ, alone, clear=True), database(throwaway=True) as env:
            port = int(env["SORTIS_DB_PORT"])

            def ask(question: str) -> str:
                return subprocess.run(
                    [PYTHON, "-c", ASK, question],
                    env=env,
                    capture_output=True,
                    text=True,
                    check=True,
                ).stdout.strip()

            self.assertEqual(ask("SELECT @@bind_address"), "127.0.0.1")
            self.assertIn("STRICT_TRANS_TABLES", ask("SELECT @@sql_mode"))
            self.assertEqual(ask("SELECT @@character_set_server"), "utf8mb4")
            self.assertTrue(ask("SELECT CURRENT_USER()").startswith("sortis@"))
            self.assertEqual(
                ask("SELECT COUNT(*) FROM information_schema.schemata WHERE schema_name = 'mysql'"),
                "0",
            )
            folder = Path(ask("SELECT @@datadir")).parent
            self.assertTrue(folder.exists())
        self.assertFalse(folder.exists())
        with self.assertRaises(OSError):
            socket.create_connection(("127.0.0.1", port), 1)
