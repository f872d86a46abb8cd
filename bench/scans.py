"""Every code of the demo scanned into every screen and every focus: nothing happens but the jump.

The demo is loaded, a real browser is driven, and after each scan the whole database, the fields of
the page and its address are compared with those before. Each kind of code goes to each focus, and
each code somewhere.
"""

import itertools
from collections.abc import Iterator
from typing import NamedTuple

import MySQLdb
from playwright.sync_api import Locator, Page

from bench._database import link_to
from bench._page import served
from bench._scanner import RHYTHMS, keys_of, send
from bench.report import Report

BATCH = "ferry-line-offices"
COUNTED = "call-centre-closed"
"""All of it is counted in, so that its Arrive has nothing to count."""
APART = ("django_session", "axes_", "live_here", "django_tasks_", "background_", "repeats_")
"""Who looks on, what workers say of themselves, and what was answered."""
FOCUSES = (
    "button:not([disabled])",
    "input:not([type]), input[type=text], input[type=search]",
    "input[type=number]",
    "input[type=range]",
    "input[type=checkbox]",
    "input[type=radio]",
    "input[data-place]",
    "select",
    "summary",
    "textarea",
    "a[href]",
)
"""The first and the last of each kind of thing that can have the focus."""
CODES = {
    "tags": "SELECT tag FROM arrive_unit",
    "serial numbers": "SELECT serial FROM arrive_unit WHERE serial <> ''",
    "lots": "SELECT CONCAT('LOT-', id) FROM stock_lot",
    "places": "SELECT DISTINCT place FROM stock_lot WHERE on_hand > 0 AND place REGEXP '[0-9]'",
    "badges": "SELECT CONCAT('BADGE-', id) FROM people_person",
}
PLANS = "decide_planrow"
WORDS = ("~m", "~16", "~n256", "~miss", "~same", "~keep")
UNKNOWN = ("PTLCAK/0077-x", "AREK25-9", "x7Kd-02_aZ9qLm", "WIFI.PALACE key", "PALACE", "shop 5/x")
FIELDS = """() => {
  window.fields = [...document.querySelectorAll('main input, main select, main textarea')]
    .map((one) => [one, one.value, one.checked])
}"""
CHANGED = """() => window.fields
  .filter(([one, value, on]) => one.isConnected && (one.value !== value || one.checked !== on))
  .map(([one, value]) => `${one.name || one.dataset.place || one.type}: ${value} to ${one.value}`)
"""
HELD = """() => {
  const one = document.activeElement
  return one.dataset.place === undefined && ['text', 'search', 'textarea'].includes(one.type)
}"""
SETTLED_MS = {"Enter": 160, "Tab": 160, "": 300}


class Place(NamedTuple):
    """Where a scan goes: one thing of one screen that can have the focus; empty for none."""

    path: str
    kind: str
    last: bool


def tag_of(link: MySQLdb.Connection, slug: str, stage: str) -> str:
    """A unit of a batch in a stage."""
    question = (
        "SELECT tag FROM arrive_unit JOIN arrive_batch ON arrive_batch.id = batch_id "
        "WHERE slug = %s AND stage = %s AND NOT blocked ORDER BY position LIMIT 1"
    )
    return asked(link, question, slug, stage)[0]


def asked(link: MySQLdb.Connection, question: str, *values: str) -> list[str]:
    """One column of what the database answers."""
    with link.cursor() as cursor:
        cursor.execute(question, values)
        told = [str(row[0]) for row in cursor.fetchall()]
    link.commit()
    return told


def sums(link: MySQLdb.Connection) -> dict[str, str]:
    """A sum of every table that scans must leave as it was."""
    tables = [one for one in asked(link, "SHOW TABLES") if not one.startswith((*APART, PLANS))]
    with link.cursor() as cursor:
        cursor.execute(f"CHECKSUM TABLE {', '.join(tables)}")
        told = {str(name).partition(".")[2]: str(value) for name, value in cursor.fetchall()}
    # What one more is worth is solved behind every open plan, whoever looks on.
    told[PLANS] = "; ".join(asked(link, f"SELECT CONCAT_WS(' ', id, number, state) FROM {PLANS}"))
    link.commit()
    return told


def screens(link: MySQLdb.Connection) -> list[str]:
    """Addresses of every screen."""
    fit, release = tag_of(link, BATCH, "fit"), tag_of(link, BATCH, "release")
    return [
        "/",
        f"/{COUNTED}/arrive",
        f"/{BATCH}/inspect/{tag_of(link, BATCH, 'inspect')}",
        f"/{COUNTED}/decide",
        f"/{BATCH}/fit/{fit}",
        f"/{BATCH}/release/{release}",
        f"/{BATCH}/day",
        f"/{BATCH}/stock",
        f"/{BATCH}/dangers",
        "/shelf",
        f"/unit/{fit}",
        "/sheets/tolva-lern-11",
        *(f"/workshop/{room}" for room in ("settings", "standards", "prices", "kinds", "people")),
    ]


def opened(page: Page, address: str, path: str) -> None:
    """Go there, and wait until all of it stands."""
    page.goto(address + path)
    page.get_by_role("navigation", name="Workshop", exact=True).wait_for()
    page.locator("main button, main input, main a").first.wait_for()
    page.wait_for_timeout(700)


