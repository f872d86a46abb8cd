"""A worker that is killed, or falls over, leaves nothing waiting for ever."""

import os
import signal
import subprocess
import sys
import time
from datetime import timedelta
from threading import Event
from unittest import mock

from django.conf import settings
from django.core.management import call_command
from django.db import InterfaceError, OperationalError, connection
from django.test import TransactionTestCase
from django_tasks_db.models import DBTaskResult

from house.place import HOME
from sortis_core.vocabulary.states import JobState
from sortis_server.arrive import manifests
from sortis_server.arrive.models import ManifestImport, Unit
from sortis_server.background import alive as workers
from sortis_server.background.alive import (
    GONE_SECONDS,
    KEPT,
    UtcNow,
    alive,
    take_up_from_gone,
    tell_alive,
)
from sortis_server.background.left import LEFT, TRIES, UNEXPECTED, take_up, take_up_again
from sortis_server.background.models import WorkerSeen
from sortis_server.decide.cases import Dials
from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import begin_plan, solve_in_background
from sortis_server.papers.many import draw_in_background
from sortis_server.papers.models import PaperJob
from tests.server.workshop import Workshop

ROWS = 3_000


class LeftBehind(Workshop, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def work(self, name: str = "worker-here") -> None:
        call_command("work", worker_id=name, batch=True, startup_delay=False, verbosity=0)

    def killed(self, *names: str) -> DBTaskResult:
        """The task that waits, as it stands after these workers were killed at it."""
        task = DBTaskResult.objects.get()
        for name in names:
            task.claim(name)
        return task

    def waiting_plan(self) -> PlanRow:
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        case = begin_plan(self.batch, self.marit, Dials()).case
        row = PlanRow.objects.create(batch=self.batch, number=9, case=case, by=self.marit)
        solve_in_background.enqueue(row.pk)
        return row

    def waiting_list(self) -> ManifestImport:
        rows = "".join(f"L{number},Tolva,Lern 11\n" for number in range(ROWS))
        data = ("serial,maker,model\n" + rows).encode()
        row = manifests.open_import(self.batch, "large.csv", data, self.marit)
        self.work()
        row.refresh_from_db()
        self.assertEqual(row.state, "ready")
        DBTaskResult.objects.all().delete()
        return manifests.begin_taking(row)

    def test_what_a_killed_worker_had_begun_goes_on_once(self):
        row = self.waiting_plan()
        self.killed("worker-here")
        self.work("worker-elsewhere")
        row.refresh_from_db()
        self.assertEqual(row.state, "solving")
        self.work()
        row.refresh_from_db()
        self.assertEqual(row.state, "solved")
        self.assertEqual(take_up_again("worker-here"), 0)

    def silent(self, name: str, seconds: float) -> None:
        """A worker that told last so long ago that it lives."""
        tell_alive(name)
        there = WorkerSeen.objects.filter(name=name)
        there.update(seen_at=UtcNow() - timedelta(seconds=seconds))

    def test_what_a_machine_had_begun_that_never_comes_back_goes_on_elsewhere(self):
        row = self.waiting_plan()
        self.killed("worker-gone")
        self.silent("worker-gone", GONE_SECONDS - 10)
        self.assertEqual(take_up_from_gone(), 0)
        self.silent("worker-gone", GONE_SECONDS + 1)
        self.assertEqual((take_up_from_gone(), take_up_from_gone()), (1, 0))
        self.work("worker-elsewhere")
        row.refresh_from_db()
        self.assertEqual(row.state, "solved")
        self.assertTrue(WorkerSeen.objects.filter(name="worker-gone").exists())
        self.silent("worker-gone", KEPT.total_seconds() + 1)
        take_up_from_gone()
        self.assertFalse(WorkerSeen.objects.filter(name="worker-gone").exists())

    def test_what_somebody_else_took_up_meanwhile_is_left_to_them(self):
        self.waiting_plan()
        found = self.killed("worker-gone")
        DBTaskResult.objects.get().claim("worker-elsewhere")
        self.assertFalse(take_up(found, "worker-gone"))
        self.assertEqual(DBTaskResult.objects.get().status, "RUNNING")

    def test_a_worker_tells_that_it_lives_while_it_works_and_that_it_ended(self):
        self.waiting_plan()
        seen: list[str] = []

        def look(*_: object, **__: object) -> None:
            seen.extend(alive().values_list("name", flat=True))

        with mock.patch("sortis_server.decide.services.make_plan", side_effect=look):
            self.work()
        self.assertEqual((seen, alive().count()), (["worker-here"], 0))

    def told_for(self, seconds: float, **tell: object) -> int:
        """How often a worker looks for those that are gone, while it tells so for a while."""
        over = Event()
        fast = mock.patch.multiple(workers, EVERY_SECONDS=0.01, GONE_SECONDS=0.1)
        look = mock.patch.object(workers, "take_up_from_gone", return_value=0)
        with fast, look as looked:
            with mock.patch.object(workers, "tell_alive"):
                thread = workers.keep_telling("worker-here", over)
            with mock.patch.object(workers, "tell_alive", **tell):
                time.sleep(seconds)
                over.set()
                thread.join()
        return looked.call_count

    def test_who_was_away_from_the_database_takes_nobody_for_gone(self):
        self.assertGreater(self.told_for(0.5), 0)
        for fault in (OperationalError("away"), InterfaceError(0, ""), ZeroDivisionError()):
            with self.assertLogs(workers.log) as said:
                self.assertEqual(self.told_for(0.5, side_effect=fault), 0)
            # It goes on telling all the same.
            self.assertGreater(len(said.records), 1)

    def test_what_ends_its_worker_each_time_is_told_and_holds_nothing_up(self):
        row = self.waiting_plan()
        task = self.killed(*["worker-here"] * TRIES)
        self.assertEqual(take_up_again("worker-here"), 0)
        row.refresh_from_db()
        task.refresh_from_db()
        self.assertEqual((row.state, row.refusal, task.status), ("refused", LEFT, "FAILED"))

    def test_a_fault_nobody_foresaw_is_told_where_the_work_is_seen(self):
        plan = self.waiting_plan()
        with mock.patch("sortis_server.decide.services.make_plan", side_effect=ZeroDivisionError):
            self.work()
        plan.refresh_from_db()
        self.assertEqual((plan.state, plan.refusal), ("refused", UNEXPECTED))
        taken = self.waiting_list()
        with mock.patch.object(manifests, "_take", side_effect=ZeroDivisionError):
            self.work()
        taken.refresh_from_db()
        self.assertEqual((taken.state, taken.refusal), ("ready", UNEXPECTED))
        job = PaperJob.objects.create(kind="spec", tags=["TW-0001"], by=self.marit)
        draw_in_background.enqueue(job.pk)
        with mock.patch("sortis_server.papers.many._draw", side_effect=ZeroDivisionError):
            self.work()
        job.refresh_from_db()
        self.assertEqual((job.state, job.refusal), (JobState.FAILED, UNEXPECTED))

    def test_what_came_to_its_end_is_not_done_again(self):
        row = self.waiting_plan()
        PlanRow.objects.filter(pk=row.pk).update(state="refused", refusal="Stopped.")
        self.killed("worker-here")
        self.work()
        row.refresh_from_db()
        self.assertEqual((row.state, row.refusal), ("refused", "Stopped."))

    def test_a_list_whose_worker_is_killed_in_the_middle_is_taken_in_whole_and_once(self):
        row = self.waiting_list()
        worker = subprocess.Popen(
            [sys.executable, HOME / "server/manage.py", "work", "--worker-id", "worker-here"],
            env=os.environ
            | {
                "SORTIS_DB_NAME": settings.DATABASES["default"]["NAME"],
                "PYTHONPATH": os.pathsep.join(sys.path),
            },
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(worker.wait)
        self.addCleanup(worker.kill)
        until = time.monotonic() + 60
        while not 0 < ManifestImport.objects.get(pk=row.pk).done < ROWS:
            self.assertIsNone(worker.poll(), "it ended by itself")
            self.assertLess(time.monotonic(), until)
            time.sleep(0.01)
        os.kill(worker.pid, signal.SIGKILL)
        worker.wait()
        self.assertEqual(Unit.objects.count(), 0)
        connection.close()
        self.work()
        row.refresh_from_db()
        self.assertEqual((row.state, row.done, Unit.objects.count()), ("taken", ROWS, ROWS))
