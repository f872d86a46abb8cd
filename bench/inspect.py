"""Inspect: keystrokes a unit, time of an assessment, a long list under a typed filter.

Keystrokes are counted in the built application: every demo batch is inspected again, unit by
unit, by somebody who takes the last unit of the model over where that saves keys and types the
rest, as the interface suggests. The scan is not counted.
"""

import gc
import json
import random
import statistics
import time

from bench._page import served
from bench._workshop import LONG_LIST, LONG_LIST_SLUG
from bench.report import Report
from demo.generator import demo_sheets, demo_standards, make_unit, read
from house.place import HOME
from sortis_core.assess import Assessor
from sortis_core.facts.completeness import required_parts
from sortis_core.findings import Findings
from sortis_core.intake.entry import read_entries
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet

UNITS = 20_000
PASSES = 3
MOST_ASKED = 8
KEY_MS = 90
"""Quicker is only a scanner, and what it types is no key."""
HAND_MS = 150
"""No hand is quicker from one key to the next that depends on it."""
BATCHES = ("ferry_line", "ticket_desks", "call_centre")


def assessment_microseconds() -> float:
    """Median time of one assessment in the core, in microseconds, over one large fleet.

    Every pass begins with nothing remembered; the least disturbed pass counts.
    """
    dice = random.Random(11)
    sheets = demo_sheets()
    fleet: dict = {}
    units: list[tuple[str, Findings]] = []
    for number in range(UNITS):
        sheet = sheets[number % len(sheets)]
        trim, entries = make_unit(sheet, dice, fleet)
        units.append((sheet.key, read(sheet, trim, entries)))
    standards = demo_standards()
    # What the benchmark itself holds must not be walked by the collector while it measures.
    gc.collect()
    gc.freeze()
    medians: list[float] = []
    for _ in range(PASSES):
        assessors = {sheet.key: Assessor(sheet, standards, Policy()) for sheet in sheets}
        took: list[float] = []
        for key, findings in units:
            began = time.perf_counter()
            assessors[key].assess(findings)
            took.append(time.perf_counter() - began)
        medians.append(statistics.median(took))
    gc.unfreeze()
    return min(medians) * 1e6


class Hand:
    """Inspects one unit in the browser with as few keys as it can, counting each."""

    def __init__(self, page) -> None:
        self.page = page
        self.keys = 0

    def press(self, key: str) -> None:
        """One key, or one chord, is one keystroke, in the rhythm of a quick hand."""
        self.page.wait_for_timeout(KEY_MS)
        self.page.keyboard.press(key)
        self.keys += 1

    def type(self, text: str) -> None:
        """Every character is a keystroke."""
        for char in text:
            self.press(char)

    def focused(self) -> str:
        """The place in focus."""
        return self.page.evaluate("document.activeElement?.dataset?.place ?? ''")

    def filled(self) -> dict[str, str]:
        """What stands in the fields."""
        return self.page.evaluate(
            "Object.fromEntries([...document.querySelectorAll('input[data-place]')]"
            ".map((i) => [i.dataset.place, i.value]))"
        )

    def jump_to(self, place: str, letter: str) -> None:
        """To a part or test: by its first letter where that is shorter than walking."""
        pegs = self.page.evaluate(
            "[...document.querySelectorAll('input[data-peg]')]"
            ".map((i) => [i.dataset.place, i.dataset.peg[0]])"
        )
        order = [key for key, _ in pegs]
        here = order.index(self.focused()) if self.focused() in order else -1
        near = abs(order.index(place) - here) if here >= 0 else 99
        ahead = [*pegs[here + 1 :], *pegs[: max(0, here)]]
        same = [key for key, first in ahead if first == letter]
        if here < 0 or letter in "ax" or place not in same or near <= same.index(place) + 1:
            self.walk_to(place)
            return
        for _ in range(same.index(place) + 1):
            self.press(letter)

    def walk_to(self, place: str) -> None:
        """By arrow keys to a place."""
        order = list(self.filled())
        here = order.index(self.focused())
        there = order.index(place)
        for _ in range(abs(there - here)):
            self.press("ArrowDown" if there > here else "ArrowUp")


def inspect_unit(page, sheet: ModelSheet, trim: str, wanted: dict[str, str], like: dict) -> int:
    """Log one unit with few keys; the number of keystrokes until it is kept.

    :param like: the starting point the screen offers, empty where there is none.
    """
    hand = Hand(page)
    findings, _ = read_entries(sheet, trim, wanted)
    places = sheet.of_trim(trim)
    for pack in places.packs:
        if wanted.get(pack.key, "").startswith("!"):
            hand.walk_to(pack.key)
            hand.press("!")
            return hand.keys
    inside = [slot.key for slot in sheet.memory.slots] + [drive.key for drive in places.drives]
    if sheet.memory.soldered:
        inside.insert(0, sheet.memory.soldered.key)
    known = like["entries"] if like and like["trim"] == trim else {}
    shown = page.evaluate(
        "[...document.querySelectorAll('input[name=trim]')].findIndex((i) => i.checked)"
    )
    if not known and len(sheet.trims) > 1:
        keys = [one.key for one in sheet.trims]
        for _ in range((keys.index(trim) - shown) % len(keys)):
            hand.press("Alt+v")
        # The hand goes on once the places of this trim are drawn.
        page.wait_for_function(
            "keys => keys.every((key) => document.querySelector(`[data-place=${key}]`))", arg=inside
        )
    # What is not as in the last unit is typed first; one key then takes the rest over.
    for key in inside:
        text = _without_wear(wanted.get(key, "-"))
        if text != known.get(key):
            hand.walk_to(key)
            hand.type(text)
    if known:
        hand.press("=")
    for pack in places.packs:
        hand.walk_to(pack.key)
        full, _, design = wanted.get(pack.key, "-").split(" ")[0].partition("/")
        # Where a model has one pack its design is known; else whole watt-hours tell which it is.
        several = len(pack.variants) > 1 and design
        hand.type(f"{full}/{round(float(design))}" if several else full)
    filled = hand.filled()
    needed = {part.key for part in required_parts(sheet, findings)} | {t.key for t in places.tests}
    pegs = [place.key for place in (*places.parts, *places.tests) if place.key in filled]
    for key in pegs:
        text = wanted.get(key, "+")
        if key in needed and text != (filled[key] or "+"):
            hand.jump_to(key, sheet.label_of(key)[0].lower())
            _say(hand, text)
    if hand.focused() not in pegs:
        hand.press("Enter")
    hand.press("a")
    hand.press(wanted["grade"])
    hand.press("Enter")
    _what_is_asked(hand, wanted)
    return hand.keys


