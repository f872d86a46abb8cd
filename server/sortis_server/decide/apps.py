from django.apps import AppConfig


class DecideConfig(AppConfig):
    name = "sortis_server.decide"

    def ready(self) -> None:
        from sortis_server.decide.wishes import wake_holds
        from sortis_server.stock.services import parts_arrived

        parts_arrived.connect(wake_holds, dispatch_uid="wake holds")
