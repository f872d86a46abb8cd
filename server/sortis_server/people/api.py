"""Signing in and out."""

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router
from pydantic import BaseModel

from sortis_core.base import SortisError
from sortis_core.vocabulary.states import Role
from sortis_server.problems import problem

router = Router(tags=["people"])


class SignInRefused(SortisError):
    """Name and password do not match."""

    title = "Not signed in"


class Who(BaseModel):
    """The person who is signed in."""

    username: str
    name: str
    roles: list[Role]


class Session(BaseModel):
    """Who is signed in, if anybody, and the token that writing calls carry."""

    person: Who | None
    csrf_token: str


class SignIn(BaseModel):
    """Name and password."""

    username: str
    password: str


def _session(request: HttpRequest) -> Session:
    person = request.user
    who = (
        Who(username=person.username, name=person.name, roles=person.roles)
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


@router.get("", auth=None, response=Session)
def session(request: HttpRequest):
    """Who is signed in."""
    return _session(request)


@router.post("", auth=None, response=Session)
def sign_in(request: HttpRequest, given: SignIn):
    """Sign in; after several wrong passwords the name is locked for a quarter of an hour."""
    person = authenticate(request, username=given.username.strip(), password=given.password)
    if person is None:
        raise SignInRefused("Name and password do not match. Check both and try again.")
    login(request, person)
    return _session(request)


@router.delete("", response=Session)
def sign_out(request: HttpRequest):
    """Sign out."""
    logout(request)
    return _session(request)
