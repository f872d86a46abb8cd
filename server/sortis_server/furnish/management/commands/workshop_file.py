"""Take the furnishing of a workshop out as a file, or in from one."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, ProgrammingError

from sortis_core.base import SortisError
from sortis_server.furnish.file import (
    FileVerdict,
    read_workshop_file,
    starter_set,
    take_workshop_file,
    workshop_file,
)

STARTER = "starter"


class Command(BaseCommand):
    """``manage.py workshop_file import|export FILE``; ``starter`` names the set that ships."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("what", choices=["import", "export"])
        parser.add_argument("file")
        parser.add_argument("--trial", action="store_true")

    def handle(self, *args, **options) -> None:
        file = Path(options["file"])
        try:
            if options["what"] == "export":
                file.write_bytes(workshop_file())
                self.stdout.write(f"The workshop is in {file}.")
                return
            data = starter_set() if options["file"] == STARTER else file.read_bytes()
            given = read_workshop_file(data)
            self._say(take_workshop_file(given, None, trial=options["trial"]), options["trial"])
        except SortisError as refusal:
            raise CommandError(refusal.sentence) from refusal
        except OSError as error:
            raise CommandError(f"{file}: {error.strerror}.") from error
        except (ProgrammingError, OperationalError) as error:
            raise CommandError(
                "This database is none of Sortis, or of another version. Start Sortis on it once "
                "(./sortis serve), then take the file in."
            ) from error

    def _say(self, said: FileVerdict, trial: bool) -> None:
        for words, lines in (
            ("new", said.new),
            ("changed", said.changed),
            ("to be answered under Sheets", said.asked),
            ("left", said.left),
        ):
            for line in lines:
                self.stdout.write(f"  {words}: {line}")
        would = "would be " if trial else ""
        self.stdout.write(
            f"{len(said.new)} {would}new, {len(said.changed)} {would}changed, "
            f"{said.same} the same, {len(said.asked)} to be answered, "
            f"{len(said.left)} left as they are."
        )
