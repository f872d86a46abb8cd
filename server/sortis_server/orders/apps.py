from django.apps import AppConfig


class OrdersConfig(AppConfig):
    name = "sortis_server.orders"
