import tempfile
from pathlib import Path

from playwright.sync_api import expect

from sortis_server.arrive.models import Batch, Unit
from sortis_server.inspect.models import Inspection
from sortis_server.release.models import Release
from tests.browser.case import BrowserCase, browser

MANIFEST = """serial,maker,model,notes
K1,Quarrin,Stilt Q2,
K2,Quarrin,Stilt Q2,
K3,Ombrel,Folio 15,dent
"""


class WholePath(BrowserCase):
    """One batch from manifest to released unit, by the keyboard alone."""

    def test_from_sign_in_to_label(self):
        page = browser().new_context().new_page()
        page.goto(self.live_server_url)
        page.get_by_label("Name").wait_for()
        page.keyboard.type("marit")
        page.keyboard.press("Tab")
        page.keyboard.type("tide")
        page.keyboard.press("Enter")
        self.make_batch(page)
        self.arrive(page)
        self.inspect_three(page)
        self.decide(page)
        self.fit(page)
        self.release(page)

    def make_batch(self, page):
        page.get_by_role("heading", name="A new batch").wait_for()
        for _ in range(40):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.name") == "name":
                break
        page.keyboard.type("Quay kiosk")
        page.keyboard.press("Tab")
        page.keyboard.type("ferry line")
        page.keyboard.press("Enter")
        page.get_by_role("heading", name="Take a manifest in").wait_for()
        self.assertEqual(Batch.objects.get(slug="quay-kiosk").source, "ferry line")

    def arrive(self, page):
        expect(page.get_by_text("Nothing is announced yet")).to_be_visible()
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder, "list.csv")
            file.write_text(MANIFEST)
            # Listened for from the start: the browser is told of a listener only after a while.
            page.on("filechooser", lambda chooser: chooser.set_files(file))
            page.wait_for_timeout(500)
            page.keyboard.press("m")
            expect(page.get_by_text("3 understood")).to_be_visible()
            self.assertEqual(Unit.objects.count(), 0)
            page.keyboard.press("t")
            expect(page.get_by_text("3 units taken in")).to_be_visible()
        page.get_by_role("button", name="Count all 3 in").wait_for()
        page.keyboard.press("c")
        expect(page.get_by_text("3 units counted in")).to_be_visible()
        page.keyboard.press("i")

    def type_places(self, page, *places: str) -> None:
        """Each text is typed into the place in focus; Enter goes on where it does not by itself."""
        for text in places:
            page.keyboard.type(text)
            if text not in ("-", "x", "a"):
                page.keyboard.press("Enter")

    def opened(self, page, tag: str) -> None:
        expect(page.get_by_role("heading", name=tag)).to_be_visible()
        first = page.locator("input[data-place=m0]:focus, input[data-place=m1]:focus")
        expect(first).to_be_visible()

    def inspect_three(self, page):
        self.opened(page, "TW-0001")
        self.type_places(page, "8", "-", "s256", "-", "a", "b")
        self.opened(page, "TW-0002")
        self.type_places(page, "8", "8", "s256", "-", "a", "b")
        self.opened(page, "TW-0003")
        self.type_places(page, "8", "8", "n256 93%", "-", "44/46 120c", "a", "b")
        expect(page.get_by_text("Every unit of this batch that was counted in")).to_be_visible()
        self.assertEqual(Inspection.objects.count(), 3)
        self.assertEqual({unit.stage for unit in Unit.objects.all()}, {"decide"})

    def decide(self, page):
        page.keyboard.press("Alt+3")
        expect(page.get_by_text("3 units wait for a decision")).to_be_visible()
        page.keyboard.press("p")
        expect(page.get_by_text("proven best")).to_be_visible()
        expect(page.get_by_text("8 GB DDR4 SODIMM into Slot 2")).to_be_visible()
        page.keyboard.press("a")
        expect(page.get_by_text("Approved by Marit Dohl")).to_be_visible()
        page.keyboard.press("f")

    def fit(self, page):
        expect(page.get_by_role("heading", name="TW-0001")).to_be_visible()
        self.begin_work(page)
        self.tick_out(page, "Done, and seen working")
        page.keyboard.press("Enter")

    def release(self, page):
        expect(page.get_by_text("Gates of Field ready")).to_be_visible()
        page.keyboard.press(" ")
        page.keyboard.type("over")
        page.keyboard.press("Enter")  # as a scanner ends a scan: it signs nothing
        expect(page.get_by_text("6 of 10 met")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Seen").first.press("Enter")
        expect(page.get_by_text("overwritten once, read back, Marit Dohl")).to_be_visible()
        for met in range(8, 11):
            page.keyboard.press(" ")
            expect(page.get_by_text(f"{met} of 10 met")).to_be_visible()
        page.keyboard.press("r")
        expect(page.get_by_text("Released by Marit Dohl")).to_be_visible()
        with page.expect_popup() as label:
            page.keyboard.press("l")
        self.assertIn("TW-0001/label.pdf", label.value.url)
        released = Release.objects.get()
        self.assertEqual(released.unit.tag, "TW-0001")
        self.assertIn("16 GB DDR4", released.label)
