"""A backup is whole, proven and of one moment while people write; what is not one is refused."""

import json
import os
import shutil
import subprocess
import tarfile
import tempfile
import threading
import time
import unittest
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from io import BytesIO
from pathlib import Path
from unittest import mock

from house import backup, sealing
from house.backup import ABOUT, back_up, restore
from house.database import private
from house.place import PYTHON, StepFailed
from tests.house.test_database import ASK

FURNISH = """
CREATE TABLE entries (pk INT PRIMARY KEY AUTO_INCREMENT, text VARCHAR(40)) ENGINE=InnoDB;
CREATE TABLE pairs (pk INT PRIMARY KEY, entry INT NOT NULL) ENGINE=InnoDB;
"""
RUN = """
import MySQLdb, os, sys
link = MySQLdb.connect(host="127.0.0.1", port=int(os.environ["SORTIS_DB_PORT"]),
    user=os.environ["SORTIS_DB_USER"], passwd=os.environ["SORTIS_DB_PASSWORD"], db="sortis")
cursor = link.cursor()
for line in sys.stdin:
    if line.strip():
        cursor.execute(line)
link.commit()
"""
WRITE = """
import MySQLdb, os
link = MySQLdb.connect(host="127.0.0.1", port=int(os.environ["SORTIS_DB_PORT"]),
    user=os.environ["SORTIS_DB_USER"], passwd=os.environ["SORTIS_DB_PASSWORD"], db="sortis")
cursor = link.cursor()
while True:
    cursor.execute("INSERT INTO entries (text) VALUES ('while it runs')")
    written = cursor.lastrowid
    cursor.execute("INSERT INTO pairs VALUES (%s, %s)", [written, written])
    link.commit()
    print(written, flush=True)
"""

WORDS = "seven ropes at the quay"


def run(program: str, env: dict[str, str], *words: str, said: str = "") -> str:
    command = [PYTHON, "-c", program, *words]
    return subprocess.run(
        command, env=env, input=said, capture_output=True, text=True, check=True
    ).stdout.strip()


class ToAMoment(unittest.TestCase):
    """A backup, what was written after it, and a mistake after that."""

    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.home = Path(folder.name)
        cls.file = cls.home / "sortis.tar.gz"
        data = cls.home / "data"
        data.mkdir()
        with private(data) as env:
            run(RUN, env, said=FURNISH + "INSERT INTO entries (text) VALUES ('before it');")
            cls.before = datetime.now(UTC) - timedelta(seconds=2)
            back_up(data, cls.file)
            run(RUN, env, said="INSERT INTO entries (text) VALUES ('after it');")
            # The log knows seconds, and stops before the one that is named.
            time.sleep(1.1)
            cls.moment = datetime.now(UTC).replace(microsecond=0) + timedelta(seconds=1)
            time.sleep(1.1)
            run(RUN, env, said="DELETE FROM entries;\nDROP TABLE pairs;")
        cls.data = data

    def folder(self) -> Path:
        """The folder as it stands after the mistake."""
        made = self.home / self.id().rpartition(".")[2]
        shutil.copytree(self.data, made)
        return made

    def texts(self, folder: Path) -> list[str]:
        with private(folder, lasting=False) as env:
            all_texts = "SELECT GROUP_CONCAT(text ORDER BY pk SEPARATOR '|') FROM entries"
            return run(ASK, env, all_texts).split("|")

    def test_what_was_done_after_the_backup_is_there_and_the_mistake_is_not(self):
        folder = self.folder()
        _, former = restore(folder, self.file, until=self.moment)
        self.assertEqual(self.texts(folder), ["before it", "after it"])
        self.assertTrue((former / "db").exists())

    def test_without_a_moment_it_is_the_backup_itself(self):
        folder = self.folder()
        restore(folder, self.file)
        self.assertEqual(self.texts(folder), ["before it"])

    def test_a_moment_that_cannot_be_reached_is_refused_and_nothing_is_touched(self):
        folder = self.folder()
        with self.assertRaisesRegex(StepFailed, "later than that moment"):
            restore(folder, self.file, until=self.before)
        logs = list((folder / "db").glob("changes.0*"))
        for log in logs:
            # As after a restore: a log of that name, begun at another time.
            with log.open("r+b") as data:
                data.seek(4)
                data.write((1).to_bytes(4, "little"))
        with self.assertRaisesRegex(StepFailed, "does not go back to this backup"):
            restore(folder, self.file, until=self.moment)
        for log in logs:
            log.unlink()
        with self.assertRaisesRegex(StepFailed, "does not go back to this backup"):
            restore(folder, self.file, until=self.moment)
        self.assertEqual([one.name for one in folder.glob("before-*")], [])


