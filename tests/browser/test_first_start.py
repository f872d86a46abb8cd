"""A stranger makes Sortis theirs: from an empty database to an approved plan, in the browser."""

from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import LiveServerTestCase, override_settings
from playwright.sync_api import Page, expect

from sortis_core.vocabulary.states import PlanState
from sortis_server.decide.models import PlanRow
from sortis_server.workshop.services import workshop
from tests.browser.case import BrowserCase, browser, end_pages

KEY = "the-one-link"


@override_settings(START_KEY=KEY)
class FirstStart(LiveServerTestCase):
    def setUp(self):
        self.faults: list[str] = []

    def tearDown(self):
        end_pages()
        self.assertEqual(self.faults, [], "errors in the page")

    def open(self, path: str) -> Page:
        page = browser().new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.goto(self.live_server_url + path)
        return page

    def test_from_the_link_to_an_approved_plan_in_francs(self):
        page = self.open(f"/start?key={KEY}")
        for name, typed in (
            ("workshop", "Seefeld"),
            ("currency", "chf"),
            ("prefix", "sf"),
            ("locale", "de-CH"),
            ("name", "Vreni Amstad"),
            ("username", "vreni"),
            ("password", "seven-tall-masts"),
        ):
            page.fill(f"input[name={name}]", typed)
        page.get_by_role("button", name="Set it up").click()
        expect(page.get_by_role("heading", name="To the first plan")).to_be_visible()
        self.assertEqual((workshop().currency, workshop().tag_prefix), ("CHF", "SF"))

        page.get_by_label("Name", exact=True).fill("Erste Palette")
        page.get_by_label("Where from").fill("Amt am See")
        page.get_by_role("button", name="Make batch").click()
        expect(page.get_by_text("This batch is empty")).to_be_visible()
        rows = "".join(f'S{n},"Generic Laptop, two slots"\n' for n in range(1, 4))
        with TemporaryDirectory() as folder:
            file = Path(folder) / "list.csv"
            file.write_text(f"serial,model\n{rows}S9,Wharf Unheard 9\n")
            page.get_by_label("Manifest file").set_input_files(file)
            page.get_by_role("button", name="mend line 5").click()
            page.get_by_label("Or why it is left out").fill("not ours")
            page.get_by_role("button", name="Leave it out").click()
            page.get_by_role("button", name="Take 3 units in").click()
        expect(page.get_by_text("SF-0001 to SF-0003")).to_be_visible()
        page.get_by_role("button", name="Count all 3 in").wait_for()
        page.keyboard.press("c")
        expect(page.get_by_text("3 units counted in")).to_be_visible()

        page.keyboard.press("i")
        for _ in range(3):
            first = page.locator("input[data-place=m1]:focus")
            first.wait_for()
            tag = page.locator("h1").first.inner_text()
            for typed in ("8", "-", "n256", "50/55 90c", "a", "b"):
                page.keyboard.type(typed)
                if typed not in ("-", "a"):
                    page.keyboard.press("Enter")
            expect(page.get_by_role("heading", name=tag)).to_have_count(0)

        page.goto(f"{self.live_server_url}/erste-palette/decide")
        expect(page.get_by_role("heading", name="Nothing can be decided yet")).to_be_visible()
        page.get_by_role("link", name="To the prices").click()
        for grade, typed in (("A", "180"), ("B", "150"), ("C", "120")):
            cell = page.get_by_label(f"Generic Laptop, two slots, Basic use, grade {grade}")
            cell.fill(typed)
            cell.press("Enter")
        expect(page.get_by_text("of 3 units end otherwise")).to_be_visible()
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("3 prices kept.")).to_be_visible()

        page.goto(f"{self.live_server_url}/erste-palette/decide")
        page.get_by_role("button", name="Plan the batch").wait_for()
        page.keyboard.press("p")
        expect(page.get_by_text("CHF").first).to_be_visible()
        page.get_by_role("button", name="Approve").wait_for()
        self.assertNotIn("€", page.locator("main").inner_text())
        page.keyboard.press("a")
        expect(page.get_by_text("approved by Vreni Amstad")).to_be_visible()
        self.assertTrue(PlanRow.objects.filter(state=PlanState.APPROVED).exists())
        page.goto(self.live_server_url + "/")
        expect(page.get_by_role("heading", name="Next for you")).to_be_visible()
        expect(page.get_by_role("heading", name="To the first plan")).to_have_count(0)

    def test_a_link_that_is_none_opens_nothing(self):
        page = self.open("/start?key=another")
        expect(page.get_by_role("heading", name="Sortis is set up already")).to_be_visible()


class Rooms(BrowserCase):
    def test_prices_are_turned_filled_down_pasted_kept_and_put_back(self):
        page = self.page("/workshop/prices")
        first = page.get_by_label("Ombrel Folio 15, Desk ready, grade B")
        before = first.input_value()
        first.click()
        page.get_by_label("Ombrel Gantry 16, Desk ready, grade A").click(modifiers=["Shift"])
        expect(page.get_by_text("4 prices in hand")).to_be_visible()
        turned = page.get_by_label("By per cent")
        turned.fill("10")
        expect(first).not_to_have_value(before)
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("4 prices kept.")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("as they were before")).to_be_visible()
        expect(first).to_have_value(before)
        # What is still being typed is kept with the rest; what is no price keeps nothing.
        second = page.get_by_label("Ombrel Gantry 16, Desk ready, grade A")
        first.fill("151")
        second.fill("a lot")
        page.keyboard.press("Control+Enter")
        expect(second).to_be_focused()
        expect(page.get_by_text("prices kept.")).to_have_count(0)
        second.fill("163")
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("2 prices kept.")).to_be_visible()
        expect(second).to_have_value("163")
        expect(second).to_be_focused()

    def test_an_invitation_is_followed(self):
        page = self.page("/workshop/people")
        page.get_by_label("Name", exact=True).fill("Noor Lake")
        page.locator("aside").get_by_label("technician").check()
        page.get_by_role("button", name="Make a link").click()
        link = page.locator("aside code").inner_text()
        guest = browser().new_context().new_page()
        guest.goto(link)
        guest.get_by_label("Name to sign in with").fill("noor")
        guest.get_by_label("Password").fill("seven-tall-masts")
        guest.get_by_role("button", name="Go on").click()
        expect(guest.get_by_role("link", name="Noor")).to_be_visible()

    def test_a_standard_is_changed_and_taken_back(self):
        page = self.page("/workshop/standards")
        page.get_by_role("button", name="Desk ready").click()
        gb = page.get_by_label("memory: at least GB").first
        before = gb.input_value()
        gb.fill("12")
        page.get_by_role("button", name="Keep", exact=True).click()
        expect(page.get_by_text("is kept as version 2")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_label("memory: at least GB").first).to_have_value(before)
