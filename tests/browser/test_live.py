"""Two people at once: what one does appears at the other's, and moves nothing under the hand."""

from unittest import mock

from playwright.sync_api import expect

from tests.browser.case import BrowserCase

SOON_MS = 5_000
"""Two seconds between two looks, and what a busy machine takes to ask and draw."""


class Live(BrowserCase):
    def test_the_list_the_stages_and_who_is_there_follow_by_themselves(self):
        first, second = self.announce("stilt", "stilt")
        page = self.page(self.at("inspect", second.tag))
        rail = page.get_by_role("complementary", name="Units")
        expect(rail.get_by_role("link", name=first.tag)).to_be_visible()
        field = self.place(page, "m1")
        field.fill("16")
        self.api("post", "here", {"batch": self.batch.slug, "tag": second.tag}, person=self.ines)
        here = page.get_by_text(f"{self.ines.name} here too")
        expect(here).to_be_visible(timeout=SOON_MS)
        self.inspect(first)
        expect(rail.get_by_role("link", name=first.tag)).to_have_count(0, timeout=SOON_MS)
        stages = page.get_by_role("navigation", name="Stages")
        expect(stages.get_by_role("link", name="Decide")).to_contain_text("1")
        with mock.patch.object(self, "marit", self.ines):
            self.inspect(second)
        kept = page.get_by_text(f"{self.ines.name} kept it meanwhile")
        expect(kept).to_be_visible(timeout=SOON_MS)
        expect(field).to_have_value("16")
        expect(field).to_be_focused()

    def test_a_step_ticked_elsewhere_is_ticked_here(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        step = page.get_by_label("Step", exact=True).locator("h2")
        title = step.inner_text()
        page.wait_for_timeout(2500)
        order = unit.orders.get()
        self.api("post", f"units/{unit.tag}/work/tick", {"version": order.version})
        expect(step).not_to_have_text(title, timeout=SOON_MS)
