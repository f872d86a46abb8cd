from django.apps import AppConfig


class DecideConfig(AppConfig):
    name = "sortis_server.decide"
