from pathlib import Path

from playwright.sync_api import expect

from house.place import WEB
from sortis_server.inspect.services import clear_hazard
from tests.browser.case import BrowserCase

# What a gloved finger meets: targets under 44 px, letters under 16 px, words that are cut off. A
# link within a sentence is as high as its padding makes it; key caps are no text.
UNDER_A_FINGER = """() => {
  const found = []
  const high = (one) => one ? one.getBoundingClientRect().height : 0
  const seen = (one) => high(one) > 1 && one.getBoundingClientRect().width > 1
    && getComputedStyle(one).visibility !== 'hidden' && !one.closest('.sr-only')
  const pressed = 'button, a[href], input, select, textarea, summary'
  for (const one of document.querySelectorAll(pressed)) {
    const px = Math.max(high(one), high(one.closest('label')))
    if (seen(one) && px < 43.5) found.push(`${Math.round(px)} px: ${one.outerHTML.slice(0, 90)}`)
  }
  const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
  while (texts.nextNode()) {
    const words = texts.currentNode.textContent.trim().slice(0, 60)
    const one = texts.currentNode.parentElement
    if (!words || !seen(one) || one.closest('kbd, option, script, style, title')) continue
    const style = getComputedStyle(one)
    const size = parseFloat(style.fontSize) * (one.closest('svg') ? one.getScreenCTM().a : 1)
    if (size < 15.9) found.push(`${size} px letters: ${words}`)
    const over = one.scrollWidth > one.clientWidth + 1
    if (over && style.overflowX !== 'visible') found.push(`cut: ${words}`)
  }
  return found
}"""
AXE = Path(WEB, "node_modules", "axe-core", "axe.min.js").read_text()
UNDER_WAY = "document.getAnimations().some((one) => one instanceof CSSTransition)"


