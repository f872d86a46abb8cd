"""After how long what is no evidence is forgotten."""

from sortis_server.background.terms import term
from sortis_server.workshop.services import workshop


@term
def _days() -> int:
    return workshop().forget_days
