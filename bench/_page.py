"""A page of the built application, signed in as the one person of the benchmarks' workshop."""

from playwright.sync_api import Page, Playwright

from house.chromium import launch

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
