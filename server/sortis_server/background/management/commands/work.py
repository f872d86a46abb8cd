import contextlib
from threading import Event

from django.db import Error
from django_tasks_db.management.commands import db_worker

from sortis_server.background.alive import keep_telling, tell_over
from sortis_server.background.left import take_up_again
from sortis_server.background.terms import keep_forgetting


class Command(db_worker.Command):
    help = "Do what waits for a worker; first what one of the same name left behind."

    def handle(self, *, worker_id: str, **options: object) -> None:
        over = Event()
        keep_telling(worker_id, over)
        take_up_again(worker_id)
        keep_forgetting(over)
        try:
            super().handle(worker_id=worker_id, **options)
        finally:
            over.set()
            with contextlib.suppress(Error):
                tell_over(worker_id)
