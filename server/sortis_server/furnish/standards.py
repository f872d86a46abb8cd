"""Standards and their prices: saved as new versions."""

from pydantic import ValidationError

from sortis_core.base import SortisError
from sortis_core.standards import Standard
from sortis_server.people.models import Person
from sortis_server.versions import add_version
from sortis_server.workshop.models import StandardVersion
from sortis_server.workshop.services import newest_standards


class StandardRefused(SortisError):
    """The standard cannot be kept so."""

    title = "The standard was not kept"


def read_standard(document: dict) -> Standard:
    """A standard as somebody wrote it.

    :raises StandardRefused: with the first thing that is wrong.
    """
    try:
        return Standard.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = " › ".join(str(step).replace("_", " ") for step in first["loc"]) or "the standard"
        raise StandardRefused(f"{where}: {first['msg'].removeprefix('Value error, ')}") from error


def require_own_name(standard: Standard) -> None:
    """Two standards are told apart by their names.

    :raises StandardRefused: where another is called so.
    """
    for other in newest_standards():
        if other.key != standard.key and other.name.casefold() == standard.name.casefold():
            raise StandardRefused(f"There is a standard called {other.name} already.")


def save_standard(document: dict, started_from: int, words: str, by: Person) -> Standard:
    """Keep the next version of a standard.

    :raises StandardRefused: where it is none, or takes another's name.
    :raises StaleVersion: where somebody else saved since.
    """
    standard = read_standard(document)
    require_own_name(standard)
    return add_version(
        StandardVersion,
        standard.key,
        standard,
        started_from=started_from,
        name=standard.name,
        by=by,
        words=words,
    )
