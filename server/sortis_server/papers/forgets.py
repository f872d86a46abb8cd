"""Papers of many units that were drawn for printing; each can be drawn again."""

from datetime import datetime

from sortis_core.forgetting import Forgotten
from sortis_server.background.terms import forgets
from sortis_server.papers.models import PaperJob


@forgets(Forgotten.PRINTS)
def _prints(before: datetime) -> int:
    return PaperJob.objects.filter(at__lt=before).delete()[0]
