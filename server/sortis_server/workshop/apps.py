from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "sortis_server.workshop"
