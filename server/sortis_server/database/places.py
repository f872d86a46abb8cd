"""The places of a database as a setting names them."""

from typing import NamedTuple

USUAL_PORT = 3306


class Place(NamedTuple):
    """Where a database answers."""

    host: str
    port: int


def places_of(hosts: str, port: int | str = USUAL_PORT) -> list[Place]:
    """The places in the order in which they are asked.

    :param hosts: ``HOST`` or ``HOST:PORT``, several with commas; a host without a port has
        ``port``. An address with colons of its own stands in brackets.
    :raises ValueError: where a place does not read, with which one.
    """
    found = []
    for one in hosts.split(","):
        told = one.strip()
        host, _, own = told.rpartition(":")
        if ":" not in told or told.endswith("]"):
            host, own = told, str(port or USUAL_PORT)
        bare = host.removeprefix("[").removesuffix("]")
        brackets = bare != host
        if (
            not bare
            or (":" in bare) != brackets
            or not own.isdecimal()
            or not 0 < int(own) < 65_536
        ):
            raise ValueError(f"{told or 'Nothing'} is no place of a database: HOST:PORT.")
        found.append(Place(bare, int(own)))
    return found