def _say(hand: Hand, text: str) -> None:
    """What a part or test is: one key, or that it works poorly and how."""
    poorly, _, how = text.partition(" ")
    if not how:
        hand.press(poorly)
        return
    hand.press(",")
    hand.type(how)
    hand.press("Enter")


def _what_is_asked(hand: Hand, wanted: dict[str, str]) -> None:
    """What a unit is built with, where a price hangs on it; enough is seen where nobody looked."""
    tag = hand.page.url
    for _ in range(MOST_ASKED):
        hand.page.wait_for_timeout(HAND_MS)
        place = hand.focused()
        if hand.page.url != tag:
            return
        if place not in wanted:
            hand.press("Shift+Enter")
            return
        hand.type(wanted[place])
        hand.press("Enter")


def _without_wear(text: str) -> str:
    """A drive as it is read off its label; its wear comes from a read-out."""
    return " ".join(word for word in text.split() if not word.endswith("%"))


def fetched(page, path: str):
    """What the API answers."""
    return page.evaluate("(path) => fetch(path).then((answer) => answer.json())", path)


def keystrokes(page, address: str) -> list[int]:
    """Keystrokes of every unit of every demo batch, in order."""
    sheets = {sheet.key: sheet for sheet in demo_sheets()}
    counts: list[int] = []
    for folder in BATCHES:
        told = json.loads((HOME / "demo" / folder / "batch.json").read_text())
        batch = next(
            b for b in fetched(page, "/api/batches")["batches"] if b["name"] == told["name"]
        )
        lines = fetched(page, f"/api/batches/{batch['slug']}/units")
        tags = {line["serial"]: line["tag"] for line in lines}
        inspections = json.loads((HOME / "demo" / folder / "inspections.json").read_text())
        left = {tags[one["serial"]]: one for one in inspections}
        at = ""
        while left:
            if at not in left:
                # After a danger, or past the last one: begin again with the first that is left.
                at = next(iter(left))
                page.goto(f"{address}/{batch['slug']}/inspect/{at}")
            page.get_by_role("heading", name=at).wait_for()
            page.wait_for_function("document.activeElement?.dataset?.place")
            one = left.pop(at)
            view = fetched(page, f"/api/units/{at}/inspection")
            sheet, like = sheets[view["sheet"]], view["like"] or {}
            counts.append(inspect_unit(page, sheet, one["trim"], one["entries"], like))
            page.wait_for_function(
                "(tag) => !location.pathname.endsWith(tag)"
                " || document.querySelector('[role=alertdialog]')",
                arg=at,
            )
            at = page.evaluate("location.pathname.split('/').pop()")
    return counts


PAINTED = """() => new Promise((done) => {
  const field = document.querySelector('input[aria-label="Filter units"]')
  field.addEventListener('input', () => {
    const began = performance.now()
    requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)))
  }, { once: true, capture: true })
})"""


def filter_paints_ms(page, address: str) -> tuple[float, int]:
    """(Median ms from a key in the filter to the painted list, rows drawn) of the long list."""
    page.goto(f"{address}/{LONG_LIST_SLUG}/inspect")
    field = page.get_by_label("Filter units")
    field.wait_for()
    page.wait_for_timeout(2000)
    field.focus()
    took: list[float] = []
    for key in ("t", "w", "-", "1", "2", "Backspace", "Backspace", "3", "0", "4"):
        page.evaluate(f"void (window.painted = ({PAINTED})())")
        page.keyboard.press(key)
        took.append(page.evaluate("window.painted"))
        page.wait_for_timeout(150)
    rows = page.locator("aside li").count()
    return statistics.median(took), rows


def main() -> None:
    """Print every target."""
    report = Report()
    report.at_most("assessment of one of 20,000 units, median µs", assessment_microseconds(), 100)
    with served("bench._workshop") as (page, address, _):
        counts = sorted(keystrokes(page, address))
        report.at_most(
            f"keystrokes a unit after the scan, median of {len(counts)}",
            statistics.median(counts),
            12,
        )
        report.shown("keystrokes a unit, nine in ten at most", str(counts[len(counts) * 9 // 10]))
        paints, rows = filter_paints_ms(page, address)
        report.at_most(f"filter over {LONG_LIST:,} units, key to paint, median ms", paints, 50)
        report.at_most(f"rows drawn of {LONG_LIST:,}", rows, 60)
    report.end()


if __name__ == "__main__":
    main()
