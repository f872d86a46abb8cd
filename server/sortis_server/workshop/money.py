"""Who sees which money in this workshop."""

from django.http import HttpRequest

from sortis_core.base import an, listed
from sortis_core.rights import EVERYBODY, SEEN_BY, Money, money_seen
from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Person
from sortis_server.people.roles import Allowed
from sortis_server.problems import NotSeen
from sortis_server.workshop.services import workshop


def money_seen_by(person: Person) -> frozenset[Money]:
    """What of it a person may see."""
    roles = [Role(role) for role in person.roles]
    seen = money_seen(roles, open_to_all=False)
    # The settings are asked for only where they could add to it: this runs with every answer.
    return seen if seen == EVERYBODY else money_seen(roles, open_to_all=workshop().money_open)


class Seeing(Allowed):
    """The right to read what is nothing without its money figures.

    :param what: as the beginning of a sentence: "The plan of a batch".
    """

    def __init__(self, money: Money, what: str) -> None:
        super().__init__(SEEN_BY[money], what)
        self.money = money

    def require(self, person: Person) -> None:
        """Refuse who may not see that money.

        :raises NotSeen: naming who does, and how it is opened.
        """
        if self.money in money_seen_by(person):
            return
        raise NotSeen(
            f"{self.doing} tells {self.money.label}, which "
            f"{listed([an(role.label) for role in self.roles], 'or')} sees here. Ask one of "
            "them, or the owner to open money to everyone under Workshop."
        )


def sees_money(request: HttpRequest, money: Money) -> bool:
    """Whether who asks may see it."""
    return money in money_seen_by(request.user)
