"""Where everybody is."""

from django.conf import settings
from django.db import models

LONGEST_TAG = 12


class Here(models.Model):
    """The unit that a person has open, one row a person; old rows mean nothing."""

    person = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, primary_key=True, related_name="here"
    )
    tag = models.CharField(max_length=LONGEST_TAG, blank=True, db_index=True)
    at = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.person_id} at {self.tag or 'no unit'}"
