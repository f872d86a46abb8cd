"""Refusals as problem details (RFC 9457): a plain sentence and the facts behind it."""

import logging

from django.db import Error as DatabaseError
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, ValidationError

from sortis_core.base import SortisError

log = logging.getLogger(__name__)


class StaleVersion(SortisError):
    """Somebody else saved first; ``facts`` hold what stands now."""

    title = "Somebody else saved first"


class NotThere(SortisError):
    """Nothing carries that name."""

    title = "Not found"


class NotYours(SortisError):
    """The person's roles do not include this."""

    title = "Another role does this"


STATUS: dict[type[SortisError], int] = {StaleVersion: 409, NotThere: 404, NotYours: 403}


def problem(status: int, title: str, detail: str, **facts: object) -> JsonResponse:
    """One problem as ``application/problem+json``."""
    return JsonResponse(
        {"type": "about:blank", "title": title, "status": status, "detail": detail, "facts": facts},
        status=status,
        content_type="application/problem+json",
    )


def answer_problems(api: NinjaAPI) -> None:
    """Turn every refusal of the application into problem details."""

    @api.exception_handler(SortisError)
    def refused(request: HttpRequest, error: SortisError) -> HttpResponse:
        return problem(STATUS.get(type(error), 422), error.title, error.sentence, **error.facts)

    @api.exception_handler(ValidationError)
    def malformed(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0]
        where = ".".join(str(step) for step in first["loc"][1:])
        return problem(422, "The request does not read", f"{where}: {first['msg']}.")

    @api.exception_handler(AuthenticationError)
    def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "Not signed in", "Sign in first; what you typed is kept here.")

    @api.exception_handler(DatabaseError)
    def database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
        log.error("database: %s", error)
        return problem(
            503,
            "The database does not answer",
            "The database does not answer. Nothing was changed; try again in a moment.",
        )
