from django.apps import AppConfig


class ReleaseConfig(AppConfig):
    name = "sortis_server.release"
