"""Debian's Chromium for tests and benchmarks: where it is, and how it starts without a monitor."""

import shutil

from playwright.sync_api import Browser, Playwright

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def launch(playwright: Playwright) -> Browser:
    """A headless browser."""
    return playwright.chromium.launch(executable_path=shutil.which("chromium"), args=ARGUMENTS)
