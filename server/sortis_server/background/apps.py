from django.apps import AppConfig


class BackgroundConfig(AppConfig):
    name = "sortis_server.background"

    def ready(self) -> None:
        from django_tasks.signals import task_finished

        from sortis_server.background.left import tell_failed

        task_finished.connect(tell_failed, dispatch_uid="tell what failed")
