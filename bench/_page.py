"""A page of the built application, signed in as the one person of the benchmarks' workshop."""

import contextlib
import subprocess
from collections.abc import Iterator

from playwright.sync_api import Page, Playwright, sync_playwright

from house.chromium import launch
from house.commands import running, wait_for
from house.database import database, free_port
from house.place import HOME, PYTHON

PASSWORD = "tidewright"


def signed_in(playwright: Playwright, address: str) -> Page:
    """In a browser of its own, with every role; what measures may be put into it from outside."""
    page = launch(playwright).new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page.goto(address)
    page.get_by_label("Name").fill("marit")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Batches").wait_for()
    return page


@contextlib.contextmanager
def served(fill: str) -> Iterator[tuple[Page, str, dict[str, str]]]:
    """The application on a database of its own; a page, where it answers, what reaches it.

    :param fill: the module that fills the empty database.
    """
    with database(throwaway=True) as env:
        subprocess.run([PYTHON, "-m", fill], env=env, cwd=HOME, check=True)
        port = free_port()
        address = f"http://127.0.0.1:{port}"
        with running(env, port) as began, sync_playwright() as playwright:
            wait_for(address, began)
            yield signed_in(playwright, address), address, env
