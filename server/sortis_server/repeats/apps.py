from django.apps import AppConfig


class RepeatsConfig(AppConfig):
    name = "sortis_server.repeats"
