"""Django's runner, on tables that are made at once and not by the steps that led to them."""

from typing import Any

from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """What the steps lead to is what the models say: ``./sortis check`` refuses anything else, and
    ``tests/house`` goes all of them."""

    def setup_databases(self, **more: Any) -> Any:
        """The tables, with every step noted as gone."""
        made = super().setup_databases(**more)
        recorder = MigrationRecorder(connection)
        recorder.ensure_schema()
        recorder.migration_qs.bulk_create(
            recorder.Migration(app=app, name=name)
            for app, name in MigrationLoader(None).disk_migrations
        )
        return made
