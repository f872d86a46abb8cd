"""What the screens feel like: the first load, opening a unit, a typed key, a turning dial.

Sizes are as they cross the wire. Times are of this machine, from the key or the hand to the frame.
"""

import statistics

from playwright.sync_api import Page

from bench._page import served
from bench.dial import MOVE, REST_MS, move
from bench.report import Report

KEYS = 40
MOVES = 6
QUIET_MS = 2500
"""After which nothing of what was begun is still on its way."""

WEIGHT = """() => Math.round(performance.getEntriesByType('resource')
  .concat(performance.getEntriesByType('navigation'))
  .reduce((sum, one) => sum + one.transferSize, 0) / 1024)"""

# From the key to the next frame, and to the frame after the core's judgement is painted.
TYPED = """() => new Promise((done) => {
  const field = document.activeElement
  field.addEventListener('input', () => {
    const began = performance.now()
    let shown = 0
    requestAnimationFrame(() => setTimeout(() => { shown = performance.now() - began }))
    const seen = new PerformanceObserver((list) => {
      if (!list.getEntries().some((one) => one.name.includes('/read'))) return
      seen.disconnect()
      requestAnimationFrame(() => setTimeout(() => done([shown, performance.now() - began])))
    })
    seen.observe({ type: 'resource' })
  }, { once: true, capture: true })
})"""

LONG_TASKS = """() => {
  window.longest = 0
  new PerformanceObserver((list) => {
    for (const one of list.getEntries()) window.longest = Math.max(window.longest, one.duration)
  }).observe({ type: 'longtask' })
}"""


def first_load_kilobytes(page: Page, address: str) -> int:
    """Everything that a browser with an empty cache fetches for the list of batches."""
    page.goto(address)
    page.get_by_role("heading", name="Batches").wait_for()
    page.wait_for_timeout(QUIET_MS)
    return page.evaluate(WEIGHT)


def opening(page: Page, address: str) -> tuple[int, float]:
    """(Requests, kilobytes) of opening another unit of the list at Inspect; the most of three.

    The requests are those for the unit itself; the kilobytes are also those of the units after it,
    which are fetched ahead.
    """
    page.goto(f"{address}/ferry-line-offices/inspect")
    units = page.locator("aside li a")
    units.first.wait_for()
    page.wait_for_timeout(QUIET_MS)
    requests, kilobytes = 0, 0.0
    for place in (3, 7, 11):
        page.evaluate("performance.clearResourceTimings()")
        units.nth(place).click()
        page.wait_for_timeout(QUIET_MS)
        tag = page.url.rpartition("/")[2]
        fetched = page.evaluate(
            "performance.getEntriesByType('resource')"
            ".filter((one) => one.name.includes('/api/'))"
            ".map((one) => [one.name, one.transferSize])"
        )
        requests = max(requests, sum(1 for name, _ in fetched if tag in name))
        kilobytes = max(kilobytes, sum(size for _, size in fetched) / 1024)
    return requests, kilobytes


def typing(page: Page) -> tuple[float, float]:
    """(Median ms to the frame, median ms to the judged strip) of a key in a place of the strip."""
    page.locator("input[data-place]").first.focus()
    took: list[list[float]] = []
    for number in range(KEYS):
        page.evaluate(f"void (window.typed = ({TYPED})())")
        page.keyboard.press("8" if number % 2 == 0 else "Backspace")
        took.append(page.evaluate("window.typed"))
        page.wait_for_timeout(300)
    return statistics.median(t[0] for t in took), statistics.median(t[1] for t in took)


def longest_task(page: Page, address: str) -> float:
    """Longest the page stands still, in ms, while dials are turned over a planned batch."""
    page.goto(f"{address}/call-centre-closed/decide")
    page.get_by_role("button", name="Plan the batch").click()
    page.locator("[data-row]").first.wait_for(timeout=60_000)
    page.wait_for_timeout(REST_MS)
    page.evaluate(LONG_TASKS)
    for number in range(MOVES):
        page.evaluate(MOVE, list(move(number)))
        page.wait_for_timeout(REST_MS)
    return page.evaluate("window.longest")


def main() -> None:
    """Print every target."""
    report = Report()
    with served("bench._decided") as (page, address, _):
        known = page.context.storage_state()
        fresh = page.context.browser.new_context(storage_state=known)
        weight = first_load_kilobytes(fresh.new_page(), address)
        report.at_most("first load, compressed, KB", weight, 250)
        requests, kilobytes = opening(page, address)
        report.at_most("opening a unit, requests", requests, 3)
        report.at_most("opening a unit, KB", kilobytes, 60)
        frame, judged = typing(page)
        report.at_most("a key to its frame, median ms", frame, 17)
        report.at_most("a key to the judged strip, median ms", judged, 60)
        report.at_most("longest task while a dial turns, ms", longest_task(page, address), 50)
    report.end()


if __name__ == "__main__":
    main()
