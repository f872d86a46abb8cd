"""What was begun survives a reload and a new sign-in; the address holds what is open."""

from playwright.sync_api import expect

from sortis_server.arrive.models import Batch
from sortis_server.decide.models import PlanRow
from tests.browser.case import PATIENCE_MS, BrowserCase


class KeptHere(BrowserCase):
    def decided(self):
        lern, *others = self.announce("lern", "stilt", "stilt")
        self.inspect(lern, keyboard="x")
        for unit in others:
            self.inspect(unit, m2="-")
        self.plan()
        return lern

    def test_turned_dials_and_the_open_row_are_there_after_a_reload(self):
        lern = self.decided()
        page = self.page(self.at("decide"))
        row = page.locator("[data-row]", has_text=lern.tag)
        row.get_by_role("button").click()
        expect(page.get_by_text("Why:")).to_be_visible()
        self.assertIn(f"unit={lern.tag}", page.url)
        page.get_by_role("slider", name="Money").focus()
        page.keyboard.press("Home")
        expect(page.get_by_text("1 unit ends otherwise")).to_be_visible()
        page.reload()
        expect(page.get_by_text("1 unit ends otherwise")).to_be_visible()
        expect(page.get_by_role("slider", name="Money")).to_have_attribute("aria-valuetext", "€0")
        expect(page.get_by_text("Why:")).to_be_visible()
        self.assertEqual(PlanRow.objects.count(), 1)
        page.keyboard.press("b")
        expect(page.get_by_text("ends otherwise")).to_have_count(0)
        page.reload()
        expect(page.get_by_text("Why:")).to_be_visible()
        expect(page.get_by_text("ends otherwise")).to_have_count(0)

    def test_a_line_half_written_waits_for_its_unit_and_goes_once_it_is_kept(self):
        one, two = self.announce("stilt", "stilt")
        page = self.page(self.at("inspect", one.tag))
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        page.keyboard.press(";")
        page.keyboard.type("m 8 8", delay=95)
        page.reload()
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        page.keyboard.press(";")
        line = page.get_by_role("textbox", name="Bench line")
        expect(line).to_have_value("m 8 8")
        line.press("End")
        page.keyboard.type(" / keep", delay=95)
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name=two.tag)).to_be_visible()
        page.goto(self.live_server_url + self.at("inspect", one.tag))
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        page.keyboard.press(";")
        expect(page.get_by_role("textbox", name="Bench line")).to_have_value("")

    def test_a_new_batch_is_typed_once_and_its_day_as_the_workshop_writes_days(self):
        page = self.page("/")
        page.get_by_label("Name").fill("Quay office")
        page.get_by_label("Where from").fill("the quay")
        due = page.get_by_label("Due", exact=True)
        due.fill("soon")
        page.get_by_role("button", name="Make batch").click()
        self.assertIn("is no day. Write it like", due.evaluate("field => field.validationMessage"))
        self.assertFalse(Batch.objects.filter(name="Quay office").exists())
        page.reload()
        expect(due).to_have_value("soon")
        page.get_by_role("button", name="Make batch").click()
        self.assertFalse(Batch.objects.filter(name="Quay office").exists())
        due.fill("15/01/2027")
        expect(page.get_by_text("Fri 15 Jan")).to_be_visible()
        page.reload()
        expect(page.get_by_label("Name")).to_have_value("Quay office")
        expect(due).to_have_value("15/01/2027")
        page.get_by_role("button", name="Make batch").click()
        expect(page.get_by_text("Take a manifest in")).to_be_visible()
        made = Batch.objects.get(name="Quay office")
        self.assertEqual(made.due_on.isoformat(), "2027-01-15")
        page.goto(self.live_server_url + "/")
        expect(page.get_by_label("Name")).to_have_value("")

    def test_a_list_that_is_looked_at_is_there_after_a_reload_and_back_leaves_it(self):
        page = self.page(self.at("arrive"))
        rows = b"serial,maker,model,remark\nK1,Quarrin,Stilt Q2,dent\n"
        chosen = {"name": "list.csv", "mimeType": "text/csv", "buffer": rows}
        page.get_by_label("Manifest file").set_input_files(chosen)
        heading = page.get_by_role("heading", name="list.csv")
        remark = page.get_by_role("combobox", name="remark")
        expect(heading).to_be_visible()
        expect(remark).to_have_value("notes")
        with page.expect_response(lambda answer: answer.request.method == "PUT"):
            remark.select_option("")
        page.reload()
        expect(heading).to_be_visible()
        expect(remark).to_have_value("")
        page.go_back()
        expect(page.get_by_role("heading", name="Take a manifest in")).to_be_visible()
        page.go_forward()
        expect(heading).to_be_visible()
        page.keyboard.press("t")
        expect(page.get_by_text("1 unit taken in")).to_be_visible()
        self.assertNotIn("list=", page.url)

    def test_what_cannot_be_read_anew_stays_with_all_that_was_typed(self):
        self.decided()
        (unit,) = self.announce("stilt")
        self.away(self.page(self.at("inspect", unit.tag)), "Filter units")
        self.away(self.page(self.at("decide")), "Filter groups")
        self.away(self.page("/workshop/prices"), "Filter models")

    def away(self, page, field: str) -> None:
        """The server is away while everything that is shown would be read anew."""
        page.get_by_label(field).fill("stilt")
        page.evaluate("window.stays = document.querySelector('main').firstElementChild")
        refused = {"status": 503, "content_type": "application/problem+json", "body": "{}"}
        page.route("**/api/**", lambda route: route.fulfill(**refused))
        looked_again = "window.dispatchEvent(new Event('visibilitychange'))"
        with page.expect_response(lambda answer: answer.status == 503):
            page.evaluate(looked_again)
        said = page.get_by_text("Sortis does not answer just now")
        if self.batch.slug in page.url:
            # What was on its way before the server went away is answered yet, and not asked twice.
            for _ in range(PATIENCE_MS // 100):
                if said.is_visible():
                    break
                page.evaluate(looked_again)
                page.wait_for_timeout(100)
            expect(said).to_be_visible()
        page.wait_for_timeout(300)
        self.assertTrue(page.evaluate("window.stays.isConnected"), page.url)
        expect(page.get_by_label(field)).to_have_value("stilt")
        page.unroute("**/api/**")
        expect(said).to_have_count(0)
        page.close()
