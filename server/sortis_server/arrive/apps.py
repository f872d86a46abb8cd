from django.apps import AppConfig


class ArriveConfig(AppConfig):
    name = "sortis_server.arrive"
