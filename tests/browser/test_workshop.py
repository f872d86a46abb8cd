"""Stock, sheets, themes, signing in and the last check, as people use them."""

import json

from playwright.sync_api import expect

from sortis_server.arrive.models import Unit
from sortis_server.people.badges import badge_of
from sortis_server.release.models import GateSignature, Release
from sortis_server.sheets.services import note_model
from sortis_server.stock.models import Purchase
from tests.browser.case import BrowserCase, browser


class Around(BrowserCase):
    def test_a_wrong_password_says_so_and_the_page_asked_for_opens_afterwards(self):
        page = browser().new_context().new_page()
        page.goto(self.live_server_url + self.at("decide"))
        # A badge ends with Enter: the password comes next, and nothing is tried before.
        expect(page.get_by_label("Name")).to_be_focused()
        self.scan(page, badge_of(self.marit))
        expect(page.get_by_label("Password")).to_be_focused()
        expect(page.get_by_label("Name")).to_have_value(badge_of(self.marit))
        page.keyboard.type("wrong")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Name and password do not match")).to_be_visible()
        page.get_by_label("Password").fill("tide")
        page.keyboard.press("Enter")
        expect(page.get_by_text("What you can turn")).to_be_visible()
        self.assertIn("/decide", page.url)
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_label("Password")).to_be_visible()

    def test_the_chosen_theme_stays_on_the_device(self):
        page = self.page("/")
        page.get_by_role("button", name="Dark theme").click()
        dark = page.evaluate("getComputedStyle(document.body).backgroundColor")
        page.reload()
        page.get_by_role("button", name="Light theme").wait_for()
        self.assertEqual(page.evaluate("getComputedStyle(document.body).backgroundColor"), dark)
        page.get_by_role("button", name="Light theme").click()
        light = page.evaluate("getComputedStyle(document.body).backgroundColor")
        self.assertNotEqual(light, dark)

    def test_another_role_is_told_whose_work_it_is(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        context = browser().new_context()
        cookie = self.client_of(self.ines).cookies["sessionid"].value
        context.add_cookies([{"name": "sessionid", "value": cookie, "url": self.live_server_url}])
        page = context.new_page()
        page.goto(self.live_server_url + self.at("decide"))
        expect(page.get_by_text("which a planner or an owner sees here")).to_be_visible()
        self.open_money()
        page.reload()
        page.get_by_role("button", name="Plan the batch").click()
        expect(page.get_by_text("Planning is for a planner")).to_be_visible()

    def test_sheets_show_what_a_model_can_hold_with_its_source(self):
        page = self.page("/sheets/ombrel-folio-15")
        expect(page.get_by_role("heading", name="Ombrel Folio 15")).to_be_visible()
        expect(page.get_by_text("24 GB on 4 units")).to_be_visible()
        expect(page.get_by_role("cell", name="bench-proven")).to_be_visible()
        page.get_by_role("link", name="Tolva Lern 11").click()
        expect(page.get_by_text("SATA, 2242 and 2280")).to_be_visible()
        expect(page.get_by_text("not sold").first).to_be_visible()

    def test_another_workshops_sheet_is_answered_fact_by_fact(self):
        theirs = self.api("get", "sheets/ombrel-folio-15") | {"year": 2014, "adapter": "20 V"}
        page = self.page("/sheets")
        page.get_by_label("Sheet file").set_input_files(
            {
                "name": "harbour.json",
                "mimeType": "application/json",
                "buffer": json.dumps(theirs).encode(),
            }
        )
        keep = page.get_by_role("button", name="Keep as the next version")
        expect(keep).to_be_disabled()
        expect(page.get_by_text("2 questions open")).to_be_visible()
        self.assertIn("merge=", page.url)
        page.get_by_role("radio", name="year: As there, 2014").check()
        page.reload()
        expect(page.get_by_text("1 question open")).to_be_visible()
        page.get_by_role("button", name="The open ones as here").click()
        keep.click()
        expect(page.get_by_text("Ombrel Folio 15, version 2, is saved.")).to_be_visible()
        kept = self.api("get", "sheets/ombrel-folio-15")
        self.assertEqual((kept["year"], kept["version"]), (2014, 2))
        self.assertNotEqual(kept["adapter"], "20 V")

    def test_a_model_noted_at_the_door_leads_to_its_sheet(self):
        (unit,) = self.announce("stilt")
        named = note_model("Wharf", "Reed 14", self.marit)
        Unit.objects.filter(pk=unit.pk).update(sheet_key=named.key, sheet_version=1)
        page = self.page(self.at(f"inspect/{unit.tag}"))
        expect(page.get_by_text("Only the name of Wharf Reed 14 is known.")).to_be_visible()
        expect(page.get_by_role("button", name="Keep, next")).to_be_hidden()
        page.get_by_label("Most like").select_option(label="Ombrel Folio 15")
        page.get_by_role("button", name="Begin the sheet").click()
        expect(page.get_by_role("region", name="What memory does it take?")).to_be_visible()
        unit.refresh_from_db()
        self.assertEqual(unit.sheet_version, 2)
        self.assertTrue(self.api("get", f"sheets/{named.key}")["written"])

    def test_a_new_sheet_is_answered_and_picked(self):
        page = self.page("/sheets")
        page.get_by_role("button", name="Begin a new sheet").click()
        page.get_by_label("Maker").fill("Tolva")
        page.get_by_label("Model", exact=True).fill("Odd 14")
        page.get_by_label("Most like").select_option("")
        page.get_by_role("button", name="Begin the sheet").click()
        page.get_by_label("Slots").fill("2")
        page.get_by_label("All together up to GB").fill("32")
        page.get_by_role("button", name="+ M.2 NVMe").click()
        page.get_by_label("Kind of d1").wait_for()
        page.get_by_role("button", name="2242").click()
        page.get_by_role("button", name="+ a built-in pack").click()
        page.get_by_role("button", name="Starts", exact=True).click()
        way_in = page.get_by_role("list", name="The way in")
        for number, step in enumerate(("Lift the cover", "Power off, adapter out"), start=1):
            page.get_by_role("button", name=step, exact=True).click()
            expect(way_in.get_by_role("listitem")).to_have_count(number)
        page.get_by_role("button", name="Unplug the pack", exact=True).click()
        # What lies no deeper comes first, whatever was picked first.
        expect(way_in.get_by_role("listitem").first).to_contain_text("Power off")
        expect(page.get_by_text("Nothing says how Pack is reached")).to_be_visible()
        page.get_by_role("button", name="All others after step 3").click()
        expect(page.get_by_role("combobox", name="Slot 1")).to_have_value("pack_unplug")
        expect(page.get_by_text("Nothing says how Pack is reached")).to_have_count(0)
        page.reload()
        page.get_by_role("button", name="Edit").click()
        expect(page.get_by_text("your unsaved draft")).to_be_visible()
        page.get_by_role("button", name="Save as version 2").click()
        expect(page.get_by_text("Tolva Odd 14, version 2, is saved.")).to_be_visible()
        kept = self.api("get", "sheets/tolva-odd-14")
        self.assertEqual(kept["drives"][0]["lengths_mm"], [2242, 2280])
        self.assertEqual([s["limit_gb"] for s in kept["memory"]["slots"]], [16, 16])
        self.assertEqual(
            [step["after"] for step in kept["route"]["steps"]],
            [[], ["power_off"], ["cover_off"]],
        )
        self.assertEqual(
            {reach["place"] for reach in kept["route"]["reaches"]}, {"m1", "m2", "d1", "p1"}
        )

    def test_stock_filters_and_books_an_arrival_in(self):
        (unit,) = self.announce("lern")
        self.inspect(unit, keyboard="x")
        self.approve(self.plan())
        page = self.page("/stock")
        expect(page.get_by_text("1 × Keyboard, Lern 11")).to_be_visible()
        page.get_by_label("Put arrivals at").fill("shelf Z-9")
        page.get_by_role("button", name="Arrived").press("Enter")
        expect(page.get_by_text("Nothing is on order")).to_be_visible()
        page.get_by_label("Filter parts").fill("keyboard, lern")
        expect(page.get_by_text("shelf Z-9: 1")).to_be_visible()
        page.wait_for_url("**filter=keyboard*")
        self.assertEqual(Purchase.objects.get().lot.promised, 1)

    def test_counting_all_in_is_taken_back_by_one_key(self):
        self.batch.units.all().delete()
        self.announce("stilt", "lern")
        self.batch.units.update(stage="arrive", counted_at=None)
        page = self.page(self.at("arrive"))
        page.get_by_role("button", name="Count all 2 in").wait_for()
        page.keyboard.press("c")
        expect(page.get_by_text("2 units counted in")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Taken back: 2 units announced")).to_be_visible()
        expect(page.get_by_role("button", name="Count all 2 in")).to_be_visible()
        self.assertEqual({unit.stage for unit in self.batch.units.all()}, {"arrive"})

    def test_counting_in_by_scan(self):
        self.batch.units.all().delete()
        one, two = self.announce("stilt", "lern")
        self.batch.units.update(stage="arrive")
        page = self.page(self.at("arrive"))
        page.get_by_text("0 of 2 seen").wait_for()
        self.scan(page, one.tag.lower())
        expect(page.get_by_text(f"{one.tag}, Quarrin Stilt Q2, counted in.")).to_be_visible()
        page.keyboard.press("s")
        page.keyboard.type(two.serial, delay=95)
        page.keyboard.press("Enter")
        expect(page.get_by_text(f"The label says {one.tag}").first).to_be_visible()
        self.assertEqual((self.stage(one), self.stage(two)), ("inspect", "arrive"))
        page.get_by_role("button", name="No, it is the next unit").click()
        expect(page.get_by_text("Every announced unit is counted in")).to_be_visible()
        page.get_by_label("Scan a label").fill("ZZ-77")
        page.keyboard.press("Enter")
        expect(page.get_by_text("ZZ-77 was not announced").first).to_be_visible()
        page.get_by_label("Model of ZZ-77").select_option("tolva-lern-11")
        expect(page.get_by_text("3 of 3 seen")).to_be_visible()
        page.get_by_role("button", name="one adapter more").click()
        expect(
            page.get_by_role("group", name="adapter").get_by_text("1", exact=True)
        ).to_be_visible()
        page.get_by_role("button", name="print").click()
        expect(page.get_by_text("No label printer is set up")).to_be_visible()


class LastCheck(BrowserCase):
    def test_the_last_check_records_how_the_drive_was_sanitised(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        page = self.page(self.at("release", unit.tag))
        expect(page.get_by_text("6 of 10 met")).to_be_visible()
        page.keyboard.press("r")
        expect(page.get_by_text("The unit cannot be released yet")).to_be_visible()
        record = page.get_by_label("Record how it was sanitised")
        expect(record).to_have_value("")
        page.keyboard.press(" ")
        expect(record).to_be_focused()
        self.assertFalse(GateSignature.objects.exists())
        record.select_option("erased by the drive's own command")
        page.get_by_role("button", name="Seen").first.press("Enter")
        expect(page.get_by_text("erased by the drive's own command, Marit Dohl")).to_be_visible()
        self.assertEqual(GateSignature.objects.get().gate, "sanitised")
        self.assertFalse(Release.objects.exists())
