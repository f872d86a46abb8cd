"""What the application says of its own database, tasks and clock."""

import io
import json
from datetime import timedelta

from django.core.management import call_command
from django.db.migrations.recorder import MigrationRecorder
from django.test import TestCase
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from sortis_server.background.alive import GONE_SECONDS, UtcNow, tell_alive, tell_over
from sortis_server.background.models import WorkerSeen


class Examine(TestCase):
    def setUp(self):
        tell_alive("worker-here")

    def told(self) -> dict[bool, str]:
        out = io.StringIO()
        call_command("examine", stdout=out)
        found = json.loads(out.getvalue())
        return {
            well: " ".join(one["words"] for one in found if one["well"] is well)
            for well in (True, False)
        }

    def task(self, **fields: object) -> None:
        row = DBTaskResult.objects.create(
            args_kwargs={"args": [], "kwargs": {}},
            priority=0,
            task_path="none",
            queue_name="default",
            backend_name="default",
        )
        DBTaskResult.objects.filter(pk=row.pk).update(**fields)

    def test_a_well_one(self):
        told = self.told()
        self.assertIn("The tables are those of this Sortis.", told[True])
        self.assertIn("Workers that live: 1; tasks that wait or are being done: 0.", told[True])
        self.assertIn("The clock agrees", told[True])

    def test_a_task_that_nobody_takes_is_told_with_its_minutes(self):
        self.task(enqueued_at=timezone.now() - timedelta(minutes=9))
        self.assertIn("being done: 1.", self.told()[True])
        self.task(enqueued_at=timezone.now() - timedelta(minutes=12, seconds=5))
        self.assertIn("A task waits for 12 minutes.", self.told()[False])

    def test_workers_that_are_silent_or_ended_live_no_more(self):
        tell_alive("worker-there")
        self.assertIn("Workers that live: 2;", self.told()[True])
        silent = UtcNow() - timedelta(seconds=GONE_SECONDS + 1)
        WorkerSeen.objects.filter(name="worker-here").update(seen_at=silent)
        self.assertIn("Workers that live: 1;", self.told()[True])
        tell_over("worker-there")
        self.task()
        told = self.told()[False]
        self.assertIn("No worker lives; tasks that wait: 1. Start ./sortis work", told)

    def test_a_clock_that_was_set_back_is_told(self):
        self.task(enqueued_at=timezone.now() + timedelta(hours=1))
        self.assertIn("The clock was set back", self.told()[False])

    def test_tables_of_a_newer_sortis_and_changes_that_wait(self):
        recorder = MigrationRecorder.Migration
        recorder.objects.create(app="orders", name="9999_of_next_year")
        self.assertIn("of a newer Sortis (orders.9999_of_next_year)", self.told()[False])
        recorder.objects.filter(name="9999_of_next_year").delete()
        recorder.objects.filter(app="live").delete()
        self.assertIn("tables that wait: 1.", self.told()[False])
