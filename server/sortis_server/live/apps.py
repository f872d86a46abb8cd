"""The application of what others do."""

from django.apps import AppConfig


class LiveConfig(AppConfig):
    """Where everybody is, and marks of what changed."""

    name = "sortis_server.live"
    default_auto_field = "django.db.models.BigAutoField"
