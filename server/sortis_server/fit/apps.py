from django.apps import AppConfig


class FitConfig(AppConfig):
    name = "sortis_server.fit"
