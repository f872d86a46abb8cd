"""Papers of many units at once: drawn by a worker, kept for a day."""

from django.conf import settings
from django.db import models

from sortis_core.papers import PrintKind
from sortis_core.vocabulary.states import JobState
from sortis_server.terms import TermField


class PaperJob(models.Model):
    """Papers of one kind of many units, in one file."""

    kind = TermField(PrintKind, max_length=10)
    tags = models.JSONField()
    state = TermField(JobState, max_length=10, default=JobState.WAITING)
    done = models.PositiveIntegerField(default=0)
    doing = models.CharField(max_length=60, blank=True)
    stop_wanted = models.BooleanField(default=False)
    refusal = models.CharField(max_length=400, blank=True)
    data = models.BinaryField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.kind} of {len(self.tags)} units"
