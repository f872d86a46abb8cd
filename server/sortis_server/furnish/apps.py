from django.apps import AppConfig


class FurnishConfig(AppConfig):
    name = "sortis_server.furnish"
