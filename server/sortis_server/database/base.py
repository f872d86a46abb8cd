"""Django's own link to MariaDB, to that one of several databases which is written.

Of a pair one is written and the other follows it; which one may change while people work
(docs/running.md, "A second database"). All nodes of a cluster may be written, but locks hold on one
of them only, so all hosts write to the one that the cluster itself counts first. With one place it
is Django's link and nothing else.
"""

import contextlib
import time
from typing import Any

from django.conf import settings
from django.db import OperationalError
from django.db.backends.mysql import base
from django.utils.asyncio import async_unsafe

from sortis_server.database.places import Place, places_of

ONLY_READ = 1290
"""MariaDB's number where a database is not written."""
ROLE = "SHOW GLOBAL VARIABLES WHERE Variable_name IN ('read_only', 'wsrep_on')"
IN_CLUSTER = "SHOW GLOBAL STATUS WHERE Variable_name IN ('wsrep_ready', 'wsrep_local_index')"
LOST = 2013
"""Its number where a link broke while something was under way."""
SURE_SECONDS = 3.0
"""A link that was found to lead to the written one longer ago may have stood still since, while
another was made it: that is asked before what is written by it is answered."""
SILENT_SECONDS = 10.0
"""One that did not answer is not asked again so soon; who took a place answers."""
ASK_SECONDS = 1
_silent: dict[Place, float] = {}
"""When a place did not answer, by ``time.monotonic``."""
_last: dict[str, Place] = {}
"""By setting: where it was written last, so that a machine that is gone costs its wait once."""


class DatabaseWrapper(base.DatabaseWrapper):
    """As Django's, to the first place that is written."""

    _place: Place | None = None
    """Of several the one that this link leads to."""
    _found = 0.0
    """When it was found to lead to the one that is written, by ``time.monotonic``."""

    @async_unsafe
    def get_new_connection(self, conn_params: dict[str, Any]) -> Any:
        """A link to the database that is written.

        :raises OperationalError: where none answers, or all of them only follow.
        """
        named = self.settings_dict["HOST"]
        if named.startswith("/"):
            return super().get_new_connection(conn_params)
        places = places_of(named, self.settings_dict["PORT"])
        if len(places) == 1:
            return super().get_new_connection(conn_params | places[0]._asdict())
        if seconds := settings.DB_ANSWER_SECONDS:
            conn_params |= {"read_timeout": seconds, "write_timeout": seconds}
        first = _last.get(named)
        refused: Exception = OperationalError(ONLY_READ, "No database of these is written.")
        for place in sorted(places, key=lambda one: one != first):
            try:
                link = super().get_new_connection(conn_params | place._asdict())
                if _is_written(link):
                    _last[named] = self._place = place
                    self._found = time.monotonic()
                    return link
                link.close()
            except base.Database.OperationalError as error:
                refused = error
        raise refused

    def is_usable(self) -> bool:
        """Whether the link still leads to a database that answers and is written.

        One that was out of reach may think so while another is written: whoever found that one
        tells all links of this process.
        """
        named = self.settings_dict["HOST"]
        if "," not in named:
            return bool(super().is_usable())
        if _last.get(named) != self._place:
            return False
        try:
            written = _is_written(self.connection)
        except base.Database.Error:
            return False
        self._found = time.monotonic()
        # The answer may have stood still as well.
        return written and _last.get(named) == self._place

    def _commit(self) -> None:
        """What may have stood still is answered only where no other database is written by now.

        :raises OperationalError: as of a broken link: it is sent again under its name, to the
            database that is written now.
        """
        super()._commit()
        if self._place is None or time.monotonic() - self._found < SURE_SECONDS:
            return
        if other := self._written_elsewhere():
            _last[self.settings_dict["HOST"]] = other
            raise OperationalError(LOST, f"{other.host} is written now.")
        self._found = time.monotonic()

    def _written_elsewhere(self) -> Place | None:
        """Another place that is written; None where none is, or none answers."""
        params = self.get_connection_params() | {
            "connect_timeout": ASK_SECONDS,
            "read_timeout": ASK_SECONDS,
        }
        for place in places_of(self.settings_dict["HOST"], self.settings_dict["PORT"]):
            silent = time.monotonic() - _silent.get(place, -SILENT_SECONDS) < SILENT_SECONDS
            if place == self._place or silent:
                continue
            try:
                link = super().get_new_connection(params | place._asdict())
                with contextlib.closing(link):
                    if _is_written(link):
                        return place
            except base.Database.Error:
                _silent[place] = time.monotonic()
        return None


def _is_written(link: Any) -> bool:
    """Whether this is the database that all hosts write to."""
    role = _told(link, ROLE)
    if role.get("wsrep_on", "OFF") == "OFF":
        return role.get("read_only") == "OFF"
    node = _told(link, IN_CLUSTER)
    first = node.get("wsrep_ready") == "ON" and node.get("wsrep_local_index") == "0"
    return first and role.get("read_only") == "OFF"


def _told(link: Any, question: str) -> dict[str, str]:
    with link.cursor() as cursor:
        cursor.execute(question)
        return dict(cursor.fetchall())
