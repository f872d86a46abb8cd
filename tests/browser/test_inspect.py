from playwright.sync_api import expect

from sortis_server.inspect.models import Inspection
from tests.browser.case import BrowserCase


class AtTheStrip(BrowserCase):
    def open(self, unit, page=None):
        page = page or self.page(self.at("inspect", unit.tag))
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        return page

    def test_arrows_walk_typing_fills_and_a_wrong_value_is_refused_with_the_fact(self):
        (unit,) = self.announce("stilt")
        page = self.open(unit)
        page.keyboard.type("32")
        expect(page.get_by_text("Slot 1 takes up to 16 GB (maker's manual)")).to_be_visible()
        self.keys(page, "ArrowRight")
        self.assertEqual(page.evaluate("document.activeElement.dataset.place"), "m2")
        page.keyboard.type("8")
        expect(page.get_by_text("8 GB, one channel")).to_be_visible()
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("The inspection was not kept")).to_be_visible()
        self.assertEqual(Inspection.objects.count(), 0)
        self.keys(page, "ArrowLeft")
        self.place(page, "m1").fill("16")
        expect(page.get_by_text("24 GB")).to_be_visible()
        expect(page.get_by_text("24 of 16 GB")).to_be_visible()

    def test_the_focus_goes_on_where_its_place_is_gone_with_the_trim(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        self.place(page, "heat_sink").focus()
        for _ in range(3):
            page.keyboard.press("Alt+v")
            if page.get_by_label("flash, no heat sink").is_checked():
                break
        expect(self.place(page, "heat_sink")).not_to_be_attached()
        expect(page.locator("input[data-place]:focus")).to_have_count(1)

    def test_what_is_taken_over_with_its_trim_goes_on_in_the_places_of_that_trim(self):
        first, second = self.announce("folio", "folio")
        self.inspect(first, trim="lite")
        page = self.open(second)
        page.keyboard.type("8")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("=")
        expect(page.get_by_label("flash, no heat sink")).to_be_checked()
        expect(self.place(page, "heat_sink")).not_to_be_attached()
        focus = page.locator("input[data-place]:focus")
        expect(focus).to_have_count(1)
        expect(focus).to_have_value("")

    def test_shortfalls_appear_while_typing(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        self.place(page, "p1").fill("34/46")
        expect(page.get_by_text("Pack 74 of 80 %")).to_be_visible()
        self.place(page, "p1").fill("44/46")
        expect(page.get_by_text("Pack 96 of 80 %")).to_be_visible()

    def test_one_key_on_the_pack_blocks_the_unit_and_shows_the_caution(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        self.place(page, "p1").focus()
        page.keyboard.type("!")
        expect(page.get_by_text(f"Stop. Pack of {unit.tag}: dangerous.")).to_be_visible()
        expect(page.get_by_text("do not charge", exact=False).first).to_be_visible()
        expect(self.place(page, "m1")).to_be_disabled()
        page.keyboard.press("s")
        expect(page.get_by_text(f"Stop. Pack of {unit.tag}: swollen.")).to_be_visible()
        page.get_by_label("What was done").fill("Fetched by the licensed carrier")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Pack: swollen. Fetched by the licensed carrier")).to_be_visible()
        unit.refresh_from_db()
        self.assertFalse(unit.blocked)

    def test_a_stale_page_shows_both_versions_and_keeps_the_chosen_one(self):
        (unit,) = self.announce("stilt")
        page = self.open(unit)
        page.keyboard.type("4")
        self.inspect(unit, m1="16")
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("kept inspection 1")).to_be_visible()
        row = page.get_by_role("row", name="m1 4 16")
        expect(row).to_be_visible()
        page.get_by_role("button", name="Keep mine").press("Enter")
        expect(page.get_by_text("Somebody else saved first")).not_to_be_visible()
        found = Inspection.objects.get(number=2)
        self.assertEqual(found.findings["modules"]["m1"]["gb"], 4)

    def test_enter_out_of_habit_after_a_place_that_moved_on_does_nothing(self):
        (unit,) = self.announce("stilt")
        page = self.open(unit)
        page.keyboard.type("-")
        expect(page.locator("input[data-place=m2]:focus")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.locator("input[data-place=m2]:focus")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.locator("input[data-place=d1]:focus")).to_be_visible()
        self.assertEqual(Inspection.objects.count(), 0)

    def test_whatever_was_typed_last_is_taken_back(self):
        (unit,) = self.announce("stilt")
        page = self.open(unit)
        page.keyboard.type("16", delay=95)
        self.keys(page, "ArrowRight")
        page.keyboard.type("8")
        self.place(page, "cage").focus()
        page.keyboard.press("x")
        expect(self.place(page, "cage")).to_have_value("x")
        for place, left in (("cage", ""), ("m2", ""), ("m1", "")):
            page.keyboard.press("Control+z")
            expect(self.place(page, place)).to_have_value(left)

    def test_a_danger_pressed_by_mistake_is_taken_back_by_one_key(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        page.keyboard.type("16")
        page.keyboard.press("!")
        expect(page.get_by_role("alertdialog")).to_be_visible()
        unit.refresh_from_db()
        self.assertTrue(unit.blocked)
        page.keyboard.press("Control+z")
        expect(page.get_by_role("alertdialog")).not_to_be_visible()
        expect(self.place(page, "m0")).to_be_enabled()
        unit.refresh_from_db()
        self.assertFalse(unit.blocked)
        self.assertIn("by mistake", unit.hazards.get().done)
        self.assertEqual(Inspection.objects.count(), 2)

    def test_the_keys_of_the_screen_are_shown_searched_and_greyed_with_their_reason(self):
        (unit,) = self.announce("stilt")
        page = self.page(self.at("decide"))
        page.get_by_role("heading", name="No unit waits for a decision").wait_for()
        page.keyboard.press("?")
        keys = page.get_by_role("dialog", name="Keys")
        expect(keys.get_by_text("approve the plan · not now: no solved plan")).to_be_visible()
        expect(keys.get_by_text("plan the batch · not now: no unit waits")).to_be_visible()
        page.keyboard.type("bench", delay=95)
        expect(keys.get_by_text("to the bench")).to_be_visible()
        expect(keys.get_by_text("approve the plan")).not_to_be_visible()
        page.keyboard.press("Escape")
        expect(keys).not_to_be_visible()
        page.goto(self.live_server_url + self.at("inspect", unit.tag))
        self.place(page, "m1").wait_for()
        page.get_by_role("button", name="Keys").click()
        expect(keys.get_by_text("works poorly, and how")).to_be_visible()

    def test_the_story_says_what_happened_and_leads_on(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.inspect(unit, m2="8", speaker="p tinny")
        page = self.page(f"/unit/{unit.tag}")
        happened = page.get_by_role("list", name="What happened to it")
        expect(happened.get_by_text("Slot 2: empty → 8 GB DDR4")).to_be_visible()
        expect(happened.get_by_text("Speaker: there → there, tinny")).to_be_visible()
        expect(happened.get_by_text("with Harbour office, from")).to_be_visible()
        expect(happened.get_by_role("heading", name="Inspect")).to_be_visible()
        expect(happened.get_by_role("img", name="Slot 2: 8 GB DDR4")).to_be_visible()
        self.assertIn(unit.tag, page.title())
        page.keyboard.press("Enter")
        page.wait_for_url(f"**/decide?unit={unit.tag}")

    def test_nothing_is_lost_when_the_network_drops(self):
        one, two = self.announce("stilt", "stilt")
        page = self.open(one)
        # The next unit is fetched ahead.
        read = "performance.getEntriesByType('resource').map((one) => one.name)"
        page.wait_for_function(f"(tag) => {read}.some((name) => name.includes(tag))", arg=two.tag)
        page.context.set_offline(True)
        page.keyboard.type("16")
        expect(page.get_by_text("not connected, kept on this device")).to_be_visible()
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("1 inspection kept on this device")).to_be_visible()
        expect(page.get_by_role("heading", name=two.tag)).to_be_visible()
        self.assertEqual(Inspection.objects.count(), 0)
        page.context.set_offline(False)
        expect(page.get_by_text("kept on this device")).not_to_be_visible()
        self.assertEqual(Inspection.objects.get().findings["modules"]["m1"]["gb"], 16)

    def test_what_was_typed_survives_a_reload(self):
        (unit,) = self.announce("stilt")
        page = self.open(unit)
        page.keyboard.type("16")
        expect(page.get_by_text("16 GB, one channel")).to_be_visible()
        page.reload()
        expect(self.place(page, "m1")).to_have_value("16")
        expect(page.get_by_text("not kept yet")).to_be_visible()

    def test_a_scan_into_a_place_jumps_and_leaves_the_place_as_it_was(self):
        one, two = self.announce("stilt", "stilt")
        page = self.open(one)
        page.keyboard.type("8")
        self.keys(page, "ArrowRight")
        self.scan(page, two.tag)
        expect(page.get_by_role("heading", name=two.tag)).to_be_visible()
        page.goto(self.live_server_url + self.at("inspect", one.tag))
        expect(self.place(page, "m2")).to_have_value("")

    def test_a_scan_jumps_to_the_next_step_from_anywhere(self):
        fitted, waiting = self.announce("stilt", "stilt")
        self.inspect(fitted, m2="-")
        self.approve(self.plan())
        page = self.page("/stock")
        page.get_by_role("heading", name="Stock", exact=True).wait_for()
        page.keyboard.press("/")
        expect(page.get_by_label("Scan or type a tag")).to_be_focused()
        page.keyboard.type(fitted.tag, delay=95)
        page.keyboard.press("Enter")
        page.wait_for_url(f"**/fit/{fitted.tag}")
        page.keyboard.press("/")
        expect(page.get_by_label("Scan or type a tag")).to_be_focused()
        page.keyboard.type("tw9", delay=95)
        page.keyboard.press("Enter")
        expect(page.get_by_text("“tw9” is no tag, serial number")).to_be_visible()
        page.get_by_label("Scan or type a tag").fill(waiting.tag)
        page.keyboard.press("Enter")
        page.wait_for_url(f"**/inspect/{waiting.tag}")
