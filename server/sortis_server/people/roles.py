"""One place that says who may do what."""

from django.http import HttpRequest

from sortis_server.people.models import Person, Role
from sortis_server.problems import NotYours


def person_with(request: HttpRequest, role: Role, doing: str) -> Person:
    """The signed-in person, who must have the role.

    :raises NotYours: naming the role that does this.
    """
    person = request.user
    if role not in person.roles:
        has = ", ".join(person.roles) or "no role"
        raise NotYours(
            f"{doing} is for a {role}. {person.name} is signed in as {has}. Sign in as a {role}."
        )
    return person
