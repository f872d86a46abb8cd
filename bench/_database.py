"""The database of a benchmark, reached past the application."""

import MySQLdb

from house.database import SCHEMA
from house.pair import WRITER


def link_to(env: dict[str, str]) -> MySQLdb.Connection:
    """A connection of one's own.

    :param env: as the application is started with.
    """
    return MySQLdb.connect(
        host=env["SORTIS_DB_HOST"],
        port=int(env["SORTIS_DB_PORT"]),
        user=env.get("SORTIS_DB_USER", WRITER),
        passwd=env["SORTIS_DB_PASSWORD"],
        db=env.get("SORTIS_DB_NAME", SCHEMA),
    )
