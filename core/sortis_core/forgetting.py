"""What is no evidence is forgotten after a term that the workshop sets (docs/rules.md, Forgetting).

Evidence never is: findings, movements, work orders, signatures, erasers' reports, papers' data,
sales, and who did what.
"""

from datetime import datetime, timedelta
from typing import Annotated

from pydantic import Field

from sortis_core.vocabulary.term import Term

USUAL_DAYS = 90
ForgetDays = Annotated[int, Field(ge=7, le=3650)]
"""At least a week, so that nothing goes while somebody still works with it."""


class Forgotten(Term):
    """What is kept only for so long."""

    SIGN_INS = "sign_ins", "attempts to sign in, and sessions that ended"
    TASKS = "tasks", "results of tasks that are done"
    VERDICTS = "verdicts", "what was said of each row of a list that is taken in"
    DAY_PLANS = "day_plans", "plans of days gone by, but for the newest"
    PICTURES = "pictures", "pictures that were taken off a unit"


def forgotten_before(days: int, now: datetime) -> datetime:
    """What lies before this moment may go.

    :param days: as of :data:`ForgetDays`. :param now: in UTC.
    """
    return now - timedelta(days=days)
