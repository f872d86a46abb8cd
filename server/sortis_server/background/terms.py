"""What is kept only for a term, and the worker that cleans it once a day.

Each application says in its ``forgets.py`` what it lets go; the workshop says after how long.
"""

import logging
from collections.abc import Callable
from datetime import datetime, timedelta
from threading import Event, Thread

from django.db import Error, connection
from django.utils import timezone
from django.utils.module_loading import autodiscover_modules

from sortis_core.forgetting import Forgotten, forgotten_before

FIRST_SECONDS = 60.0
EVERY = timedelta(hours=24)
AGAIN = timedelta(minutes=10)
"""Where the database was away."""
LOCK = "sortis forgets"

Forget = Callable[[datetime], int]
"""Let go what is older than a moment; how many there were."""
_FORGETTING: dict[Forgotten, Forget] = {}
Term = Callable[[Forgotten], int]
"""After how many days one kind of thing goes."""
_term: list[Term] = []
log = logging.getLogger(__name__)


def forgets(what: Forgotten) -> Callable[[Forget], Forget]:
    """Name what lets one kind of thing go."""

    def named(does: Forget) -> Forget:
        _FORGETTING[what] = does
        return does

    return named


def term(days: Term) -> Term:
    """Name what says after how many days; the workshop does."""
    _term[:] = [days]
    return days


def forget(now: datetime | None = None) -> dict[Forgotten, int]:
    """Let everything go whose term is over; how many there were of each.

    Only one worker does at a time; another finds nothing to do.
    """
    autodiscover_modules("forgets")
    with connection.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, 0)", [LOCK])
        if cursor.fetchone() != (1,):
            return {}
    try:
        at = now or timezone.now()
        days = {what: _term[0](what) for what in Forgotten}
        return {what: _FORGETTING[what](forgotten_before(days[what], at)) for what in Forgotten}
    finally:
        with connection.cursor() as cursor:
            cursor.execute("SELECT RELEASE_LOCK(%s)", [LOCK])


def keep_forgetting(over: Event) -> Thread:
    """Do so once a day beside whatever else the worker does, until it is over."""

    def clean() -> None:
        wait = timedelta(seconds=FIRST_SECONDS)
        while not over.wait(wait.total_seconds()):
            try:
                gone = {str(what): count for what, count in forget().items() if count}
                wait = EVERY
                if gone:
                    log.info("forgotten: %s", gone)
            except Error as error:
                log.warning("nothing could be forgotten: %s", error)
                wait = AGAIN
            finally:
                connection.close()

    thread = Thread(target=clean, daemon=True)
    thread.start()
    return thread
