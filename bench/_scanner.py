"""A scanner at the built application: real key presses at its rhythm, however busy it is here."""

import time

from playwright.sync_api import Page

RHYTHMS = {"wired": (3,), "wireless": (48, 60, 25, 55, 40)}
"""Milliseconds between keys, over and over."""
PLACE_KEYS = {
    "-": ("Minus", False),
    "/": ("Slash", False),
    "~": ("Backquote", True),
    " ": ("Space", False),
    ".": ("Period", False),
    ":": ("Semicolon", True),
    "_": ("Minus", True),
}
NAMED = {"Enter": ("\r", 13), "Tab": ("", 9)}

Keys = list[tuple[str, str, bool]]
"""(What a key writes, its place on the keyboard, with the shift key)."""


def keys_of(code: str, end: str = "") -> Keys:
    """The keys of a code, and of its end where the scanner sends one."""
    found: Keys = []
    for letter in code:
        if letter.isdigit():
            found.append((letter, f"Digit{letter}", False))
        elif letter.isalpha():
            found.append((letter, f"Key{letter.upper()}", letter.isupper()))
        else:
            found.append((letter, *PLACE_KEYS[letter]))
    return [*found, (end, end, False)] if end else found


LATE_S = 0.06
"""A real scanner's keys wait in line for a page that is busy; here each is sent once the one before
is answered, and may come too late to be of the same scan."""


def send(page: Page, keys: Keys, gaps: tuple[int, ...]) -> bool:
    """Press keys with times of their own; whether all of them arrived in time."""
    line = page.context.new_cdp_session(page)
    at = came = time.time()
    in_time = True
    for number, (key, code, shift) in enumerate(keys):
        text, virtual = NAMED.get(key, (key, ord(key[0].upper())))
        line.send(
            "Input.dispatchKeyEvent",
            {
                "type": "keyDown",
                "key": key,
                "code": code,
                "text": text,
                "modifiers": 8 if shift else 0,
                "windowsVirtualKeyCode": virtual,
                "timestamp": at,
            },
        )
        at += gaps[number % len(gaps)] / 1000
        now = time.time()
        in_time = in_time and now - came < LATE_S
        came = now
    line.detach()
    return in_time
