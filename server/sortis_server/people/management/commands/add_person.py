"""Add somebody who signs in; the password is asked for, never written on the command line."""

from getpass import getpass

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, ProgrammingError

from sortis_core.base import SortisError
from sortis_core.vocabulary.states import Role
from sortis_server.people.services import add_person, good_password, good_username


class Command(BaseCommand):
    """``manage.py add_person USERNAME NAME ROLE...``."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("name")
        parser.add_argument("roles", nargs="+", choices=[role.value for role in Role])

    def handle(self, *args, **options) -> None:
        roles = [Role(role) for role in options["roles"]]
        try:
            username = good_username(options["username"])
            password = getpass("Password: ")
            good_password(password, username, options["name"])
            if password != getpass("Once more: "):
                raise CommandError("The two passwords differ. Nobody was added.")
            add_person(username, options["name"], roles, password)
        except SortisError as refusal:
            raise CommandError(refusal.sentence) from refusal
        except (ProgrammingError, OperationalError) as error:
            raise CommandError(
                "This database is none of Sortis, or of another version. Start Sortis on it once "
                "(./sortis serve), then add people."
            ) from error
        self.stdout.write(f"{options['name']} can sign in as {username}.")
