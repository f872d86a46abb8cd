"""Answers to writes that a screen gave a name of their own."""

from django.conf import settings
from django.db import models


class Answered(models.Model):
    """A write that was carried out, with its answer; kept until no screen sends it again."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=64)
    """Named by the screen."""
    digest = models.CharField(max_length=64)
    """Of where it was sent and what it said."""
    status = models.PositiveSmallIntegerField(default=0)
    content_type = models.CharField(max_length=80, blank=True)
    body = models.BinaryField(default=b"")
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "name"], name="answered_once")]

    def __str__(self) -> str:
        return self.name
