"""From a move of the hand on a dial to the painted plan, in the built application."""

from bench._page import served

MOVES = 40
REST_MS = 4000
"""Between two moves everything that the last one set off is done."""

# Moves the dial as the hand does, and ends at the frame after the answer is painted.
MOVE = """([name, step]) => new Promise((done) => {
  const dial = [...document.querySelectorAll('input[type=range]')]
    .find((one) => one.closest('label').textContent.startsWith(name))
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set
  const began = performance.now()
  const seen = new PerformanceObserver((list) => {
    if (!list.getEntries().some((one) => one.name.endsWith('/plan/try'))) return
    seen.disconnect()
    requestAnimationFrame(() => setTimeout(() => requestAnimationFrame(() =>
      done(performance.now() - began))))
  })
  seen.observe({ type: 'resource' })
  set.call(dial, String(Number(dial.value) + step))
  dial.dispatchEvent(new Event('input', { bubbles: true }))
})"""


def move(number: int) -> tuple[str, int]:
    """Dial and step: money and hours in turn, half of the moves down, then up to other places."""
    down = number % MOVES < MOVES // 2
    if number % 2:
        return "Money", -20_000 if down else 17_000
    return "Bench hours", -120 if down else 90


def dial_milliseconds() -> list[float]:
    """Every move's time, money and hours in turn, over the demo's batch of 180 units."""
    with served("bench._decided") as (page, address, _):
        page.goto(f"{address}/call-centre-closed/decide")
        page.get_by_role("button", name="Plan the batch").click()
        page.locator("[data-row]").first.wait_for(timeout=60_000)
        page.wait_for_timeout(REST_MS)
        took: list[float] = []
        for number in range(MOVES):
            took.append(page.evaluate(MOVE, list(move(number))))
            page.wait_for_timeout(REST_MS)
        return took
