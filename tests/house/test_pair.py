"""A second database follows, confirms, takes the first one's place; never are two written."""

import json
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
import unittest
from contextlib import ExitStack, closing
from pathlib import Path
from unittest import mock

from house import pair
from house.backup import back_up, restore
from house.database import free_port, is_free, kept_secrets, private, socket_of, wanted
from house.pair import Address, Wanted
from house.place import PYTHON, StepFailed, paths
from tests.house.test_backup import RUN, run

WRITE = """
import MySQLdb, os, sys
number = int(sys.argv[1])
link = MySQLdb.connect(host="127.0.0.1", port=int(os.environ["SORTIS_DB_PORT"]),
    user=os.environ["SORTIS_DB_USER"], passwd=os.environ["SORTIS_DB_PASSWORD"], db="sortis")
cursor = link.cursor()
while True:
    number += 1
    try:
        cursor.execute("INSERT INTO entries VALUES (%s)", [number])
        link.commit()
    except MySQLdb.Error:
        break
    print(number, flush=True)
"""
ASKED = """
import sys
import django; django.setup()
from django.db import DatabaseError, connection
for line in sys.stdin:
    try:
        # As at the beginning and the end of each request.
        connection.close_if_unusable_or_obsolete()
        with connection.cursor() as cursor:
            cursor.execute("INSERT INTO entries VALUES (%s)", [int(line)])
            cursor.execute("SELECT @@port")
            print(cursor.fetchone()[0], flush=True)
    except DatabaseError as error:
        print("refused", error.args[0], flush=True)
"""
"""An application that is given both places: which of them took each entry."""


