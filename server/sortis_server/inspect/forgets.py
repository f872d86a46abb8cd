"""Pictures that were taken off a unit."""

from datetime import datetime

from sortis_core.forgetting import Forgotten
from sortis_server.background.terms import forgets
from sortis_server.inspect.models import Photo


@forgets(Forgotten.PICTURES)
def _pictures(before: datetime) -> int:
    return Photo.objects.filter(removed=True, removed_at__lt=before).delete()[0]
