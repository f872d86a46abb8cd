"""One place that says who may do what."""

from django.http import HttpRequest

from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Person
from sortis_server.problems import NotYours


def person_with(request: HttpRequest, role: Role | tuple[Role, ...], doing: str) -> Person:
    """The signed-in person, who must have the role, or one of several.

    :raises NotYours: naming the roles that do this.
    """
    person = request.user
    roles = (role,) if isinstance(role, Role) else role
    if not set(roles) & set(person.roles):
        has = ", ".join(person.roles) or "no role"
        wanted = " or a ".join(roles)
        raise NotYours(
            f"{doing} is for a {wanted}. {person.name} is signed in as {has}. Sign in as a "
            f"{wanted}."
        )
    return person
