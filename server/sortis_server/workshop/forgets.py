"""After how long each thing is forgotten."""

from sortis_core.forgetting import Forgotten
from sortis_server.background.terms import term
from sortis_server.workshop.services import workshop


@term
def _days(what: Forgotten) -> int:
    return workshop().forgets_after(what)
