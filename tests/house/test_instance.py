"""Who runs on a data folder is proven: neither a stale record nor a copied folder is believed."""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import unittest
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

from house import instance
from house.commands import _port
from house.database import free_port, socket_of
from house.place import HOME, StepFailed


class Instances(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name, "data")

    @contextmanager
    def at(self, folder: Path):
        with (
            mock.patch.object(instance, "VAR", folder),
            mock.patch.object(instance, "RECORD", folder / "run.json"),
            mock.patch.object(instance, "LOCK", folder / "run.lock"),
        ):
            yield

    def stop(self, folder: Path) -> str:
        return subprocess.run(
            [sys.executable, HOME / "sortis", "stop"],
            capture_output=True,
            text=True,
            env={**os.environ, "SORTIS_DATA": str(folder)},
            check=True,
        ).stdout

    def test_it_is_known_while_it_runs_and_nobody_starts_beside_it(self):
        with self.at(self.folder):
            self.assertIsNone(instance.running())
            with instance.held():
                self.assertIsNone(instance.running())
                instance.note("", {})
                with self.assertRaisesRegex(StepFailed, "is being started"):
                    instance.reachable()
                instance.note("http://127.0.0.1:8040", {"SORTIS_DB_PORT": "1"})
                self.assertEqual(instance.reachable(), instance.running())
                self.assertEqual(instance.running()["address"], "http://127.0.0.1:8040")
                self.assertEqual(instance.RECORD.stat().st_mode & 0o777, 0o600)
                taken = self.assertRaisesRegex(StepFailed, "already at http://127.0.0.1:8040")
                with taken, instance.held():
                    self.fail("two on one folder")
            self.assertIsNone(instance.running())

    def test_a_stale_record_ends_no_foreign_process(self):
        foreign = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        self.addCleanup(foreign.stdin.close)
        self.addCleanup(foreign.kill)
        self.folder.mkdir()
        told = {"pid": foreign.pid, "began": "", "address": "x", "folder": str(self.folder)}
        record = self.folder / "run.json"
        for stale in (
            {"pid": foreign.pid, "address": "x", "env": {}},
            told,
            told | {"began": instance.began(foreign.pid)},
            [],
            "{",
        ):
            record.write_text(stale if isinstance(stale, str) else json.dumps(stale))
            (self.folder / "run.lock").touch()
            self.assertIn("Sortis is not running", self.stop(self.folder))
            self.assertIsNone(foreign.poll())
        with self.at(self.folder), instance.held():
            # The lock is held, and the record is of a process whose number was given anew.
            record.write_text(json.dumps(told | {"began": "another moment"}))
            self.assertIsNone(instance.running())

    def test_a_copied_folder_is_another_one(self):
        with self.at(self.folder), instance.held():
            instance.note("http://127.0.0.1:8040", {})
            copy = self.folder.with_name("copy")
            shutil.copytree(self.folder, copy)
            self.assertIn("Sortis is not running", self.stop(copy))
            with self.at(copy), instance.held():
                self.assertIsNone(instance.running())
            self.assertNotEqual(socket_of(self.folder), socket_of(copy))
            self.assertEqual(socket_of(self.folder), socket_of(self.folder))
            self.assertIsNotNone(instance.running())
        for folder in (self.folder, copy):
            shutil.rmtree(socket_of(folder).parent)

    def test_a_folder_of_somebody_else_is_said(self):
        self.folder.mkdir()
        with (
            mock.patch.object(instance.os, "access", return_value=False),
            self.at(self.folder),
            self.assertRaisesRegex(StepFailed, "belongs to"),
            instance.held(),
        ):
            self.fail("it was taken")
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_machines_that_share_a_name_are_told_apart(self):
        """Else each would take up what the other's worker is at, on a database they share."""
        number = Path(self.folder.parent, "machine-id")
        names = set()
        with mock.patch.object(instance, "MACHINE", number), self.at(self.folder):
            names.add(instance.name())
            for one in ("a7", "b8"):
                number.write_text(f"{one}\n")
                names.add(instance.name())
                self.assertEqual(instance.name(), instance.name())
        self.assertEqual(len(names), 3)

    def test_a_port_that_was_asked_for_is_not_exchanged_for_another(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = str(taken.getsockname()[1])
            with (
                mock.patch.dict(os.environ, {"SORTIS_PORT": port}),
                self.assertRaisesRegex(StepFailed, f"Port {port} is taken"),
            ):
                _port()
        with mock.patch.dict(os.environ, {"SORTIS_PORT": str(free_port())}):
            self.assertEqual(str(_port()), os.environ["SORTIS_PORT"])