class Database:
    """One of the two: its folder, where it answers, and whether it runs."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.at = folder, Address("127.0.0.1", free_port())
        self.tended: list = []
        self.env: dict[str, str] = {}
        self._runs = ExitStack()

    def start(self, follow: "Database | None" = None) -> None:
        self.tended = []
        role = Wanted(self.at, follow and follow.at, wait_seconds=2)
        running = private(self.folder, tended=self.tended, wanted=role)
        self.env = self._runs.enter_context(running)

    def stop(self) -> None:
        self._runs.close()

    def kill(self) -> None:
        """As the power goes."""
        os.killpg(self.tended[0].process.pid, signal.SIGKILL)
        self.stop()

    @property
    def password(self) -> str:
        return kept_secrets(self.folder)["db_password"]

    @property
    def client(self) -> pair.Client:
        return pair.own(socket_of(self.folder), self.password)

    def promote(self) -> str:
        return pair.promote(self.folder, self.client, self.password)

    def entries(self) -> set[int]:
        return {int(row["n"]) for row in self.client.asked("SELECT n FROM sortis.entries")}

    def tend(self) -> pair.Seen | None:
        self.tended[-1].tend()
        return pair.seen(self.folder, self.client)


class APair(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """Both folders as they are when the second first follows; each test has copies."""
        cls.home = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        first, second = Database(cls.home / "first"), Database(cls.home / "second")
        first.folder.mkdir()
        first.start()
        try:
            run(RUN, first.env, said="CREATE TABLE entries (n INT PRIMARY KEY)")
            cls.copy(first, second)
        finally:
            first.stop()

    @classmethod
    def copy(cls, written: "Database", standby: "Database") -> None:
        file = cls.home / "copy.tar.gz"
        file.unlink(missing_ok=True)
        back_up(written.folder, file)
        restore(standby.folder, file)

    def setUp(self):
        here = self.home / self.id().rpartition(".")[2]
        self.addCleanup(shutil.rmtree, here)
        self.enterContext(mock.patch.multiple(pair, LOOK_SECONDS=0.05, STEADY_SECONDS=0.5))
        self.enterContext(mock.patch("house.pair.say"))
        for name in ("first", "second"):
            shutil.copytree(self.home / name, here / name)
            setattr(self, name, Database(here / name))
            self.addCleanup(getattr(self, name).stop)

    def pair_up(self) -> None:
        """Have the second follow the first until it confirms."""
        self.first.start()
        self.follow(self.first, self.second)

    def follow(self, written: Database, standby: Database) -> None:
        standby.start(follow=written)
        self.until(lambda: "confirms" in written.tend().words)

    def until(self, is_so, seconds: float = 20) -> None:
        end = time.monotonic() + seconds
        while not is_so():
            self.assertLess(time.monotonic(), end, "it did not come to be so")
            time.sleep(0.05)

    def write(self, to: Database, seconds: float, meanwhile=lambda: None) -> set[int]:
        """What was answered of all that some wrote, while something was done."""
        writers = [
            subprocess.Popen(
                [PYTHON, "-c", WRITE, str(number * 1_000_000)],
                env=to.env,
                stdout=subprocess.PIPE,
                text=True,
            )
            for number in range(4)
        ]
        answered: set[int] = set()
        threads = [
            threading.Thread(target=lambda one=one: answered.update(map(int, one.stdout)))
            for one in writers
        ]
        for thread in threads:
            thread.start()
        time.sleep(seconds)
        meanwhile()
        for one, thread in zip(writers, threads, strict=True):
            thread.join(20)
            one.wait(20)
            one.stdout.close()
        return answered

    def test_what_was_answered_is_there_when_the_first_is_killed(self):
        first, second = self.first, self.second
        self.pair_up()
        self.assertIn(f"follows {first.at}", second.tend().words)
        answered = self.write(first, 1.5, first.kill)
        self.assertGreater(len(answered), 50)
        self.until(lambda: "does not answer" in second.tend().words)
        self.assertIn(f"{first.at} does not answer", second.promote())
        self.assertEqual(answered - second.entries(), set())
        with self.subTest("the first may not be written again"):
            with self.assertRaisesRegex(StepFailed, f"{second.at} took this one's place"):
                first.start()
            second.stop()
            with self.assertRaisesRegex(StepFailed, f"{second.at} took this one's place"):
                first.start()
            second.start()
        with self.subTest("it follows, from a copy of what is written now"):
            self.copy(second, first)
            self.follow(second, first)
            run(RUN, second.env, said="INSERT INTO entries VALUES (-1)")
            self.until(lambda: -1 in first.entries())
        with self.subTest("and takes its place again while people write"):
            answered = self.write(second, 1, lambda: first.promote())
            self.assertEqual(answered - first.entries(), set())
            self.assertFalse(pair.is_written(second.client))
            self.assertIn("gave way", second.tend().words)
            second.stop()
            second.start(follow=first)
            run(RUN, first.env, said="INSERT INTO entries VALUES (-2)")
            self.until(lambda: -2 in second.entries())

    def test_a_standby_that_does_not_confirm_is_told_and_waited_for_so_long_and_no_longer(self):
        self.pair_up()
        stopped = self.second.tended[0].process
        self.addCleanup(stopped.send_signal, signal.SIGCONT)
        stopped.send_signal(signal.SIGSTOP)
        began = time.monotonic()
        run(RUN, self.first.env, said="INSERT INTO entries VALUES (1)")
        self.assertGreater(time.monotonic() - began, 1.5)
        seen = pair.seen(self.first.folder, self.first.client)
        self.assertFalse(seen.well)
        self.assertIn("did not confirm in time", seen.words)
        self.first.tend()
        began = time.monotonic()
        run(RUN, self.first.env, said="INSERT INTO entries VALUES (2)")
        self.assertLess(time.monotonic() - began, 1.5)
        stopped.send_signal(signal.SIGCONT)
        self.until(lambda: "confirms" in self.first.tend().words)
        self.assertIn(2, self.second.entries())

    def test_an_application_that_knows_both_goes_on_with_the_one_that_is_written(self):
        self.pair_up()
        both = f"{self.second.at},{self.first.at}"
        env = paths() | self.first.env | {"SORTIS_DB_HOST": both}
        application = subprocess.Popen(
            [PYTHON, "-c", ASKED],
            env=env,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        self.addCleanup(application.wait)
        self.addCleanup(application.stdin.close)
        self.addCleanup(application.stdout.close)

        def took(number: int) -> str:
            application.stdin.write(f"{number}\n")
            application.stdin.flush()
            return application.stdout.readline().strip()

        # The one that follows is named first, and is only read.
        self.assertEqual(took(1), str(self.first.at.port))
        self.second.promote()
        # Its link still leads to the one that gave way, which answers.
        self.assertEqual(took(2), str(self.second.at.port))
        self.assertEqual(self.second.entries(), {1, 2})
        self.second.kill()
        self.assertRegex(took(3), "refused (1290|2002)")
        self.assertEqual(self.first.entries(), {1})

    def test_where_a_place_cannot_be_taken_the_first_is_written_as_before(self):
        self.pair_up()
        asked = pair.Client.asked

        def breaks(client, sql, *more):
            if "MASTER_GTID_WAIT" in sql:
                # It is closed by now, and looks at itself.
                self.assertFalse(pair.is_written(self.first.client))
                self.first.tended[-1].tend()
                raise StepFailed("The link broke.")
            return asked(client, sql, *more)

        with (
            mock.patch.object(pair.Client, "asked", breaks),
            self.assertRaisesRegex(StepFailed, "The link broke"),
        ):
            self.second.promote()
        run(RUN, self.first.env, said="INSERT INTO entries VALUES (5)")
        self.until(lambda: 5 in self.second.entries())
        self.assertEqual(pair.role_of(self.first.folder)["role"], pair.WRITTEN)
        self.second.client.asked("STOP SLAVE")
        with self.assertRaisesRegex(StepFailed, "does not hear of"):
            self.second.promote()
        self.assertTrue(pair.is_written(self.first.client))

    def test_nothing_follows_without_a_copy_of_what_it_follows(self):
        shutil.rmtree(self.second.folder)
        self.second.folder.mkdir()
        self.first.start()
        with self.assertRaisesRegex(StepFailed, "no copy of the database"):
            self.second.start(follow=self.first)
        self.assertFalse(any(self.second.folder.iterdir()))
        with self.assertRaisesRegex(StepFailed, "follows no other"):
            self.first.promote()
        self.second.start()
        self.second.stop()
        with self.assertRaisesRegex(StepFailed, "no copy of the database"):
            self.second.start(follow=self.first)
        # As if it had followed once: its keys are its own.
        pair.note_role(self.second.folder, pair.STANDBY, [str(self.first.at)])
        self.second.start(follow=self.first)
        self.until(lambda: "keys differ" in self.second.tend().words)
        # It answers, so it may well be written: nothing is known, and nobody takes its place.
        with self.assertRaisesRegex(StepFailed, "1045"):
            self.second.promote()
        self.assertFalse(pair.is_written(self.second.client))
        self.second.stop()
        with self.assertRaisesRegex(StepFailed, f"follows {self.first.at}"):
            self.second.start()

    def test_one_that_holds_what_the_other_does_not_cannot_follow_it(self):
        first, second = self.first, self.second
        self.pair_up()
        first.stop()
        second.promote()
        run(RUN, second.env, said="INSERT INTO entries VALUES (1)")
        second.stop()
        # Neither sees the other: nobody can know.
        first.start()
        run(RUN, first.env, said="INSERT INTO entries VALUES (2)")
        first.stop()
        second.start()
        first.start(follow=second)
        self.until(lambda: "cannot go on" in first.tend().words)
        self.assertEqual((first.entries(), second.entries()), ({2}, {1}))

    def test_one_that_was_out_of_reach_gives_way_to_the_one_that_took_its_place(self):
        first, second = self.first, self.second
        self.pair_up()
        stopped = first.tended[0].process
        stopped.send_signal(signal.SIGSTOP)
        try:
            self.assertIn("does not answer", second.promote())
        finally:
            stopped.send_signal(signal.SIGCONT)
        self.until(lambda: "gave way" in first.tend().words)
        self.assertFalse(pair.is_written(first.client))
        for _ in range(3):
            self.assertIn("not there", (second.tend() or pair.Seen(False, "not there")).words)
        self.assertTrue(pair.is_written(second.client))
        first.stop()
        first.start(follow=second)
        self.until(lambda: "confirms" in (second.tend() or pair.Seen(False, "")).words)

    def test_a_standby_starts_read_only_also_where_it_is_begun_again(self):
        self.pair_up()
        database = self.second.tended[0]
        os.killpg(database.process.pid, signal.SIGKILL)
        self.until(database.is_over)
        with mock.patch("house.parts.say"), mock.patch("house.parts.FIRST_WAIT_SECONDS", 0.1):
            self.until(lambda: database.tend() or not is_free(self.second.at))
        run(RUN, self.first.env, said="INSERT INTO entries VALUES (7)")
        self.until(lambda: self._has(7))
        self.assertFalse(pair.is_written(self.second.client))

    def _has(self, number: int) -> bool:
        try:
            return number in self.second.entries()
        except StepFailed:
            return False


class Settings(unittest.TestCase):
    def test_what_does_not_read_is_refused(self):
        for told in (
            "",
            "db.example",
            "db.example:",
            "db.example:0",
            "db.example:x",
            ":3306",
            "a'b:1",
            "a b:1",
        ):
            with self.subTest(told), self.assertRaisesRegex(StepFailed, "no address"):
                pair.address(told)
        self.assertEqual(pair.address("[::1]:3306"), Address("::1", 3306))

    def test_without_an_address_nobody_else_reaches_it(self):
        with mock.patch.dict(os.environ, {"SORTIS_DB_LISTEN": ""}):
            self.assertIsNone(wanted())
        asked = {"SORTIS_DB_LISTEN": "127.0.0.1:3306", "SORTIS_STANDBY_WAIT": "30"}
        with mock.patch.dict(os.environ, asked):
            told = wanted("10.0.0.5:3306")
            self.assertEqual(told, ((("127.0.0.1"), 3306), ("10.0.0.5", 3306), 30))
        for wait in ("0", "-1", "soon", "90000"):
            with (
                mock.patch.dict(os.environ, asked | {"SORTIS_STANDBY_WAIT": wait}),
                self.assertRaisesRegex(StepFailed, "SORTIS_STANDBY_WAIT"),
            ):
                wanted()

    def test_an_address_that_is_taken_or_not_ours_is_refused(self):
        with tempfile.TemporaryDirectory() as folder, closing(socket.socket()) as other:
            other.bind(("127.0.0.1", 0))
            other.listen()
            taken = Address(*other.getsockname())
            for where in (taken, Address("192.0.2.1", 3306)):
                with self.assertRaisesRegex(StepFailed, "SORTIS_DB_LISTEN"):
                    self.enterContext(private(Path(folder), wanted=Wanted(where)))

    def test_a_role_that_cannot_be_read_is_not_guessed(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for told in ("{", "[]", json.dumps({"role": "boss", "others": []})):
                (folder / pair.ROLE).write_text(told)
                with self.assertRaisesRegex(StepFailed, "does not say"):
                    pair.require_role(folder, "x", None)
