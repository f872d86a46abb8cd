"""Logs that a machine can read: each line says which request it belongs to, and who asked.

No secret gets into them: of an address only its pattern and what names a unit or a batch, nothing
of what was sent, and nothing of what was answered but its status.
"""

import json
import logging
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar
from datetime import UTC, datetime

from django.http import HttpRequest, HttpResponse

from sortis_server.counted import count_request

NAMED = ("tag", "slug", "number")
"""Parts of an address that are no secret; the key of a buyer's page or an invitation is one."""
HEADER = "X-Request-ID"
_now: ContextVar[dict[str, object] | None] = ContextVar("request in hand", default=None)
log = logging.getLogger("sortis.asked")


class JsonLine(logging.Formatter):
    """One line of JSON; times in UTC by ISO 8601."""

    def format(self, record: logging.LogRecord) -> str:
        """The record with the request that it was written in, if any."""
        told: dict[str, object] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "message": record.getMessage(),
            **(_now.get() or {}),
            **getattr(record, "told", {}),
        }
        if record.exc_info:
            told["exception"] = self.formatException(record.exc_info)
        return json.dumps(told, default=str)


class Asked:
    """Give every request a number, answer with it, and write down what became of it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        number = uuid.uuid4().hex[:16]
        began = time.perf_counter()
        before = _now.set({"request": number})
        try:
            response = self.get_response(request)
            response.headers[HEADER] = number
            seconds = time.perf_counter() - began
            count_request(request, response.status_code, seconds)
            told = {
                "method": request.method,
                "route": _route(request),
                "status": response.status_code,
                "ms": round(1000 * seconds, 1),
                "person": _person(request),
            }
            log.info("answered", extra={"told": told})
            return response
        finally:
            _now.reset(before)


def _route(request: HttpRequest) -> str:
    """Pattern of the address, with what names a unit or a batch."""
    match = request.resolver_match
    if match is None:
        return ""
    named = {key: value for key, value in match.kwargs.items() if key in NAMED}
    return " ".join([match.route, *(f"{key}={value}" for key, value in named.items())])


def _person(request: HttpRequest) -> str:
    """Name that somebody signs in with; nobody is looked up for it who was not before."""
    known = getattr(request, "_cached_user", None)
    return known.get_username() if known is not None and known.is_authenticated else ""
