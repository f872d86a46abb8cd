"""Badges: a code by which somebody is named at the sign-in without typing."""

from sortis_core.codes import number_in, numbered_code
from sortis_core.vocabulary.states import CodeKind
from sortis_server.people.models import Person


def badge_of(person: Person) -> str:
    """What is in the code on somebody's badge."""
    return numbered_code(CodeKind.PERSON, person.pk)


def badged(code: str) -> Person | None:
    """Whose badge a code is; None where it is nobody's who works here."""
    number = number_in(CodeKind.PERSON, code)
    return Person.objects.filter(pk=number, is_active=True).first() if number else None


def username_of(named: str) -> str:
    """The name that signs in, of a badge or as it was typed. Whether there is one stays untold."""
    person = badged(named)
    return person.username if person else named.strip()
