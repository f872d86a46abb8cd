"""What others do, told as it happens: one process holds a connection for every page looked at.

All who listen are looked up at once, in one thread with one connection to the database, so that a
hundred cost as many statements as one. Whoever misses something misses nothing: each is told how
things are, never what became of them. Nobody is believed for longer than a minute; then the page
asks again by itself, signed in or not.
"""

import asyncio
import logging
from collections import Counter
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import TypeVar

from django.db import Error, close_old_connections
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from pydantic import ValidationError

from sortis_server.live.api import Looking
from sortis_server.live.marks import Looker, Marks, marks_for
from sortis_server.problems import problem

LOOK_SECONDS = 0.5
REST_SECONDS = 5.0
"""Until a database that was away is asked again."""
ALIVE_SECONDS = 15.0
"""So often something is said, at least: a proxy or a page that is gone is found out."""
LIFE_SECONDS = 60.0
MOST = 1_000
MOST_OF_ONE = 12
AGAIN = "retry: 500\n\n"
ALIVE = ": here\n\n"
log = logging.getLogger(__name__)
Told = TypeVar("Told")


class Listener:
    """One page, and what it is to be told next; only the newest counts."""

    def __init__(self, looker: Looker) -> None:
        self.looker = looker
        self.news: asyncio.Queue[Marks] = asyncio.Queue(1)
        self._last: Marks | None = None

    def tell(self, marks: Marks) -> None:
        """Have it told, where that is news."""
        if marks == self._last:
            return
        self._last = marks
        if self.news.full():
            self.news.get_nowait()
        self.news.put_nowait(marks)


class Hub:
    """All who listen, and the one who looks for them."""

    def __init__(self) -> None:
        self.listeners: list[Listener] = []
        self._thread = ThreadPoolExecutor(1, "looks")
        self._task: asyncio.Task[None] | None = None

    async def ask(self, question: Callable[[], Told]) -> Told:
        """Ask the database, in the thread that holds the connection."""
        return await asyncio.get_running_loop().run_in_executor(self._thread, _fresh, question)

    def join(self, listener: Listener) -> None:
        """Look for it, too, from now on."""
        self.listeners.append(listener)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._look())

    def leave(self, listener: Listener) -> None:
        """It is gone."""
        self.listeners.remove(listener)

    def is_full_for(self, person: int) -> bool:
        """Whether one more of this person is one too many."""
        by = Counter(one.looker.person for one in self.listeners)
        return by.total() >= MOST or by[person] >= MOST_OF_ONE

    async def _look(self) -> None:
        while self.listeners:
            listeners = list(self.listeners)
            wait = LOOK_SECONDS
            try:
                lookers = [one.looker for one in listeners]
                told = await self.ask(partial(marks_for, lookers))
                for listener, marks in zip(listeners, told, strict=True):
                    listener.tell(marks)
            except Exception as error:
                # Whatever it is, the others' pages are looked for again; who listens learns it from
                # what the page itself asks for.
                log.warning("What others do was not read: %s", error)
                wait = REST_SECONDS
            await asyncio.sleep(wait)


def _fresh(question: Callable[[], Told]) -> Told:
    close_old_connections()
    return question()


hub = Hub()


async def stream(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Marks of what ``?batch=&tag=`` shows, one event each time that they change."""
    request.get_host()
    try:
        looking = Looking.model_validate(request.GET.dict())
    except ValidationError:
        return problem(422, "Not understood", "Give batch and tag as words.")
    try:
        person = await hub.ask(lambda: request.user.pk if request.user.is_authenticated else None)
    except Error:
        return problem(503, "Not now", "The database does not answer. Ask again in a moment.")
    if person is None:
        return problem(401, "Not signed in", "Sign in, then go on.")
    if hub.is_full_for(person):
        return problem(503, "Not now", "Too many pages listen. This one asks by itself.")
    answer = StreamingHttpResponse(
        _events(Listener(Looker(person, looking.batch, looking.tag))),
        content_type="text/event-stream",
    )
    answer["Cache-Control"] = "no-store"
    answer["X-Accel-Buffering"] = "no"
    return answer


async def _events(listener: Listener) -> AsyncIterator[str]:
    loop = asyncio.get_running_loop()
    end = loop.time() + LIFE_SECONDS
    hub.join(listener)
    try:
        yield AGAIN
        while (left := end - loop.time()) > 0:
            try:
                marks = await asyncio.wait_for(listener.news.get(), min(ALIVE_SECONDS, left))
                yield f"data: {marks.model_dump_json()}\n\n"
            except TimeoutError:
                yield ALIVE
    finally:
        hub.leave(listener)