class Backups(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.home = Path(folder.name)
        cls.data, cls.file = cls.home / "data", cls.home / "sortis.tar.gz"
        cls.data.mkdir()
        with private(cls.data, lasting=False) as env:
            run(RUN, env, said=FURNISH)
            writer = subprocess.Popen(
                [PYTHON, "-c", WRITE], env=env, stdout=subprocess.PIPE, text=True
            )
            seen = [int(writer.stdout.readline()) for _ in range(50)]
            reading = threading.Thread(target=lambda: seen.extend(map(int, writer.stdout)))
            reading.start()
            cls.before = seen[-1]
            cls.told = back_up(cls.data, cls.file)
            cls.after = seen[-1]
            writer.kill()
            writer.wait()
            reading.join()
            writer.stdout.close()

    def other(self) -> Path:
        folder = tempfile.TemporaryDirectory(dir=self.home)
        self.addCleanup(folder.cleanup)
        return Path(folder.name)

    def changed(self, change, *, without: str = "") -> Path:
        """The backup with what it says of itself, and what it holds, changed."""
        made = self.other() / "changed.tar.gz"
        with tarfile.open(self.file) as old, tarfile.open(made, "w:gz", compresslevel=1) as new:
            for member in old:
                data = old.extractfile(member).read()
                if member.name == without:
                    continue
                if member.name == ABOUT:
                    about = json.loads(data)
                    change(about)
                    data = json.dumps(about).encode()
                member.size = len(data)
                new.addfile(member, BytesIO(data))
        return made

    @contextmanager
    def refused(self, words: str):
        folder = self.other()
        (folder / "db").mkdir()
        (folder / "db" / "mine").write_text("stays")
        with self.assertRaisesRegex(StepFailed, words):
            yield folder
        self.assertEqual([one.name for one in folder.iterdir()], ["db"])
        self.assertEqual((folder / "db" / "mine").read_text(), "stays")

    def test_it_holds_one_moment_of_what_was_written_meanwhile(self):
        self.assertEqual(self.file.stat().st_mode & 0o777, 0o600)
        self.assertGreater(self.after, self.before)
        self.assertEqual(self.told["entries"], self.told["pairs"])
        self.assertGreaterEqual(self.told["entries"], self.before)
        self.assertLessEqual(self.told["entries"], self.after + 1)
        self.assertEqual(sorted(one.name for one in self.home.rglob(".sortis*")), [])

    def sealed(self) -> Path:
        """The backup of the class, sealed by hand as ``back_up`` does."""
        made = self.other() / "sealed.tar.gz.gpg"
        with made.open("wb") as out, sealing.sealed(out, WORDS) as plain:
            plain.write(self.file.read_bytes())
        return made

    def test_a_sealed_one_is_read_only_with_its_words(self):
        file = self.sealed()
        self.assertTrue(sealing.is_sealed(file))
        self.assertFalse(sealing.is_sealed(self.file))
        with self.assertRaises(tarfile.TarError), tarfile.open(file):
            pass
        with self.refused("Give the words") as folder:
            restore(folder, file)
        with self.refused("cannot be opened with these words") as folder:
            restore(folder, file, WORDS + "s")
        folder = self.other()
        about, _ = restore(folder, file, WORDS)
        self.assertEqual(about["tables"], self.told)

    def test_a_sealed_one_that_was_changed_or_cut_off_is_refused(self):
        whole = self.sealed().read_bytes()
        middle = len(whole) // 2
        other = bytes([whole[middle] ^ 1])
        for data in (whole[:-40], whole[:middle], whole[:middle] + other + whole[middle + 1 :]):
            file = self.other() / "harmed.gpg"
            file.write_bytes(data)
            with self.refused("changed or cut off") as folder:
                restore(folder, file, WORDS)

    def test_words_that_can_be_guessed_are_refused_before_anything_is_written(self):
        file = self.other() / "new.gpg"
        with self.assertRaisesRegex(StepFailed, "at least 12"):
            back_up(self.data, file, "short")
        self.assertEqual(list(file.parent.iterdir()), [])

    def test_what_is_restored_runs_and_what_stood_there_is_kept_beside_it(self):
        folder = self.other()
        (folder / "db").mkdir()
        (folder / "db" / "mine").write_text("kept")
        about, former = restore(folder, self.file)
        self.assertEqual(about["tables"], self.told)
        self.assertEqual((former / "db" / "mine").read_text(), "kept")
        self.assertEqual(
            sorted(one.name for one in folder.iterdir()),
            sorted([former.name, "db", "granted", "secrets.json", "stood.json"]),
        )
        self.assertEqual((folder / "secrets.json").stat().st_mode & 0o777, 0o600)
        with private(folder) as env:
            count = run(ASK, env, "SELECT COUNT(*) FROM entries JOIN pairs ON entry = entries.pk")
            self.assertEqual(int(count), self.told["entries"])
        # It was written since, so from where it stood nobody may follow.
        self.assertFalse((folder / "stood.json").exists())

    def test_no_file_is_written_over(self):
        with self.assertRaisesRegex(StepFailed, "is there already"):
            back_up(self.data, self.file)
        with self.assertRaisesRegex(StepFailed, "no folder that can be written to"):
            back_up(self.data, self.home / "nowhere" / "sortis.tar.gz")

    def test_a_disk_that_knows_no_links_gets_its_file_and_none_is_written_over(self):
        file = self.other() / "stick.tar.gz"
        with mock.patch.object(backup.os, "link", side_effect=PermissionError(1, "no links")):
            with backup._whole(file) as out:
                out.write(b"all of it")
            self.assertEqual(file.read_bytes(), b"all of it")
            with self.assertRaises(PermissionError), backup._whole(file) as out:
                out.write(b"another")
        self.assertEqual(file.read_bytes(), b"all of it")
        with self.assertRaises(ZeroDivisionError), backup._whole(file.with_name("half")):
            raise ZeroDivisionError
        self.assertEqual([one.name for one in file.parent.iterdir()], ["stick.tar.gz"])

    def test_a_database_that_does_not_answer_leaves_no_file(self):
        with self.assertRaisesRegex(StepFailed, "could not be copied"):
            back_up(self.data, self.home / "other.tar.gz")
        self.assertFalse((self.home / "other.tar.gz").exists())

    def test_what_is_no_backup_changes_nothing(self):
        folder = self.other()
        whole = self.file.read_bytes()
        for name, data in {"text": b"not one", "cut": whole[:-9000], "empty": b""}.items():
            file = folder / name
            file.write_bytes(data)
            with self.subTest(name), self.refused("no backup of Sortis|cut off") as here:
                restore(here, file)
        with self.refused("No such file") as here:
            restore(here, folder / "nowhere")

    def test_what_does_not_agree_with_what_it_says_changes_nothing(self):
        def format_to(number):
            return lambda about: about.update(format=number)

        def damaged(about):
            about["files"]["granted"] = "0" * 64

        def outside(about):
            about["files"]["db/../../outside"] = "0" * 64

        def unnamed(about):
            del about["files"]["granted"]

        def more(about):
            about["tables"]["entries"] += 1

        cases = {
            "newer": (format_to(backup.FORMAT + 1), "newer Sortis"),
            "no number": (format_to("1"), "no backup"),
            "damaged": (damaged, "is damaged: granted"),
            "outside": (outside, "does not say what it holds"),
            "unnamed": (unnamed, "which it does not name"),
            "rows": (more, "does not hold the rows"),
        }
        for name, (change, words) in cases.items():
            with self.subTest(name):
                file = self.changed(change)
                with self.refused(words) as here:
                    restore(here, file)
        file = self.changed(lambda about: None, without="granted")
        with self.refused("1 of its files are missing") as here:
            restore(here, file)

    def test_tables_of_a_newer_version_are_refused_by_name(self):
        looked = {"tables": self.told, "strange": ["people.9999_later"]}
        with (
            mock.patch.object(backup, "_looked", return_value=looked),
            self.refused("comes from a newer Sortis.*people.9999_later") as here,
        ):
            restore(here, self.file)

    def test_one_s_own_database_is_left_to_its_own_tools(self):
        with mock.patch.dict(os.environ, {"SORTIS_DB_HOST": "db.example"}):
            from house.commands import _require_private

            with self.assertRaisesRegex(StepFailed, "its own tools"):
                _require_private()
