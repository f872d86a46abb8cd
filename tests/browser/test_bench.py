"""Ways to log a unit: by keyboard over any shape, by bundle, by bench line; what lies beside."""

import io

from PIL import Image
from playwright.sync_api import expect

from sortis_server.inspect.models import Inspection, Photo
from sortis_server.sheets.models import SheetVersion
from sortis_server.sheets.services import sheet_version
from standins.probe import Probe
from tests.browser.case import BrowserCase
from tests.core.sample import FOLIO, folio


class Logging(BrowserCase):
    def open(self, unit, page=None):
        page = page or self.page(self.at("inspect", unit.tag))
        expect(page.get_by_role("heading", name=unit.tag)).to_be_visible()
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        return page

    def kept(self, unit) -> dict:
        return Inspection.objects.filter(unit=unit).latest("number").findings

    def type_places(self, page, *places: str) -> None:
        for text in places:
            page.keyboard.type(text)
            if text not in ("-", "x", "a", "="):
                page.keyboard.press("Enter")

    def test_three_more_shapes_by_keyboard(self):
        two_packs, emmc, mini = self.announce("tarn", "primer", "cairn")
        page = self.open(two_packs)
        self.type_places(
            page, "8", "8", "h500", "-", "n256 2242", "20/23.5 9c", "40/48.8 9c", "a", "b", "full"
        )
        self.type_places(page, "unlit")
        self.open(emmc, page)
        self.type_places(page, "8", "e64", "-", "33/37 9c", "a", "c")
        self.open(mini, page)
        self.type_places(page, "16", "-", "n512", "-", "a", "b")
        expect(page.get_by_text("Every unit of this batch that was counted in")).to_be_visible()
        self.assertEqual(set(self.kept(two_packs)["packs"]), {"p1", "p2"})
        self.assertEqual(self.kept(emmc)["drives"]["d0"]["interface"], "eMMC")
        self.assertEqual(self.kept(mini)["modules"]["m1"]["gb"], 16)

    def test_the_last_unit_of_the_model_is_taken_over_by_its_key_alone(self):
        first, whole, single = self.announce("folio", "folio", "folio")
        self.inspect(first, heat_sink="-")
        page = self.open(whole)
        expect(self.place(page, "m1")).to_have_attribute("placeholder", "8")
        expect(self.place(page, "m1")).to_have_value("")
        self.type_places(page, "=", "34/46", "a", "b")
        self.open(single, page)
        found = self.kept(whole)
        self.assertEqual((found["trim"], found["modules"]["m1"]["gb"]), ("flash", 8))
        self.assertEqual(
            (found["parts"]["heat_sink"], found["packs"]["p1"]["full"]), ("missing", 34)
        )
        page.keyboard.press("Enter")
        page.keyboard.type("16")
        expect(self.place(page, "m0")).to_have_value("")
        expect(self.place(page, "m1")).to_have_value("16")
        expect(self.place(page, "d1")).to_have_value("")

    def test_on_a_tablet_by_touch_alone(self):
        (unit,) = self.announce("stilt")
        page = self.page(self.at("inspect", unit.tag), width=1024, tablet=True)
        keys = page.get_by_role("group", name="Keys for Slot 1")
        self.place(page, "m1").tap()
        keys.get_by_role("button", name="16").tap()
        page.get_by_role("group", name="Keys for Slot 2").get_by_role("button", name="-").tap()
        expect(self.place(page, "m1")).to_have_value("16")
        expect(self.place(page, "m2")).to_have_value("-")
        self.place(page, "cage").tap()
        page.get_by_role("group", name="Keys for Drive cage").get_by_role("button", name="-").tap()
        expect(self.place(page, "cage")).to_have_value("-")
        page.get_by_role("button", name="the rest +").tap()
        expect(self.place(page, "fan")).to_have_value("+")
        page.get_by_role("group", name="Keys for Grade").get_by_role("button", name="b").tap()
        expect(self.place(page, "grade")).to_have_value("b")
        box = page.get_by_role("button", name="Keep, next").bounding_box()
        self.assertGreaterEqual(box["height"], 44)
        over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(over, 0)

    def test_a_unit_the_list_named_wrongly_is_put_on_another_sheet(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m1="16")
        page = self.open(unit, self.page(self.at("inspect", unit.tag)))
        page.get_by_role("button", name="another model").click()
        page.get_by_label("Model of this unit").select_option("ombrel-cairn-m1")
        expect(page.get_by_text("Left out, the new sheet has no place for it")).to_be_visible()
        expect(page.get_by_text("Ombrel Cairn M1, sheet 1")).to_be_visible()
        expect(self.place(page, "coin")).to_be_visible()
        expect(self.place(page, "cage")).not_to_be_visible()
        page.get_by_role("button", name="another model").click()
        page.get_by_label("Model of this unit").select_option("ombrel-folio-15")
        expect(page.get_by_role("radio", name="sold with disk")).to_be_checked()
        page.get_by_role("button", name="another model").click()
        page.get_by_label("Model of this unit").select_option("ombrel-cairn-m1")
        expect(self.place(page, "coin")).to_be_visible()
        expect(self.place(page, "m1")).to_have_value("16")

    def test_by_bundle_with_a_difference_as_a_question(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        page.keyboard.type("4")
        page.keyboard.press("Alt+o")
        bundle = Probe(FOLIO, folio(p1="37.5/46.62 210c"), unit.serial).bundle()
        page.get_by_label("Probe bundle").set_input_files(
            {"name": "readout.zip", "mimeType": "application/zip", "buffer": bundle}
        )
        row = page.get_by_role("row", name="Soldered")
        expect(row.get_by_text("Which is right?")).to_be_visible()
        page.keyboard.press("t")
        expect(self.place(page, "p1")).to_have_value("37.5/46.62 210c")
        expect(self.place(page, "m0")).to_have_value("4")
        page.keyboard.press("Alt+o")
        row.get_by_role("button", name="the machine").click()
        expect(row.get_by_text("agrees")).to_be_visible()
        page.keyboard.press("Escape")
        expect(self.place(page, "m0")).to_have_value("8")
        page.keyboard.press("Control+z")
        expect(self.place(page, "m0")).to_have_value("4")
        page.keyboard.press("Control+z")
        expect(self.place(page, "p1")).to_have_value("")

    def test_by_bench_line_with_echo_completion_undo_and_keep(self):
        one, two = self.announce("folio", "stilt")
        page = self.open(one)
        page.keyboard.press(";")
        line = page.get_by_role("textbox", name="Bench line")
        page.keyboard.type("t flash / m 8 99", delay=95)
        expect(page.get_by_text("no module has 99 GB")).to_be_visible()
        page.keyboard.press("Enter")
        expect(line).to_have_value("t flash / m 8 99")
        line.fill("t flash / m 8 16 / fail cam")
        expect(page.get_by_text("24 GB")).to_be_visible()
        page.wait_for_timeout(200)
        page.keyboard.press("Tab")
        expect(line).to_have_value("t flash / m 8 16 / fail camera ")
        page.keyboard.press("Enter")
        expect(line).to_have_value("")
        expect(self.place(page, "m1")).to_have_value("16")
        page.keyboard.type("undo")
        page.keyboard.press("Enter")
        expect(self.place(page, "m1")).to_have_value("")
        for word in ("~t", "~flash", "~/", "~m", "~8", "~8"):
            self.scan(page, word)
        expect(line).to_have_value("~t ~flash ~/ ~m ~8 ~8 ")
        page.keyboard.type("/ s n256 - / b 43/46 / g b / ok / keep", delay=95)
        page.keyboard.press("Enter")
        self.open(two, page)
        found = self.kept(one)
        self.assertEqual((found["trim"], found["modules"]["m1"]["gb"]), ("flash", 8))
        self.assertEqual((found["grade"], found["tests"]["camera"]), ("B", "passed"))

    def test_the_keys_of_keep_keep_the_line_as_well(self):
        one, two, three = self.announce("folio", "folio", "folio")
        page = self.open(one)
        page.keyboard.press(";")
        line = page.get_by_role("textbox", name="Bench line")
        whole = "t flash / m 8 16 / s n256 - / b 43/46 / g b / ok"
        page.keyboard.type(whole.replace("16", "99"), delay=95)
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("no module has 99 GB")).to_be_visible()
        expect(line).to_have_value(whole.replace("16", "99"))
        line.fill(whole)
        page.keyboard.press("Control+Enter")
        expect(page.get_by_role("heading", name=two.tag)).to_be_visible()
        self.assertEqual(self.kept(one)["modules"]["m1"]["gb"], 16)
        expect(page.locator("input[data-place]:focus")).to_have_value("")
        page.keyboard.press(";")
        expect(line).to_be_focused()
        page.keyboard.type("t flash / m 8 -", delay=95)
        page.keyboard.press("Shift+Enter")
        expect(page.get_by_role("heading", name=three.tag)).to_be_visible()
        expect(page.locator("input[data-place]:focus")).to_have_value("")
        # The key is still held: that keeps no unit which nobody looked at.
        page.locator("input[data-place]:focus").evaluate(
            "one => one.dispatchEvent(new KeyboardEvent('keydown', "
            "{key: 'Enter', ctrlKey: true, repeat: true, bubbles: true, cancelable: true}))"
        )
        page.wait_for_timeout(500)
        self.assertFalse(Inspection.objects.filter(unit=three).exists())
        self.assertEqual(self.kept(two)["modules"]["m1"]["state"], "empty")

    def test_tests_run_with_one_key_each_and_say_what_a_failure_means(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        page.keyboard.press("Alt+t")
        run = page.get_by_role("region", name="Test run")
        expect(run.get_by_text("not worth a repair")).to_be_visible()
        # Held down, it passes one test and no second one that nobody ran.
        page.keyboard.down(" ")
        page.keyboard.down(" ")
        page.keyboard.up(" ")
        expect(run.get_by_text("Panel 15-inch, Folio 15")).to_be_visible()
        self.keys(page, "x", "x", "a")
        expect(self.place(page, "camera")).to_have_value("+")
        expect(self.place(page, "screen")).to_have_value("x")
        expect(self.place(page, "keyboard")).to_have_value("x")
        expect(self.place(page, "starts")).to_have_value("+")

    def test_a_unit_that_does_not_start_is_searched_before_the_pack_is_blamed(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        self.place(page, "starts").focus()
        page.keyboard.press("x")
        page.get_by_role("button", name="search why").click()
        expect(page.get_by_role("heading", name="Another adapter")).to_be_visible()
        self.keys(page, "n")
        expect(page.get_by_role("heading", name="Let it drain")).to_be_visible()
        self.keys(page, "s")
        expect(page.get_by_role("heading", name="Another screen")).to_be_visible()
        self.keys(page, "y")
        expect(page.get_by_text("the panel or its cable is at fault")).to_be_visible()
        self.keys(page, "Enter")
        expect(self.place(page, "starts")).to_have_value("+")
        expect(self.place(page, "screen")).to_have_value("x")

    def test_a_danger_anywhere_fills_the_screen_and_is_listed(self):
        lit, other = self.announce("stilt", "folio")
        page = self.open(lit)
        page.keyboard.press("!")
        expect(page.get_by_role("alertdialog")).to_be_visible()
        self.keys(page, "o")
        expect(page.get_by_text(f"Stop. {lit.tag}: lights up while open.")).to_be_visible()
        expect(page.get_by_text("touch nothing inside")).to_be_visible()
        self.keys(page, "Enter")
        self.open(other, page)
        page.get_by_role("link", name="Dangers").click()
        expect(
            page.get_by_role("row", name=lit.tag).get_by_text("the unit is blocked")
        ).to_be_visible()
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        page.get_by_role("button", name="copy as CSV").click()
        expect(page.get_by_text("copied")).to_be_visible()
        copied = page.evaluate("navigator.clipboard.readText()")
        self.assertIn(f"{lit.tag},Quarrin Stilt Q2,The unit,lights up while open", copied)

    def test_a_picture_is_dropped_in_shown_taken_off_and_put_back(self):
        (unit,) = self.announce("folio")
        page = self.open(unit)
        page.keyboard.press("Alt+p")
        out = io.BytesIO()
        Image.new("RGB", (640, 480), "brown").save(out, "PNG")
        page.get_by_label("What the picture shows").fill("crack at the left hinge")
        chosen = page.get_by_label("Picture", exact=True)
        chosen.set_input_files({"name": "a.png", "mimeType": "image/png", "buffer": out.getvalue()})
        shown = page.get_by_role("img", name="crack at the left hinge")
        expect(shown).to_be_visible()
        expect(shown).to_have_js_property("naturalWidth", 640)
        chosen.set_input_files({"name": "b.png", "mimeType": "image/png", "buffer": b"no picture"})
        expect(page.get_by_text("This is not a picture")).to_be_visible()
        page.get_by_role("button", name="take off").click()
        expect(shown).not_to_be_visible()
        page.get_by_role("button", name="Put it back").click()
        expect(shown).to_be_visible()
        self.assertEqual(Photo.objects.count(), 1)


class Lists(BrowserCase):
    def test_columns_and_names_of_a_manifest_are_put_right_by_hand(self):
        page = self.page(self.at("arrive"))
        page.get_by_label("Manifest file").set_input_files(
            {
                "name": "list.csv",
                "mimeType": "text/csv",
                "buffer": b"Ref;Machine;Colour\nQ1234;OMB F15;grey\nQ1235;OMB F15;grey\n",
            }
        )
        page.get_by_label("Ref").select_option("serial")
        page.get_by_label("Machine").select_option("model")
        expect(page.get_by_text("2 cannot be taken in")).to_be_visible()
        page.get_by_label("Sheet for OMB F15").select_option("ombrel-folio-15")
        expect(page.get_by_text("2 understood")).to_be_visible()
        page.keyboard.press("t")
        expect(page.get_by_text("2 units taken in, tagged TW-0001 to TW-0002")).to_be_visible()
        self.assertEqual(self.batch.units.count(), 2)

    def test_thousands_of_rows_draw_a_screenful(self):
        self.announce(*["stilt"] * 400)
        page = self.page(self.at("inspect"))
        expect(page.get_by_text("400 to inspect")).to_be_visible()
        expect(page.locator("aside li").first).to_be_visible()
        self.assertLess(page.locator("aside li").count(), 60)
        page.get_by_label("Filter units").fill("TW-0397")
        expect(page.locator("aside li")).to_have_count(1)


class Sheets(BrowserCase):
    def test_a_sheet_is_edited_with_its_drawing_and_saved_as_a_version(self):
        sheet_version.cache_clear()
        (unit,) = self.announce("folio")
        page = self.page("/sheets/ombrel-folio-15")
        page.get_by_label("Filter sheets").fill("folio")
        page.wait_for_url("**filter=folio")
        page.get_by_role("button", name="Edit").click()
        limit = page.get_by_label("up to GB, Slot 1")
        limit.fill("many")
        expect(page.get_by_role("alert").get_by_text("limit_gb")).to_be_visible()
        expect(page.get_by_role("button", name="Save as version 2")).to_be_disabled()
        limit.fill("8")
        expect(page.get_by_text("1 change against version 1")).to_be_visible()
        slots = page.get_by_role("region", name="Memory slots")
        slots.get_by_role("button", name="add one").click()
        slots.get_by_label("key, 2").fill("m2")
        slots.get_by_label("label, 2").fill("Slot 2")
        expect(page.get_by_role("img", name="Slot 2: not looked at")).to_be_visible()
        expect(page.get_by_text("Nothing says how Slot 2 is reached.")).to_be_visible()
        page.get_by_role("region", name="Screws").get_by_label("count, ").first.fill("6")
        expect(page.get_by_text("changes against version 1")).to_be_visible()
        page.get_by_label("Why it is changed").fill("second slot found")
        page.get_by_role("button", name="Save as version 2").click()
        expect(page.get_by_text("Ombrel Folio 15, version 2, is saved.")).to_be_visible()
        expect(page.get_by_text("second slot found")).to_be_visible()
        expect(page.get_by_text("memory › slots › m1 › limit_gb:")).to_be_visible()
        unit.refresh_from_db()
        self.assertEqual(unit.sheet_version, 2)
        self.assertEqual(SheetVersion.objects.filter(key="ombrel-folio-15").count(), 2)

    def test_a_stale_sheet_is_laid_against_the_newer_version_and_nothing_is_lost(self):
        sheet_version.cache_clear()
        page = self.page("/sheets/ombrel-folio-15")
        page.get_by_role("button", name="Edit").click()
        page.get_by_label("up to GB, Slot 1").fill("8")
        document = self.api("get", "sheets/ombrel-folio-15") | {"year": 2019}
        self.api("post", "sheets", {"document": document, "started_from": 1})
        page.get_by_role("button", name="Save as version 2").click()
        expect(page.get_by_text("Marit Dohl saved version 2")).to_be_visible()
        page.get_by_role("button", name="Compare with version 2").click()
        expect(page.get_by_text("2 changes against version 2")).to_be_visible()
        page.get_by_text("what changed").click()
        expect(page.get_by_role("listitem").filter(has_text="year: 2019")).to_be_visible()
        page.get_by_role("button", name="Save as version 3").click()
        expect(page.get_by_text("version 3, is saved")).to_be_visible()

    def test_a_new_sheet_is_begun_from_the_nearest(self):
        page = self.page("/sheets/ombrel-folio-15")
        page.get_by_role("button", name="Begin a new sheet").click()
        page.get_by_label("Maker").fill("Ombrel")
        page.get_by_label("Model", exact=True).fill("Folio 17")
        page.get_by_role("button", name="Begin the sheet").click()
        expect(page.get_by_role("heading", name="Ombrel Folio 17")).to_be_visible()
        # It opens with its questions, answered as the nearest one has them.
        expect(page.get_by_label("Kind of d2")).to_have_value("bay25")
        page.get_by_role("button", name="Leave it").click()
        expect(
            page.get_by_text("Begun from Ombrel Folio 15; not checked on a unit yet.")
        ).to_be_visible()
        expect(page.get_by_role("cell", name="guess").first).to_be_visible()
