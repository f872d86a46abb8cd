from django.apps import AppConfig


class DecideConfig(AppConfig):
    name = "sortis_server.decide"

    def ready(self) -> None:
        from sortis_core.plan.shelf import shared_by
        from sortis_server.decide.shelf import FilesOfThisRun
        from sortis_server.decide.wishes import unwake_holds, wake_holds
        from sortis_server.stock.acts import parts_gone
        from sortis_server.stock.services import parts_arrived

        shared_by(FilesOfThisRun())
        parts_arrived.connect(wake_holds, dispatch_uid="wake holds")
        parts_gone.connect(unwake_holds, dispatch_uid="unwake holds")