def thing(page: Page, place: Place) -> Locator:
    """What has the focus there."""
    there = page.locator("main").locator(place.kind).locator("visible=true")
    return there.last if place.last else there.first


def places(page: Page, address: str, paths: list[str]) -> Iterator[Place]:
    """Every focus of every screen."""
    for path in paths:
        opened(page, address, path)
        yield Place(path, "", False)
        for kind in FOCUSES:
            count = page.locator("main").locator(kind).locator("visible=true").count()
            if count:
                yield Place(path, kind, False)
            if count > 1:
                yield Place(path, kind, True)


def codes_for(link: MySQLdb.Connection) -> dict[str, list[str]]:
    """Kind -> all codes of the demo."""
    found = {kind: asked(link, question) for kind, question in CODES.items()}
    # What is promised to the order on the screen is checked off there: that is where codes go.
    promised = set(asked(link, "SELECT CONCAT('LOT-', lot_id) FROM orders_reservation"))
    found["lots"] = [code for code in found["lots"] if code not in promised]
    return found | {"words": list(WORDS), "unknown": list(UNKNOWN)}


class Scanned:
    """What was done, and what should not have happened."""

    def __init__(self, page: Page, address: str, link: MySQLdb.Connection) -> None:
        self._page, self._address, self._link = page, address, link
        self._sums = sums(link)
        self._open = ""
        self.scans = self.late = 0
        self.rows: list[str] = []
        self.fields: list[str] = []
        self.elsewhere: list[str] = []
        self.gone: list[str] = []

    def scan(self, place: Place, kind: str, code: str, rhythm: str, end: str) -> None:
        """One code into one focus."""
        page = self._page
        if self._open != place.path or (place.kind and not thing(page, place).count()):
            opened(page, self._address, place.path)
        if place.kind and not thing(page, place).count():
            # What a unit's stage or the plan of a batch shows there may be another by now.
            self.gone.append(f"{place.kind} of {place.path}")
            return
        if place.kind:
            thing(page, place).focus()
        else:
            page.evaluate("document.activeElement?.blur()")
        words, at = page.evaluate(HELD), page.url
        page.evaluate(FIELDS)
        in_time = send(page, keys_of(code, end), RHYTHMS[rhythm])
        page.wait_for_timeout(SETTLED_MS[end])
        if not in_time:
            # No scan, but keys with pauses that no scanner makes: it says nothing.
            self.late += 1
            self._sums, self._open = sums(self._link), ""
            return
        self.scans += 1
        said = f"{code} into {place.kind or 'nothing'} of {place.path}, {rhythm}, {end or 'no end'}"
        now = sums(self._link)
        changed = {name for name in now if now[name] != self._sums.get(name)}
        # The count is where codes go: it notes what it does not expect.
        if place.path.endswith("/arrive"):
            changed -= {"arrive_scannote"}
        if changed:
            self.rows.append(f"{said}: {', '.join(sorted(changed))}")
        self._sums = now
        # Words that nobody knows may stay in a filter, and so in the address.
        stayed = page.url.partition("?")[0] == at.partition("?")[0]
        self._open = place.path if stayed else ""
        if kind in ("unknown", "badges") and not stayed:
            self.elsewhere.append(f"{said}: {page.url}")
        # Words that nobody knows may stay in a field for words; those of the bench line open it.
        free = (kind in ("unknown", "badges") and words) or kind == "words"
        if stayed and not free and (changed := page.evaluate(CHANGED)):
            self.fields.append(f"{said}: {'; '.join(changed)}")
        if free or page.url != at:
            self._open = ""


def turns(wheres: list[Place], codes: dict[str, list[str]]) -> Iterator[tuple[Place, str, str]]:
    """Each kind of code into each focus, and each code into one."""
    most = max(len(all_) for all_ in codes.values())
    for number in range(max(len(wheres), most)):
        place = wheres[number % len(wheres)]
        for kind, all_ in codes.items():
            if number < max(len(wheres), len(all_)):
                yield place, kind, all_[number % len(all_)]


def main() -> None:
    """Print scans, and what happened besides the jump."""
    report = Report()
    with served("demo.load") as (page, address, env):
        link = link_to(env)
        codes = codes_for(link)
        wheres = list(places(page, address, screens(link)))
        ways = itertools.cycle(itertools.product(RHYTHMS, SETTLED_MS))
        scanned = Scanned(page, address, link)
        for place, kind, code in turns(wheres, codes):
            scanned.scan(place, kind, code, *next(ways))
        link.close()
    report.shown("codes of the demo", str(sum(len(all_) for all_ in codes.values())))
    paths = {place.path for place in wheres}
    report.shown("screens, and what can have the focus", f"{len(paths)}, {len(wheres)}")
    report.shown("scans, wired and wireless, with each end", str(scanned.scans))
    report.shown("of more, this machine was too slow for a scan", str(scanned.late))
    report.shown("things that were not there any more", str(len(scanned.gone)))
    for said in sorted(set(scanned.gone))[:10]:
        report.shown("  not there any more", said)
    for words, wrong in (
        ("scans that changed the database", scanned.rows),
        ("scans that changed a field", scanned.fields),
        ("codes that nobody knows and that led elsewhere", scanned.elsewhere),
    ):
        report.at_most(words, len(wrong), 0)
        for said in wrong[:10]:
            report.shown(f"  {words}", said)
    report.end()


if __name__ == "__main__":
    main()
