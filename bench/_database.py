"""The database of a benchmark, reached past the application."""

import MySQLdb


def link_to(env: dict[str, str]) -> MySQLdb.Connection:
    """A connection of one's own.

    :param env: as the application is started with.
    """
    return MySQLdb.connect(
        host="127.0.0.1",
        port=int(env["SORTIS_DB_PORT"]),
        user=env["SORTIS_DB_USER"],
        passwd=env["SORTIS_DB_PASSWORD"],
        db=env["SORTIS_DB_NAME"],
    )
