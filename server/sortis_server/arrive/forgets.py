"""What was said of each row of a list that is taken in; its units say what came of it."""

from datetime import datetime

from sortis_core.forgetting import Forgotten
from sortis_core.vocabulary.states import ImportState
from sortis_server.arrive.models import ManifestImport
from sortis_server.background.terms import forgets


@forgets(Forgotten.VERDICTS)
def _verdicts(before: datetime) -> int:
    taken = ManifestImport.objects.filter(state=ImportState.TAKEN, at__lt=before)
    return taken.exclude(verdicts=[]).update(verdicts=[])
