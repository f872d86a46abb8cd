"""One place that says who may do what: a right stands at its operation (docs/rights.md)."""

from typing import ClassVar

from django.http import HttpRequest
from ninja.security import SessionAuth

from sortis_core.base import an
from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Person
from sortis_server.problems import NotYours


class Allowed(SessionAuth):
    """Signed in, with one of the roles; looked at before the request is read.

    :param doing: what it is, as the beginning of a sentence: "Planning".
    """

    all: ClassVar[list["Allowed"]] = []
    """Every right there is, for the page that lists them."""

    def __init__(self, roles: tuple[Role, ...], doing: str) -> None:
        super().__init__()
        self.roles, self.doing = roles, doing
        Allowed.all.append(self)

    def authenticate(self, request: HttpRequest, key: str | None) -> Person | None:
        """The person; None where nobody is signed in.

        :raises NotYours: naming the roles that do this.
        """
        person = super().authenticate(request, key)
        if person is not None:
            self.require(person)
        return person

    def require(self, person: Person) -> None:
        """Refuse who has none of the roles.

        :raises NotYours: naming the roles that do this.
        """
        if set(self.roles) & set(person.roles):
            return
        has = ", ".join(person.roles) or "no role"
        wanted = " or ".join(an(role.label) for role in self.roles)
        raise NotYours(
            f"{self.doing} is for {wanted}. {person.name} is signed in as {has}. "
            f"Sign in as {wanted}."
        )


def by(role: Role | tuple[Role, ...], doing: str) -> Allowed:
    """The right of a role, or of several, at an operation."""
    return Allowed((role,) if isinstance(role, Role) else role, doing)


def signed_in(request: HttpRequest) -> Person:
    """Who asks; the operation's right was looked at before."""
    return request.user
