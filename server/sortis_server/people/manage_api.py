"""People of the workshop, and what each changes about oneself."""

from datetime import date, datetime

import segno
from django.contrib.auth import login, update_session_auth_hash
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.vocabulary.states import Role
from sortis_server.labels import codes_pdf
from sortis_server.people.api import Session, session_of
from sortis_server.people.badges import badge_of
from sortis_server.people.models import Invitation, Person
from sortis_server.people.roles import by, signed_in
from sortis_server.people.services import (
    change_password,
    change_person,
    drop_second,
    invitation,
    invite,
    join,
    new_second,
    set_second,
)
from sortis_server.problems import NotThere

router = Router(tags=["people"])


class PersonView(BaseModel):
    """Somebody who works here, or did."""

    username: str
    name: str
    roles: list[Role]
    here: bool
    away_until: date | None
    second: bool
    """Asked for a second number."""
    last_sign_in: datetime | None


class Invited(BaseModel):
    """Somebody who was invited and has not joined yet."""

    id: int
    name: str
    roles: list[Role]
    at: datetime


class PeopleView(BaseModel):
    """Everybody, and who was invited."""

    people: list[PersonView]
    invited: list[Invited]


class NewInvitation(BaseModel):
    """Whom to invite; or who lost their password."""

    name: str = Field(default="", max_length=80)
    roles: list[Role] = []
    username: str = Field(default="", max_length=40)


class InvitationLink(BaseModel):
    """The link to hand over; it is shown once."""

    link: str
    """Where it leads, below the address of the application."""


class PersonChange(BaseModel):
    """What somebody does from now on."""

    name: str = Field(max_length=80)
    roles: list[Role]
    here: bool = True
    away_until: date | None = None


class Joining(BaseModel):
    """The name and password of somebody who was invited."""

    link: str = Field(max_length=80)
    username: str = Field(default="", max_length=40)
    password: str = Field(max_length=200)


class WhoIsInvited(BaseModel):
    """For whom a link is."""

    name: str
    username: str
    """Set where they only choose a new password."""


class PasswordChange(BaseModel):
    """The password now, and the next one."""

    old: str = Field(max_length=200)
    new: str = Field(max_length=200)


class SecondOffer(BaseModel):
    """A secret for an application of second numbers."""

    secret: str
    picture: str
    """The same to be photographed, as SVG in a data address."""


class SecondChange(BaseModel):
    """Ask for a second number from now on, or no more."""

    secret: str = Field(default="", max_length=64)
    number: str = Field(default="", max_length=10)
    password: str = Field(default="", max_length=200)


def _people() -> PeopleView:
    waiting = Invitation.objects.filter(joined=None, again=None).order_by("-pk")
    return PeopleView(
        people=[
            PersonView(
                username=one.username,
                name=one.name,
                roles=one.roles,
                here=one.is_active,
                away_until=one.away_until,
                second=bool(one.second_secret),
                last_sign_in=one.last_login,
            )
            for one in Person.objects.order_by("-is_active", "name")
        ],
        invited=[Invited(id=one.pk, name=one.name, roles=one.roles, at=one.at) for one in waiting],
    )


@router.get("", response=PeopleView)
def people(request: HttpRequest):
    """Everybody who works here or did."""
    return _people()


@router.get("/badges.pdf")
def badges(request: HttpRequest):
    """A printable sheet of badges, one of everybody who works here."""
    here = Person.objects.filter(is_active=True).order_by("name")
    codes = tuple((badge_of(one), one.name) for one in here)
    answer = HttpResponse(codes_pdf("Badges", {"": codes}), content_type="application/pdf")
    answer["Content-Disposition"] = 'inline; filename="badges.pdf"'
    return answer


@router.post("/invitations", response=InvitationLink, auth=by(Role.OWNER, "Inviting people"))
def invited(request: HttpRequest, given: NewInvitation):
    """A link for somebody to join by, or to choose a new password."""
    person = signed_in(request)
    if given.username:
        lost = Person.objects.filter(username=given.username, is_active=True).first()
        if lost is None:
            raise NotThere(f"Nobody signs in as {given.username}.")
        link = invite(lost.name, [Role(role) for role in lost.roles], person, lost)
    else:
        link = invite(given.name, given.roles, person)
    return InvitationLink(link=f"/join?key={link}")


@router.delete(
    "/invitations/{int:number}", response=PeopleView, auth=by(Role.OWNER, "Inviting people")
)
def uninvited(request: HttpRequest, number: int):
    """The link does not work any more."""
    Invitation.objects.filter(pk=number, joined=None).delete()
    return _people()


@router.post("/who", auth=None, response=WhoIsInvited)
def who_is_invited(request: HttpRequest, given: Joining):
    """For whom a link is, before anybody joined by it."""
    row = invitation(given.link)
    return WhoIsInvited(name=row.name, username=row.again.username if row.again else "")


@router.post("/join", auth=None, response=Session)
def joined(request: HttpRequest, given: Joining):
    """Follow an invitation; one is signed in then."""
    person = join(given.link, given.username, given.password)
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    return session_of(request)


@router.post("/me/password", response=Session)
def password_changed(request: HttpRequest, given: PasswordChange):
    """Change one's own password; one's other sessions end."""
    change_password(request.user, given.old, given.new)
    update_session_auth_hash(request, request.user)
    return session_of(request)


@router.post("/me/everywhere", response=Session)
def out_everywhere(request: HttpRequest):
    """End all sessions of one's own but this one."""
    request.user.sign_ins += 1
    request.user.save(update_fields=["sign_ins"])
    update_session_auth_hash(request, request.user)
    return session_of(request)


@router.get("/me/second", response=SecondOffer)
def second_offered(request: HttpRequest):
    """A new secret for an application of second numbers; nothing is kept yet."""
    secret, address = new_second(request.user)
    return SecondOffer(secret=secret, picture=segno.make(address).svg_data_uri(scale=4))


@router.post("/me/second", response=Session)
def second_changed(request: HttpRequest, given: SecondChange):
    """Ask for a second number from now on; without a secret, no more."""
    if given.secret:
        set_second(request.user, given.secret, given.number)
    else:
        drop_second(request.user, given.password)
    return session_of(request)


@router.put("/{username}", response=PeopleView, auth=by(Role.OWNER, "Changing people"))
def changed(request: HttpRequest, username: str, given: PersonChange):
    """Change what somebody does, that they are away, or that they left."""
    change_person(username, given.name, given.roles, given.away_until, here=given.here)
    return _people()
