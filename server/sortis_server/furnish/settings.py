"""The workshop's own settings: a new version each time, and what may no longer change."""

from pydantic import ValidationError

from sortis_core.base import SortisError
from sortis_core.workshop import WorkshopSettings
from sortis_server.arrive.models import Batch
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot
from sortis_server.versions import add_version
from sortis_server.workshop.models import WorkshopVersion
from sortis_server.workshop.services import SETTINGS, workshop


class SettingsRefused(SortisError):
    """The settings cannot be kept so."""

    title = "The settings were not kept"


def read_settings(document: dict) -> WorkshopSettings:
    """Settings as somebody wrote them.

    :raises SettingsRefused: with the first thing that is wrong.
    """
    try:
        return WorkshopSettings.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = " › ".join(str(step).replace("_", " ") for step in first["loc"])
        said = first["msg"].removeprefix("Value error, ")
        raise SettingsRefused(f"{where}: {said}" if where else said) from error


def save_settings(document: dict, started_from: int, words: str, by: Person) -> WorkshopSettings:
    """Keep the next version of the settings.

    :raises SettingsRefused: where another currency would give figures another meaning.
    :raises StaleVersion: where somebody else saved since.
    """
    wanted = read_settings(document)
    now = workshop()
    if wanted.currency != now.currency and (Batch.objects.exists() or Lot.objects.exists()):
        raise SettingsRefused(
            f"Prices, batches and stock are written in {now.currency}; in {wanted.currency} the "
            "same figures would mean something else. The currency stays. Another workshop begins "
            "with a database of its own."
        )
    return add_version(
        WorkshopVersion,
        SETTINGS,
        wanted,
        started_from=started_from,
        name="the settings",
        by=by,
        words=words,
    )
