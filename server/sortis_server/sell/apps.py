from django.apps import AppConfig


class SellConfig(AppConfig):
    name = "sortis_server.sell"
