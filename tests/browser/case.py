"""The built application in headless Chromium, driven as a person would."""

import atexit
import os
from collections import defaultdict
from typing import NamedTuple

from django.core.servers.basehttp import ThreadedWSGIServer
from django.test import LiveServerTestCase
from django.test.testcases import LiveServerThread, QuietWSGIRequestHandler
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from bench._scanner import NAMED, RHYTHMS, Keys, keys_of, send
from house.chromium import launch
from house.database import free_port
from tests.server.workshop import Workshop

PATIENCE_MS = 15_000
_browser: list[Browser] = []
LATE = 12
"""A busy machine may tell of the keys sent here so many times later than a scanner's rhythm."""
WAITS = """
const wait = window.setTimeout
window.patience = 1
window.setTimeout = (act, ms, ...rest) => wait(act, (ms ?? 0) * patience, ...rest)
"""


class Kind(NamedTuple):
    """What a context is made for; one of the same kind is used again, with nothing in it."""

    width: int
    theme: str
    tablet: bool
    looks_on: bool


_idle: dict[Kind, list[BrowserContext]] = defaultdict(list)
"""Contexts that nobody uses. What they loaded of the application need not be loaded again."""
_port: list[int] = []


def browser() -> Browser:
    """One browser for the whole run."""
    if not _browser:
        playwright = sync_playwright().start()
        _browser.append(launch(playwright))
        atexit.register(playwright.stop)
        expect.set_options(timeout=PATIENCE_MS)
    return _browser[0]


def end_pages() -> None:
    """Close what a test opened by itself."""
    kept = [context for contexts in _idle.values() for context in contexts]
    for context in browser().contexts:
        if context not in kept:
            context.close()


class SameAddress(LiveServerThread):
    """A server that may answer where the one of the class before did a moment ago."""

    def _create_server(self, connections_override=None) -> ThreadedWSGIServer:
        return self.server_class(
            (self.host, self.port),
            QuietWSGIRequestHandler,
            allow_reuse_address=True,
            connections_override=connections_override,
        )


class BrowserCase(Workshop, LiveServerTestCase):
    """A furnished workshop, and pages that are signed in as Marit."""

    server_thread_class = SameAddress

    @classmethod
    def setUpClass(cls):
        # One address for the whole run, so that a browser knows again what it loaded from it; below
        # those that the system gives to whoever calls out, so that it is free for each class.
        _port[:] = _port or [free_port(20_000 + os.getpid() % 10_000)]
        cls.port = _port[0]
        super().setUpClass()

    looks_on = True
    """Whether pages ask what others do; where the rhythm of keys is tried, nothing comes between,
    since keys are sent here one after another and each waits for the page."""

    def setUp(self):
        self.furnish()
        self.faults: list[str] = []
        self.taken: list[tuple[Kind, BrowserContext]] = []

    def tearDown(self):
        for kind, context in self.taken:
            for page in context.pages:
                page.close()
            context.clear_cookies()
            context.clear_permissions()
            context.set_offline(False)
            _idle[kind].append(context)
        end_pages()
        self.assertEqual(self.faults, [], "errors in the page")

    def page(
        self, path: str = "/", *, width: int = 1280, theme: str = "light", tablet: bool = False
    ) -> Page:
        kind = Kind(width, theme, tablet, self.looks_on)
        context = _idle[kind].pop() if _idle[kind] else self._made(kind)
        self.taken.append((kind, context))
        cookie = self.client_of(self.marit).cookies["sessionid"].value
        context.add_cookies([{"name": "sessionid", "value": cookie, "url": self.live_server_url}])
        page = context.new_page()
        line = context.new_cdp_session(page)
        left = {"origin": self.live_server_url, "storageTypes": "local_storage,indexeddb"}
        line.send("Storage.clearDataForOrigin", left)
        line.detach()
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.goto(self.live_server_url + path)
        return page

    def _made(self, kind: Kind) -> BrowserContext:
        context = browser().new_context(
            viewport={"width": kind.width, "height": 800},
            color_scheme=kind.theme,
            has_touch=kind.tablet,
            is_mobile=kind.tablet,
        )
        context.set_default_timeout(PATIENCE_MS)
        context.add_init_script(WAITS)
        if not kind.looks_on:
            context.add_init_script("Object.defineProperty(document, 'hidden', { value: true })")
        return context

    def at(self, stage: str, tag: str = "") -> str:
        return f"/{self.batch.slug}/{stage}" + (f"/{tag}" if tag else "")

    def place(self, page: Page, key: str):
        """The field of one place of the strip."""
        return page.locator(f"input[data-place={key}]")

    def begin_work(self, page: Page) -> None:
        """Everything lies ready: take the order to the bench."""
        page.get_by_role("button", name="Begin").wait_for()
        page.keyboard.press(" ")
        page.get_by_label("Step", exact=True).wait_for()

    def tick_to(self, page: Page, heading: str) -> None:
        """Space until the step with this heading is in hand."""
        for _ in range(40):
            step = page.get_by_label("Step", exact=True).locator("h2")
            step.wait_for()
            title = step.inner_text()
            if heading in title:
                return
            page.keyboard.press(" ")
            expect(page.locator("h2", has_text=title).first).not_to_be_visible()
        raise AssertionError(f"{heading} never came")

    def tick_out(self, page: Page, end: str) -> None:
        """Space until the order ends with these words."""
        for _ in range(60):
            step = page.get_by_label("Step", exact=True)
            step.or_(page.get_by_text(end)).first.wait_for()
            if not step.is_visible():
                break
            title = step.locator("h2").inner_text()
            page.keyboard.press(" ")
            expect(step.locator("h2", has_text=title)).not_to_be_visible()
        expect(page.get_by_text(end)).to_be_visible()

    def keys(self, page: Page, *keys: str) -> None:
        for key in keys:
            page.keyboard.press(key)

    def scan(self, page: Page, code: str, rhythm: str = "wired", end: str = "Enter") -> None:
        """As a scanner types: one key after another, wherever the focus is."""
        self.send(page, keys_of(code, end), RHYTHMS[rhythm])

    def send(self, page: Page, keys: Keys, gaps: tuple[int, ...]) -> None:
        """Keys of a scanner, to a page that may be told of them late."""
        page.evaluate(f"patience = {LATE}")
        send(page, keys, gaps)
        page.evaluate("patience = 1")
        page.wait_for_timeout(250 if keys[-1][0] in NAMED else 100 * LATE)
