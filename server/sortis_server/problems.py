"""Refusals as problem details (RFC 9457): a plain sentence and the facts behind it."""

import json
import logging
import sys
from typing import Any

from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from django.db import Error as DatabaseError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from pydantic import BaseModel

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


class NotSeen(NotYours):
    """The person's roles do not read this."""

    title = "Another role sees this"


DEADLOCK, LOCK_TIMEOUT = 1213, 1205
"""MariaDB's numbers for a transaction that it ended because two waited for each other."""
NO_ROOM = (3, 1021, 1026, 1114)
"""Its numbers where a file cannot be written, a disk or a table is full."""


def is_deadlock(error: BaseException | None) -> bool:
    """Whether a deadlock is at the bottom of an error."""
    while error is not None:
        if isinstance(error, DatabaseError) and error.args[:1] in ((DEADLOCK,), (LOCK_TIMEOUT,)):
            return True
        error = error.__cause__ or error.__context__
    return False


PAGE = """\
<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta http-equiv="refresh" content="5">
  <title>{title}</title>
</head>
<body>
  <h1>{title}</h1>
  <p>{detail}</p>
  <p>This page asks again every five seconds.</p>
</body>
</html>
"""
"""Where the application's own page cannot be given."""
STATUS: dict[type[SortisError], int] = {
    StaleVersion: 409,
    NotThere: 404,
    NotYours: 403,
    NotSeen: 403,
}


def problem(status: int, title: str, detail: str, **facts: object) -> JsonResponse:
    """One problem as ``application/problem+json``."""
    return JsonResponse(
        {"type": "about:blank", "title": title, "status": status, "detail": detail, "facts": facts},
        status=status,
        content_type="application/problem+json",
    )


class Problem(BaseModel):
    """A refusal in words, with the facts behind it (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str
    """What is so, and what to do."""
    facts: dict[str, Any]


REFUSALS = {
    "400": "The request is no JSON, or lacks what every request has",
    "401": "Nobody is signed in",
    "403": "Another role does this",
    "404": "Nothing carries that name",
    "409": "Somebody else saved first",
    "422": "The request does not read, or cannot be granted",
    "503": "The database does not answer",
}
"""Status of every refusal that any operation may give, and what it means."""


class SortisAPI(NinjaAPI):
    """The API, whose document declares every refusal of every operation."""

    def get_openapi_schema(self, **options: Any) -> dict[str, Any]:
        """The OpenAPI document."""
        document = super().get_openapi_schema(**options)
        schema = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
        document["components"]["schemas"]["Problem"] = schema
        content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for operations in document["paths"].values():
            for operation in operations.values():
                for status, meaning in REFUSALS.items():
                    told = {"description": meaning, "content": content}
                    operation["responses"].setdefault(status, told)
        return document


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

    @api.exception_handler(HttpError)
    def no_request(request: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, "The request does not read", f"{error}.")

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return problem(404, NotThere.title, "Nothing carries that name.")

    @api.exception_handler(AuthenticationError)
    def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "Not signed in", "Sign in first; what you typed is kept here.")

    api.exception_handler(DatabaseError)(_of_database)


def _of_database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
    request.deadlocked = is_deadlock(error)  # type: ignore[attr-defined]
    if isinstance(error, IntegrityError) and not request.deadlocked:  # type: ignore[attr-defined]
        log.warning("database: %s", error)
        return problem(
            409,
            StaleVersion.title,
            "Somebody was faster: what you send meets what was written a moment ago. Nothing "
            "was changed. Look again, then do it once more where it is still wanted.",
        )
    if isinstance(error, DataError):
        log.warning("database: %s", error)
        return problem(
            422,
            "The request does not read",
            "A figure or text is larger than what can be kept. Nothing was changed.",
        )
    if not isinstance(error, OperationalError | InterfaceError):
        log.exception("database", exc_info=error)
        return problem(
            500,
            "Something went wrong here",
            "Sortis asked the database for something that it does not know. Nothing was "
            "changed; it is written in the log.",
        )
    if error.args[:1] and error.args[0] in NO_ROOM:
        log.error("database: %s", error)
        return problem(
            503,
            "There is no room left on the disk",
            "The disk of the database is full. Nothing was changed, and what is kept can be read. "
            "Have whoever runs Sortis make room, then do it again.",
        )
    log.log(logging.INFO if is_deadlock(error) else logging.ERROR, "database: %s", error)
    return problem(
        503,
        "The database does not answer",
        "The database does not answer. Nothing was changed; try again in a moment.",
    )


def unforeseen(request: HttpRequest) -> HttpResponse:
    """What Django's own parts raised before or after the API: never a bare page."""
    error = sys.exc_info()[1]
    if isinstance(error, DatabaseError):
        told = _of_database(request, error)
    else:
        told = problem(
            500,
            "Something went wrong here",
            "Sortis met something that nobody foresaw. It is written in the log.",
        )
    if request.path.startswith("/api/"):
        return told
    said = json.loads(told.content)
    return HttpResponse(PAGE.format(**said), status=told.status_code)
