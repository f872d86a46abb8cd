"""Add somebody who signs in; the password is asked for, never written on the command line."""

from getpass import getpass

from django.core.management.base import BaseCommand, CommandError, CommandParser

from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Person

SHORTEST_PASSWORD = 8


class Command(BaseCommand):
    """``manage.py add_person USERNAME NAME ROLE...``."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("name")
        parser.add_argument("roles", nargs="+", choices=[role.value for role in Role])

    def handle(self, *args, **options) -> None:
        if Person.objects.filter(username=options["username"]).exists():
            raise CommandError(f"{options['username']} is taken. Choose another user name.")
        password = getpass("Password: ")
        if len(password) < SHORTEST_PASSWORD:
            raise CommandError(f"A password has at least {SHORTEST_PASSWORD} characters.")
        if password != getpass("Once more: "):
            raise CommandError("The two passwords differ. Nobody was added.")
        Person.objects.create_person(
            options["username"], options["name"], options["roles"], password
        )
        self.stdout.write(f"{options['name']} can sign in as {options['username']}.")
