"""Whether the first start of this database is still open; for the command that serves it."""

from django.core.management.base import BaseCommand

from sortis_server.people.models import Person


class Command(BaseCommand):
    """``manage.py start_key``: prints ``open`` where nobody can sign in yet."""

    help = __doc__

    def handle(self, *args, **options) -> None:
        self.stdout.write("over" if Person.objects.exists() else "open")
