"""What is no evidence is forgotten after a term that the workshop sets (docs/rules.md, Forgetting).

Evidence never is: findings, movements, work orders, signatures, erasers' reports, papers' data,
sales, and who did what. Of a sale that ended long ago the buyer's name goes, and the sale stays; so
do plans of a batch that was closed long ago, without its customers' names.
"""

import re
from datetime import datetime, timedelta
from typing import Annotated, Any

from pydantic import Field

from sortis_core.vocabulary.term import Term

USUAL_DAYS = 90
ForgetDays = Annotated[int, Field(ge=7, le=3650)]
"""At least a week, so that nothing goes while somebody still works with it."""
USUAL_BUYER_DAYS = 3650
BuyerDays = Annotated[int, Field(ge=365, le=36_500)]
"""At least a year: what comes back under a warranty is found by who bought it. How long books must
name their buyers, and from when on they may not, is a matter of local law."""
NAMELESS = "a buyer of before"


class Forgotten(Term):
    """What is kept only for so long."""

    SIGN_INS = "sign_ins", "attempts to sign in, and sessions that ended"
    TASKS = "tasks", "results of tasks that are done"
    VERDICTS = "verdicts", "what was said of each row of a list that is taken in"
    DAY_PLANS = "day_plans", "plans of days gone by, but for the newest"
    PICTURES = "pictures", "pictures that were taken off a unit"
    BUYERS = "buyers", "names of buyers whose sales ended"
    CUSTOMERS = "customers", "names of customers in batches that were closed"


PEOPLE = frozenset({Forgotten.BUYERS, Forgotten.CUSTOMERS})
"""Names, which have a term of their own."""


def without_name(words: str, name: str) -> str:
    """What was written down, without the buyer's name, however it is spelled there."""
    return re.sub(re.escape(name), NAMELESS, words, flags=re.IGNORECASE) if name else words


def without_customer(told: Any, name: str) -> Any:
    """A document of a plan without a customer's name: where it stands for the customer, and where a
    sentence says of the customer what was ordered or is paid. The plan stays the plan.

    :param told: as JSON has it.
    """
    if isinstance(told, dict):
        return {key: _of_key(key, value, name) for key, value in told.items()}
    if isinstance(told, list):
        return [without_customer(one, name) for one in told]
    return said_without_customer(told, name) if isinstance(told, str) else told


def _of_key(key: str, value: Any, name: str) -> Any:
    if key == "customer":
        return NAMELESS if value == name else value
    return without_customer(value, name)


def said_without_customer(words: str, name: str) -> str:
    """A sentence of a plan without a customer's name; a word of the job that is spelled like it
    stays."""
    return re.sub(rf"(?<!\w){re.escape(name)}(?= pays |: \d)", NAMELESS, words)


def forgotten_before(days: int, now: datetime) -> datetime:
    """What lies before this moment may go.

    :param days: as of :data:`ForgetDays` or :data:`BuyerDays`. :param now: in UTC.
    """
    return now - timedelta(days=days)
