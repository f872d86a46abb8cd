import json
from datetime import timedelta

from django.core.management.base import BaseCommand, CommandParser
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from sortis_server.background.alive import alive

MOST_WAITING = timedelta(minutes=10)
"""A task that waits longer has no worker."""
AHEAD = timedelta(minutes=5)
"""A record from so far ahead was written by another clock."""


class Command(BaseCommand):
    help = "Say what is well and what is not, as JSON: database, tables, tasks, clock."

    def add_arguments(self, parser: CommandParser) -> None:
        words = "only the tables; nothing else of an older database need be as this one knows it"
        parser.add_argument("--tables", action="store_true", help=words)

    def handle(self, *, tables: bool, **options: object) -> None:
        if tables:
            self.stdout.write(json.dumps(self._tables()))
            return
        looked = [self._database(), self._tasks(), self._clock()]
        told: list[dict[str, object]] = [{"well": well, "words": words} for well, words in looked]
        self.stdout.write(json.dumps([*told, self._tables()]))

    def _database(self) -> tuple[bool, str]:
        with connection.cursor() as cursor:
            cursor.execute("SELECT VERSION(), @@innodb_flush_log_at_trx_commit")
            version, flush = cursor.fetchone()
        number = version.split("-")[0]
        if int(flush) != 1:
            return False, (
                f"The database {number} may forget the last second when the power fails. Set "
                "innodb_flush_log_at_trx_commit = 1."
            )
        return True, f"The database {number} answers and keeps every write."

    def _tables(self) -> dict[str, object]:
        """With how many changes wait; a newer Sortis may have made some that this one lacks."""
        executor = MigrationExecutor(connection)
        waits = len(executor.migration_plan(executor.loader.graph.leaf_nodes()))
        newer = set(executor.loader.applied_migrations) - set(executor.loader.disk_migrations)
        known = {app for app, _ in executor.loader.disk_migrations}
        if ours := sorted(name for name in newer if name[0] in known):
            words = (
                f"The tables are of a newer Sortis ({'.'.join(ours[0])}). Start that one, or "
                "restore a backup of this one."
            )
            return {"well": False, "words": words, "waits": 0}
        if waits:
            words = f"Changes of the tables that wait: {waits}. The next start does them."
            return {"well": False, "words": words, "waits": waits}
        return {"well": True, "words": "The tables are those of this Sortis.", "waits": 0}

    def _tasks(self) -> tuple[bool, str]:
        waiting = DBTaskResult.objects.filter(status="READY").order_by("enqueued_at").first()
        if waiting and timezone.now() - waiting.enqueued_at > MOST_WAITING:
            minutes = int((timezone.now() - waiting.enqueued_at).total_seconds() // 60)
            return False, (
                f"A task waits for {minutes} minutes. No worker takes it: look into worker.log."
            )
        count = DBTaskResult.objects.filter(status__in=("READY", "RUNNING")).count()
        workers = alive().count()
        if not workers:
            return False, (
                f"No worker lives; tasks that wait: {count}. Start ./sortis work, or ./sortis "
                "serve without SORTIS_WORKERS=0."
            )
        return True, f"Workers that live: {workers}; tasks that wait or are being done: {count}."

    def _clock(self) -> tuple[bool, str]:
        ahead = timezone.now() + AHEAD
        newest = DBTaskResult.objects.filter(enqueued_at__gt=ahead).exists()
        with connection.cursor() as cursor:
            cursor.execute("SELECT UTC_TIMESTAMP(6)")
            (there,) = cursor.fetchone()
        apart = abs((timezone.now().replace(tzinfo=None) - there).total_seconds())
        if newest or apart > AHEAD.total_seconds():
            return False, (
                "The clock was set back, or the database's is another: records lie in the future. "
                "Set the clock by the network."
            )
        return True, "The clock agrees with the database's."
