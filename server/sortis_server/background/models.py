from django.db import models


class WorkerSeen(models.Model):
    """A worker, on whichever machine, and when it last told that it lives."""

    name = models.CharField(max_length=64, unique=True)
    seen_at = models.DateTimeField()
    """By the database's clock: those of the machines may differ."""

    def __str__(self) -> str:
        return self.name
