"""Print the case of a batch as JSON, for ``./sortis core plan``."""

from django.core.management.base import BaseCommand, CommandError, CommandParser

from sortis_core.base import SortisError
from sortis_server.arrive.services import batch_called
from sortis_server.decide.cases import case_of


class Command(BaseCommand):
    """``manage.py export_case BATCH``."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("batch")

    def handle(self, *args, **options) -> None:
        try:
            case = case_of(batch_called(options["batch"]))
        except SortisError as refusal:
            raise CommandError(refusal.sentence) from refusal
        self.stdout.write(case.model_dump_json(indent=2))
