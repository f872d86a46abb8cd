from django.apps import AppConfig


class SheetsConfig(AppConfig):
    name = "sortis_server.sheets"
