"""The first start of an empty database: the workshop, its first person, what it begins with."""

import secrets

from django.conf import settings
from django.db import transaction

from sortis_core.base import SortisError
from sortis_core.vocabulary.states import Role
from sortis_core.workshop import Beginning
from sortis_server.furnish.file import read_workshop_file, starter_set, take_workshop_file
from sortis_server.furnish.settings import read_settings
from sortis_server.people.models import Person
from sortis_server.people.services import add_person
from sortis_server.workshop.models import TagSeries
from sortis_server.workshop.services import set_up_workshop


class StartRefused(SortisError):
    """The first start is over, or was never opened by this link."""

    title = "Sortis is set up already"


def is_open(key: str) -> bool:
    """Whether this link opens the first start: nobody is there yet, and it is the link shown."""
    known = settings.START_KEY
    right = bool(known) and secrets.compare_digest(key.encode(), known.encode())
    return right and not Person.objects.exists()


def start(
    key: str,
    document: dict,
    begin: Beginning,
    username: str,
    name: str,
    password: str,
) -> Person:
    """Set the workshop up, with its first person in every role.

    :raises StartRefused: where the link does not open it (any more).
    :raises SettingsRefused: with what is wrong with the workshop.
    :raises PersonRefused: with what is wrong with name or password.
    """
    with transaction.atomic():
        if not is_open(key):
            raise StartRefused(
                "Somebody was set up here already, or the link is another one. Sign in; or look "
                "for the link where Sortis was started."
            )
        workshop = read_settings(document)
        person = add_person(username, name, list(Role), password)
        set_up_workshop(workshop, person)
        TagSeries.objects.get_or_create(prefix=workshop.tag_prefix, defaults={"next_number": 1})
        if begin is Beginning.STARTER:
            take_workshop_file(read_workshop_file(starter_set()), person, settings=False)
        return person
