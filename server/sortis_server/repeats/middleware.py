"""One place for writes that come twice and for those that waited for each other in a circle."""

import hashlib
import random
import re
import time
from collections.abc import Callable
from datetime import timedelta

from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from sortis_server.problems import is_deadlock, problem
from sortis_server.repeats.models import Answered

NAME = re.compile(r"[\w-]{8,64}")
KEPT = timedelta(days=2)
CLEANED_EVERY = 100
TRIES = 6
SAFE = ("GET", "HEAD", "OPTIONS")

Next = Callable[[HttpRequest], HttpResponse]


class Repeats:
    """Answers a write that carries an ``Idempotency-Key`` once, however often it is sent.

    The name and what the write does are committed together; a second one that comes meanwhile
    waits for the first and gets its answer. A refusal is not kept: nothing was done.

    Every write that the database ended because two waited for each other is tried again.
    """

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method in SAFE or not request.path.startswith("/api/"):
            return self.get_response(request)
        name = request.headers.get("Idempotency-Key", "")
        if not name or not request.user.is_authenticated:
            return self._tried(request, self.get_response)
        if not NAME.fullmatch(name):
            return problem(
                422,
                "The request does not read",
                "Idempotency-Key: 8 to 64 letters, digits, - or _.",
            )
        return self._tried(request, lambda again: self._once(again, name))

    def _tried(self, request: HttpRequest, answer: Next) -> HttpResponse:
        for attempt in range(TRIES):
            request.deadlocked = False  # type: ignore[attr-defined]
            told = self._told(request, answer)
            if not request.deadlocked:  # type: ignore[attr-defined]
                return told
            time.sleep(random.uniform(0.01, 0.05) * 2**attempt)
            for file in request.FILES.values():
                file.seek(0)
        return told

    @staticmethod
    def _told(request: HttpRequest, answer: Next) -> HttpResponse:
        try:
            return answer(request)
        except Exception as error:
            if not is_deadlock(error):
                raise
            request.deadlocked = True  # type: ignore[attr-defined]
            return problem(
                503,
                "Too many at once",
                "Many people write at once. Nothing was changed; try again in a moment.",
            )

    def _once(self, request: HttpRequest, name: str) -> HttpResponse:
        digest = _digest(request)
        with transaction.atomic():
            try:
                with transaction.atomic():
                    row = Answered.objects.create(person=request.user, name=name, digest=digest)
            except IntegrityError:
                row = Answered.objects.filter(person=request.user, name=name).first()
                if row is None:
                    raise
                return self._again(row, digest)
            told = self.get_response(request)
            if told.status_code >= 400:
                transaction.set_rollback(True)
                return told
            row.status, row.body = told.status_code, told.content
            row.content_type = told.get("Content-Type", "")
            row.save()
        if row.pk % CLEANED_EVERY == 0:
            Answered.objects.filter(at__lt=timezone.now() - KEPT).delete()
        return told

    @staticmethod
    def _again(row: Answered, digest: str) -> HttpResponse:
        if row.digest != digest:
            return problem(
                422,
                "The name was used before",
                "Another write carried this Idempotency-Key. Give each write a name of its own.",
            )
        told = HttpResponse(bytes(row.body), status=row.status, content_type=row.content_type)
        told["Idempotent-Replayed"] = "true"
        return told


def _digest(request: HttpRequest) -> str:
    """Of method, address and body; files by what is in them, not by how they were wrapped."""
    found = hashlib.sha256(f"{request.method} {request.get_full_path()}\n".encode())
    if request.content_type == "multipart/form-data":
        for key in sorted(request.POST):
            found.update(f"{key}={request.POST.getlist(key)}\n".encode())
        for key in sorted(request.FILES):
            file = request.FILES[key]
            found.update(f"{key}:".encode())
            for chunk in file.chunks():
                found.update(chunk)
            file.seek(0)
    else:
        found.update(request.body)
    return found.hexdigest()
