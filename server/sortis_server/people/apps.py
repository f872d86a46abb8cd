from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "sortis_server.people"
