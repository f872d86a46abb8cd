from django.apps import AppConfig


class PapersConfig(AppConfig):
    name = "sortis_server.papers"
