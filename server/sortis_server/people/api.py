"""Signing in and out."""

from fnmatch import fnmatchcase

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.signals import user_login_failed
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router
from pydantic import BaseModel, Field

from sortis_core.base import SortisError
from sortis_core.vocabulary.states import Role
from sortis_server.people.badges import username_of
from sortis_server.people.services import second_holds
from sortis_server.problems import problem

router = Router(tags=["people"])


class SignInRefused(SortisError):
    """Name and password do not match."""

    title = "Not signed in"


class SecondAsked(SortisError):
    """Name and password match; a second number is asked for."""

    title = "One more number"


class Who(BaseModel):
    """The person who is signed in."""

    username: str
    name: str
    roles: list[Role]
    second: bool
    """Asked for a second number."""


class Session(BaseModel):
    """Who is signed in, if anybody, and the token that writing calls carry."""

    person: Who | None
    csrf_token: str


class SignIn(BaseModel):
    """Name and password."""

    username: str = Field(max_length=80)
    """Or what is in the code of a badge."""
    password: str = Field(max_length=200)
    number: str = Field(default="", max_length=10)
    """Of the application of second numbers, where one is asked for."""


def session_of(request: HttpRequest) -> Session:
    """Who is signed in, and the token of this session."""
    person = request.user
    who = (
        Who(
            username=person.username,
            name=person.name,
            roles=person.roles,
            second=bool(person.second_secret),
        )
        if person.is_authenticated
        else None
    )
    return Session(person=who, csrf_token=get_token(request))


def locked_out(request: HttpRequest, *args: object, **facts: object) -> HttpResponse:
    """The answer while a name is locked."""
    return problem(
        429,
        SignInRefused.title,
        "Too many wrong passwords. Wait a quarter of an hour, then try again.",
    )


def require_known_origin(request: HttpRequest) -> None:
    """Refuse whoever comes from a page that is not of this Sortis, before anything is tried.

    Behind a front whose address is not listed every writing call would be refused after the
    sign-in; so the setting is named at once.

    :raises SignInRefused: naming the setting.
    """
    origin = request.headers.get("Origin", "")
    own = f"{request.scheme}://{request.get_host()}"
    known = [own, *settings.CSRF_TRUSTED_ORIGINS]
    if origin and not any(fnmatchcase(origin, one) for one in known):
        raise SignInRefused(
            f"This page is at {origin[:80]}, Sortis is reached at {own}. Whoever runs it lists the "
            "address in SORTIS_ORIGINS, and sets SORTIS_HTTPS where the front speaks https."
        )


@router.get("", auth=None, response=Session)
def session(request: HttpRequest):
    """Who is signed in."""
    return session_of(request)


@router.post("", auth=None, response=Session)
def sign_in(request: HttpRequest, given: SignIn):
    """Sign in; after several wrong passwords the name is locked for a quarter of an hour."""
    require_known_origin(request)
    username = username_of(given.username)
    person = authenticate(request, username=username, password=given.password)
    if person is None:
        raise SignInRefused("Name and password do not match. Check both and try again.")
    if person.second_secret and not second_holds(person.second_secret, given.number):
        if given.number:
            # Guessing numbers locks the name like guessing passwords.
            credentials = {"username": person.username}
            user_login_failed.send(__name__, credentials=credentials, request=request)
        raise SecondAsked("Type the number that your application shows now.", second=True)
    login(request, person)
    return session_of(request)


@router.delete("", response=Session)
def sign_out(request: HttpRequest):
    """Sign out."""
    logout(request)
    return session_of(request)
