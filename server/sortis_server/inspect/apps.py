from django.apps import AppConfig


class InspectConfig(AppConfig):
    name = "sortis_server.inspect"
    label = "inspection"
