from django.apps import AppConfig


class DayConfig(AppConfig):
    name = "sortis_server.day"