class Screens(BrowserCase):
    def lived_in(self):
        """Units at every stage; the work order, the waiting unit and the blocked one."""
        fitted, ready, short, fresh, blocked = self.announce(
            "stilt", "lern", "folio", "folio", "folio"
        )
        self.inspect(fitted, m2="-")
        self.inspect(ready)
        self.approve(self.plan())
        self.inspect(short, p1="20/46 90c", heat_sink="-")
        self.inspect(blocked, p1="!")
        self.plan()
        return fitted, ready, fresh, blocked

    def pages(self):
        fitted, ready, fresh, blocked = self.lived_in()
        return {
            "/": "A new batch",
            self.at("arrive"): "Take a manifest in",
            self.at("inspect", fresh.tag): "Function tests",
            self.at("inspect", blocked.tag): "Stop. ",
            self.at("decide"): "What is scarce",
            self.at("fit", fitted.tag): "Screw tray",
            self.at("release", ready.tag): "Gates of",
            self.at("stock"): "Newest movements",
            self.at("sheets"): "How it opens",
            self.at("dangers"): "the unit is blocked",
            f"/unit/{fitted.tag}": "counted in",
            "/shelf": "Something came back",
            "/workshop/settings": "Costs that new batches begin with",
            "/workshop/standards": "What a unit must be like",
            "/workshop/prices": "in hand",
            "/workshop/kinds": "what decides whether it fits",
            "/workshop/people": "Invite somebody",
            "/workshop/file": "Take a file in",
            "/workshop/me": "A second number",
        }

    def test_every_screen_can_be_read_and_worked_by_everybody(self):
        pages = self.pages()
        page = self.page("/")
        for path, words in pages.items():
            page.emulate_media(color_scheme="light")
            page.goto(self.live_server_url + path)
            page.get_by_text(words).first.wait_for()
            # The page's policy allows no foreign script, so it is put in from outside.
            page.evaluate(AXE)
            for theme in ("light", "dark"):
                page.emulate_media(color_scheme=theme)
                page.wait_for_timeout(200)
                # A colour on its way from one theme to the other is neither's.
                while page.evaluate(UNDER_WAY):
                    page.wait_for_timeout(50)
                # The themes differ in nothing but their colours.
                only = "runOnly: ['color-contrast'], " if theme == "dark" else ""
                found = page.evaluate(f"axe.run({{{only}resultTypes: ['violations']}})")
                wrong = [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found["violations"]]
                self.assertEqual(wrong, [], f"{theme} {path}")

    def test_nothing_overflows_on_a_small_screen(self):
        pages = self.pages()
        page = self.page("/")
        for path, words in pages.items():
            page.set_viewport_size({"width": 1280, "height": 800})
            page.goto(self.live_server_url + path)
            page.get_by_text(words).first.wait_for()
            # A tablet either way up, and the narrow screens that a zoom of 200 % and a phone make.
            for width, height in ((1180, 820), (1024, 768), (820, 1180), (640, 512), (390, 844)):
                page.set_viewport_size({"width": width, "height": height})
                page.wait_for_timeout(60)
                over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                self.assertLessEqual(over, 0, f"{path} at {width}")

    def test_gloves_meet_large_targets_and_a_far_eye_large_letters(self):
        fitted, ready, fresh, blocked = self.lived_in()
        pages = {
            self.at("arrive"): "Take a manifest in",
            self.at("inspect", fresh.tag): "Function tests",
            self.at("inspect", blocked.tag): "Stop. ",
            self.at("fit", fitted.tag): "Screw tray",
            self.at("release", ready.tag): "Gates of",
            self.at("dangers"): "the unit is blocked",
            "/shelf": "Something came back",
        }
        page = self.page("/", tablet=True)
        for path, words in pages.items():
            page.goto(self.live_server_url + path)
            page.get_by_text(words).first.wait_for()
            for width, height in ((1180, 820), (820, 1180)):
                page.set_viewport_size({"width": width, "height": height})
                page.wait_for_timeout(200)
                self.assertEqual(page.evaluate(UNDER_A_FINGER), [], f"{path} at {width}")
        page.goto(self.live_server_url + self.at("inspect", fresh.tag))
        self.place(page, "starts").focus()
        expect(page.get_by_role("button", name="Keep, next")).to_be_in_viewport()

    def test_a_group_opens_its_ladder_with_reason_and_facts(self):
        for unit in self.announce("lern", "lern"):
            self.inspect(unit, p1="20/38 90c")
        self.plan()
        page = self.page(self.at("decide"))
        row = page.locator("[data-row] button").first
        row.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_text("Why:")).to_be_visible()
        expect(page.get_by_text("labour -€").first).to_be_visible()
        expect(page.get_by_text("Field ready has no price for this model")).to_be_visible()
        expect(page.get_by_role("columnheader", name="leaves").last).to_be_visible()

    def test_an_address_that_nobody_knows_says_so_and_leads_back(self):
        for path in ("/nobody/knows/this", self.at("nowhere"), "//decide"):
            page = self.page(path)
            alert = page.get_by_role("alert")
            expect(alert).to_contain_text("There is no such page")
            expect(alert).to_contain_text(path)
        alert.get_by_role("link", name="All batches").click()
        expect(page.get_by_text("A new batch")).to_be_visible()

    def test_a_page_that_cannot_be_fetched_says_so_and_is_fetched_again(self):
        page = self.page("/")
        page.route("**/assets/Stock-*", lambda asked: asked.abort())
        page.get_by_role("link", name="Stock").click()
        expect(page.get_by_text("This page could not be fetched")).to_be_visible()
        page.unroute("**/assets/Stock-*")
        page.get_by_role("button", name="Load it again").click()
        expect(page.get_by_role("heading", name="Stock", exact=True)).to_be_visible()

    def test_on_paper_nothing_is_folded_and_nothing_stands_that_only_a_screen_can_do(self):
        fitted, _, _, _ = self.lived_in()
        page = self.page(self.at("decide"), theme="dark")
        page.locator("[data-row] button").first.click()
        page.get_by_text("Why:").wait_for()
        page.emulate_media(media="print")
        for hidden in (
            page.get_by_role("navigation", name="Workshop"),
            page.get_by_role("button", name="Plan"),
            page.get_by_label("Scan or type a tag"),
        ):
            expect(hidden.first).not_to_be_visible()
        expect(page.get_by_role("columnheader", name="leaves").last).to_be_visible()
        ground = page.evaluate("getComputedStyle(document.body).backgroundColor")
        self.assertEqual(ground, "rgb(255, 255, 255)")
        page.goto(f"{self.live_server_url}/unit/{fitted.tag}")
        page.get_by_text("counted in").first.wait_for()
        expect(page.get_by_role("button", name="Print")).not_to_be_visible()

    def test_the_way_to_a_part_is_lit_and_the_rest_folded(self):
        page = self.page("/sheets/ombrel-folio-15")
        drawing = page.get_by_role("group", name="Route drawing")
        drawing.wait_for()
        boxes = drawing.locator("foreignObject")
        every = boxes.count()
        drawing.get_by_role("button", name="Slot 1").click()
        expect(page.get_by_label("The way to")).to_have_value("m1")
        lit = drawing.locator(".border-accent")
        steps = lit.count()
        expect(page.get_by_text("steps in", exact=False)).to_contain_text(f"{steps} steps in")
        self.assertLess(steps, every)
        page.get_by_label("only this way").check()
        expect(boxes).to_have_count(steps)

    def test_an_empty_batch_says_what_to_do_first(self):
        for stage, words in (
            ("arrive", "What a manifest may look like"),
            ("inspect", "Count more in under Arrive"),
            ("decide", "Units come here once they are inspected"),
            ("fit", "Approve a plan under Decide"),
            ("release", "No unit waits for its last check"),
        ):
            page = self.page(self.at(stage))
            expect(page.get_by_text(words)).to_be_visible()

    def test_planning_nothing_is_answered_on_the_page(self):
        page = self.page(self.at("decide"))
        page.get_by_role("button", name="Plan the batch").click()
        expect(page.get_by_text("Inspect at least one unit")).to_be_visible()

    def test_a_faulty_manifest_lists_its_lines_and_takes_nothing(self):
        page = self.page(self.at("arrive"))
        page.get_by_label("Manifest file").set_input_files(
            {
                "name": "x.csv",
                "mimeType": "text/csv",
                "buffer": b"serial,maker,model\nS1,Ombrel,Folio 15\nS2,Ombrel,\n",
            }
        )
        expect(page.get_by_role("row", name="S2").get_by_text("model is blank")).to_be_visible()
        expect(page.get_by_role("button", name="Take 1 unit in")).to_be_disabled()
        page.keyboard.press("t")
        self.assertEqual(self.batch.units.count(), 0)

    def test_filters_stay_in_the_address(self):
        self.announce("stilt", "folio")
        page = self.page(self.at("inspect"))
        # Led on to its first unit by itself; a page left before that has no filter to keep yet.
        page.wait_for_url("**/inspect/*")
        self.place(page, "m1").wait_for()
        page.get_by_label("Filter units").fill("folio")
        expect(page.locator("aside li a")).to_have_count(1)
        page.wait_for_url("**filter=folio")
        page.reload()
        expect(page.locator("aside li a")).to_have_count(1)


class Records(BrowserCase):
    def test_a_cleared_hazard_stays_on_the_record(self):
        (unit,) = self.announce("folio")
        self.inspect(unit, p1="!")
        clear_hazard(unit.tag, "Fetched by the licensed carrier", self.marit)
        page = self.page(self.at("inspect", unit.tag))
        expect(page.get_by_text("Fetched by the licensed carrier")).to_be_visible()
