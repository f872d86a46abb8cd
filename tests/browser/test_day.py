"""The day at the benches, by keyboard and pointer."""

from datetime import datetime

from playwright.sync_api import expect

from sortis_server.day.models import DayPlanRow
from sortis_server.people.models import Person
from sortis_server.workshop.models import BenchHours
from tests.browser.case import BrowserCase


class TheDay(BrowserCase):
    def workshop(self):
        """Two people with hours all round the clock, so that any time of the run will do."""
        tomas = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")
        week = {str(day): [[0, 720], [725, 1440]] for day in range(7)}
        for person in (self.marit, tomas):
            skills = ["bench", "setup"]
            BenchHours.objects.create(person=person, skills=skills, hours=week)
        units = self.announce("stilt", "stilt")
        for unit in units:
            self.inspect(unit, m2="-")
        self.approve(self.plan())
        return units

    def test_an_order_is_given_to_somebody_else_tried_put_back_and_kept(self):
        units = self.workshop()
        page = self.page("/day")
        expect(page.get_by_text("2 orders").first).to_be_visible()
        page.keyboard.press("p")
        expect(page.get_by_text("made by Marit Dohl")).to_be_visible()
        page.keyboard.press("ArrowDown")
        panel = page.get_by_label("Move an order")
        tag = panel.locator("h2").inner_text()
        self.assertIn(tag, [unit.tag for unit in units])
        other = panel.get_by_role("button", name="Tomas Reyl").or_(
            panel.get_by_role("button", name="Marit Dohl")
        )
        name = other.inner_text()
        other.click()
        expect(page.get_by_text("Tried, not kept.")).to_be_visible()
        expect(page.get_by_text("moves", exact=True).first).to_be_visible()
        self.assertEqual(DayPlanRow.objects.count(), 1)
        page.get_by_role("button", name="Put back").click()
        expect(page.get_by_text("Tried, not kept.")).not_to_be_visible()
        panel.get_by_role("button", name=name).click()
        expect(page.get_by_text("Tried, not kept.")).to_be_visible()
        page.get_by_role("button", name="Keep", exact=False).first.click()
        expect(page.get_by_text("Tried, not kept.")).not_to_be_visible()
        expect(page.get_by_text("by hand").first).to_be_visible()
        pins = DayPlanRow.objects.order_by("-pk").first().case["pins"]
        self.assertEqual([pin["tag"] for pin in pins], [tag])

    def test_hours_are_typed_and_what_does_not_read_is_said(self):
        self.announce("stilt")
        page = self.page("/day")
        expect(page.get_by_text("Nobody has hours at a bench")).to_be_visible()
        day = datetime.now().strftime("%a")
        field = page.get_by_label(day, exact=True)
        field.fill("8-12 1x")
        page.get_by_role("button", name="Keep these hours").click()
        expect(page.get_by_text("does not read")).to_be_visible()
        field.fill("0:00-24")
        page.get_by_label("bench", exact=True).check()
        page.get_by_role("button", name="Keep these hours").click()
        # With somebody at a bench there is a day to show.
        expect(page.get_by_role("heading", name="The day at the benches")).to_be_visible()
        row = BenchHours.objects.get()
        self.assertEqual(list(row.hours.values()), [[[0, 1440]]])
        self.assertEqual(row.skills, ["bench"])

    def test_nothing_overflows_on_a_tablet(self):
        self.workshop()
        page = self.page("/day", width=1024, tablet=True)
        expect(page.get_by_text("2 orders").first).to_be_visible()
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 1024)
