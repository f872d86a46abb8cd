from django.apps import AppConfig


class StockConfig(AppConfig):
    name = "sortis_server.stock"
