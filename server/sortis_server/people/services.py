"""People come by invitation, change their roles and passwords, and leave; their record stays."""

import hashlib
import re
import secrets
from datetime import date, timedelta

import pyotp
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from sortis_core.base import SortisError
from sortis_core.codes import own_kind
from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Invitation, Person
from sortis_server.problems import NotThere

INVITED_DAYS = 7
SECOND_WINDOW = 1
"""A number of the step before or after counts, too: clocks differ."""


class PersonRefused(SortisError):
    """What was asked of a person does not go."""

    title = "Nothing was changed"


def digest_of(link: str) -> str:
    """How a link is kept."""
    return hashlib.sha256(link.encode()).hexdigest()


def good_password(password: str, username: str, name: str) -> str:
    """A password that may be used.

    :raises PersonRefused: saying what is wrong with it.
    """
    try:
        validate_password(password, Person(username=username, name=name))
    except ValidationError as error:
        raise PersonRefused(" ".join(error.messages)) from error
    return password


def good_username(username: str) -> str:
    """A name to sign in with.

    :raises PersonRefused: where it is none, or taken.
    """
    wanted = username.strip().lower()
    if not re.fullmatch(r"[\w.-]{2,40}", wanted):
        raise PersonRefused(
            "A name to sign in with has 2 to 40 letters, figures, dots or dashes, no blanks."
        )
    if own_kind(wanted):
        raise PersonRefused(f"{wanted} reads like a code of Sortis. Choose another name.")
    if Person.objects.filter(username__iexact=wanted).exists():
        raise PersonRefused(f"Somebody signs in as {wanted} already. Choose another name.")
    return wanted


def add_person(username: str, name: str, roles: list[Role], password: str) -> Person:
    """Somebody new, with a password that holds.

    :raises PersonRefused: where name, roles or password do not go.
    """
    if not name.strip():
        raise PersonRefused("Give the person's name.")
    known = good_username(username)
    good_password(password, known, name)
    return Person.objects.create_person(
        known, name.strip()[:80], [role.value for role in roles], password
    )


def invite(name: str, roles: list[Role], by: Person, again: Person | None = None) -> str:
    """A link for somebody to join by, or to choose a new password; it works once, for a week."""
    if not name.strip() or not roles:
        raise PersonRefused("Give a name and at least one role.")
    link = secrets.token_urlsafe(24)
    Invitation.objects.create(
        digest=digest_of(link),
        name=name.strip()[:80],
        roles=[role.value for role in roles],
        by=by,
        again=again,
    )
    return link


def invitation(link: str, *, lock: bool = False) -> Invitation:
    """An invitation that still holds.

    :raises NotThere: where it was used, is too old, or never was.
    """
    rows = Invitation.objects.all()
    if lock:
        rows = rows.select_for_update()
    since = timezone.now() - timedelta(days=INVITED_DAYS)
    found = rows.filter(digest=digest_of(link), joined=None, at__gte=since).first()
    if found is None or not found.by.is_active:
        raise NotThere(
            f"This link was used, is older than {INVITED_DAYS} days, or is none. Ask for a new one."
        )
    return found


def join(link: str, username: str, password: str) -> Person:
    """Somebody follows an invitation.

    :raises NotThere: where the link does not hold. :raises PersonRefused: where names do not go.
    """
    with transaction.atomic():
        row = invitation(link, lock=True)
        if row.again:
            person = row.again
            good_password(password, person.username, person.name)
            person.set_password(password)
            person.sign_ins += 1
            person.second_secret = ""
            person.save()
            row.delete()
            return person
        person = add_person(username, row.name, [Role(role) for role in row.roles], password)
        row.joined = person
        row.save()
        return person


def change_person(
    username: str, name: str, roles: list[Role], away_until: date | None, *, here: bool
) -> Person:
    """Change what somebody does, that they are away, or that they left.

    :raises PersonRefused: where nobody would own the workshop any more.
    """
    with transaction.atomic():
        people = {one.username: one for one in Person.objects.select_for_update().order_by("pk")}
        person = people.get(username)
        if person is None:
            raise NotThere(f"Nobody signs in as {username}.")
        stays = here and Role.OWNER in roles
        others = [
            one
            for one in people.values()
            if one != person and one.is_active and Role.OWNER.value in one.roles
        ]
        if not stays and not others:
            raise PersonRefused(f"{person.name} is the only owner. Make somebody else owner first.")
        if not name.strip():
            raise PersonRefused("Give the person's name.")
        if here and not roles:
            raise PersonRefused("Give at least one role, or say that they left.")
        person.name, person.is_active = name.strip()[:80], here
        person.roles = [role.value for role in Role if role in roles]
        person.away_until = away_until
        person.save()
        return person


def change_password(person: Person, old: str, new: str) -> None:
    """Somebody changes their own password; other sessions of theirs end.

    :raises PersonRefused: where the old one is wrong, or the new one does not hold.
    """
    if not person.check_password(old):
        raise PersonRefused("The password you have now is another one. Nothing was changed.")
    person.set_password(good_password(new, person.username, person.name))
    person.sign_ins += 1
    person.save()


def new_second(person: Person) -> tuple[str, str]:
    """A secret for an application of second numbers, and the address it reads it by."""
    secret = pyotp.random_base32()
    address = pyotp.TOTP(secret).provisioning_uri(name=person.username, issuer_name="Sortis")
    return secret, address


def second_holds(secret: str, number: str) -> bool:
    """Whether a second number is right now."""
    plain = re.sub(r"\s", "", number)
    return bool(plain) and pyotp.TOTP(secret).verify(plain, valid_window=SECOND_WINDOW)


def drop_second(person: Person, password: str) -> None:
    """Ask for no second number any more.

    :raises PersonRefused: where the password is another one.
    """
    if not person.check_password(password):
        raise PersonRefused("The password is another one. Nothing was changed.")
    person.second_secret = ""
    person.save(update_fields=["second_secret"])


def set_second(person: Person, secret: str, number: str) -> None:
    """Ask for a second number from now on, once it was shown to work.

    :raises PersonRefused: where the number is another one.
    """
    if not re.fullmatch(r"[A-Z2-7]{16,64}", secret) or not second_holds(secret, number):
        raise PersonRefused("The number is another one. Look at the application again.")
    person.second_secret = secret
    person.save(update_fields=["second_secret"])
