"""The bench, by keyboard: steps, surprises, scans, colleagues, a lost connection."""

from django.db.models import Sum
from playwright.sync_api import expect

from sortis_server.fit.bench import begin
from sortis_server.inspect.models import Inspection
from sortis_server.inspect.services import findings_of
from sortis_server.orders.models import WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.stock.models import Lot
from sortis_server.stock.services import lot_code
from tests.browser.case import BrowserCase

DONE = "Done, and seen working"
REFUSED = {
    "title": "The step was not ticked",
    "status": 422,
    "detail": "The strap is not on. Put it on, then go on.",
    "facts": {},
}


class BenchCase(BrowserCase):
    def order(self, model="stilt", **entries):
        (unit,) = self.announce(model)
        self.inspect(unit, **(entries or {"m2": "-", "d1": "h500"}))
        self.approve(self.plan())
        return unit

    def stock_is_true(self):
        for lot in Lot.objects.all():
            moved = lot.movements.aggregate(total=Sum("change"))["total"] or 0
            promised = lot.reservation_set.filter(taken=False, order__state="open").count()
            self.assertEqual((lot.on_hand, lot.promised), (moved, promised), str(lot))


class AnOrder(BenchCase):
    def test_three_actions_and_two_surprises_by_keyboard_end_with_true_stock(self):
        unit = self.order(m1="4", m2="4", d1="h500")
        page = self.page(self.at("fit", unit.tag))
        expect(page.get_by_text("screw tray, 1 well")).to_be_visible()
        self.begin_work(page)
        self.tick_to(page, "into Slot 1")
        # The first surprise: the module in hand has bent contacts.
        page.keyboard.press("x")
        page.get_by_role("button", name="the part to fit is wrong or broken").wait_for()
        page.keyboard.press("5")
        expect(page.get_by_role("radio", name="Slot 1")).to_be_visible()
        page.keyboard.press("1")
        page.keyboard.press("Enter")
        expect(page.get_by_text("go on, with other work")).to_be_visible()
        expect(page.get_by_text("leaves €").first).to_be_visible()
        self.tick_to(page, "into Slot 1")
        page.keyboard.press(" ")
        # The second one: slot 2 is dead, with slot 1 filled and the cage out.
        self.tick_to(page, "into Slot 2")
        page.keyboard.press("x")
        page.get_by_role("button", name="slot or socket dead").wait_for()
        page.keyboard.press("3")
        page.get_by_role("radio", name="Slot 2").wait_for()
        page.keyboard.press("1")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Slot 2: slot or socket dead").first).to_be_visible()
        self.tick_out(page, DONE)
        expect(page.get_by_text("empty, nothing is out")).to_be_visible()
        unit.refresh_from_db()
        self.assertEqual(findings_of(unit).module("m2").state, "dead")
        self.assertEqual(unit.stage, "release")
        self.stock_is_true()

    def test_screws_lie_in_the_tray_until_they_are_back(self):
        unit = self.order()
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        self.tick_to(page, "into")
        expect(page.get_by_text("3 × 14 mm cage")).to_be_visible()
        self.tick_out(page, DONE)
        expect(page.get_by_text("empty, nothing is out")).to_be_visible()

    def test_the_step_says_why_and_what_it_leaves(self):
        unit = self.order(m2="-")
        page = self.page(self.at("fit", unit.tag))
        expect(page.get_by_role("row", name="price")).to_contain_text("€148.00")
        self.begin_work(page)
        self.tick_to(page, "Swing the fan up")
        expect(page.get_by_text("Slot 2 lies behind it.")).to_be_visible()
        page.get_by_text("steps as a list").click()
        expect(page.get_by_role("listitem").filter(has_text="Swing the fan up")).to_be_visible()

    def test_cautions_stand_open_before_the_step(self):
        unit = self.order("folio", m1="-")
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        self.tick_to(page, "Lift the base")
        caution = page.get_by_text("Do not charge, pry, press flat or ship it")
        expect(caution).to_be_visible()
        step_top = page.get_by_role("heading", name="Lift the base").bounding_box()["y"]
        self.assertLess(caution.bounding_box()["y"], step_top)
        self.assertEqual(page.locator("details:has-text('Do not charge')").count(), 0)

    def test_parts_that_leave_the_store_are_seen_there(self):
        unit = self.order(m2="-")
        before = Lot.objects.get(kind__key="sodimm-ddr4-8", place="bin C-07").on_hand
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        self.tick_out(page, DONE)
        page.goto(self.live_server_url + "/stock")
        expect(page.get_by_text(f"fitted into {unit.tag}, Marit Dohl")).to_be_visible()
        expect(page.get_by_text(f"bin C-07: {before - 1}")).to_be_visible()
        self.assertEqual(Inspection.objects.filter(unit=unit).count(), 2)

    def test_back_and_something_else(self):
        unit = self.order()
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        page.keyboard.press(" ")
        expect(page.get_by_text("step 2 of")).to_be_visible()
        page.keyboard.press("Backspace")
        expect(page.get_by_text("step 1 of")).to_be_visible()
        page.keyboard.press("x")
        page.get_by_role("button", name="something else").press("Enter")
        page.keyboard.type("standoff torn out")
        page.keyboard.press("Enter")
        expect(page.get_by_text("standoff torn out. The parts")).to_be_visible()
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "inspect")

    def test_a_swollen_pack_fills_the_screen(self):
        unit = self.order("lern", p1="12/38 90c")
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        self.tick_to(page, "Lift the base")
        page.keyboard.press("!")
        page.get_by_role("button", name="pack swollen or damaged").press("Enter")
        page.keyboard.press("Enter")
        stop = page.get_by_role("alertdialog", name="Hazard")
        expect(stop).to_contain_text("non-burning surface")
        unit.refresh_from_db()
        self.assertTrue(unit.blocked)
        self.stock_is_true()

    def test_a_part_is_scanned_before_it_goes_in(self):
        unit = self.order(m2="-")
        mine = WorkOrderRow.objects.get().reservations.get().lot
        wrong = Lot.objects.exclude(kind=mine.kind).filter(on_hand__gt=0).first()
        page = self.page(self.at("fit", unit.tag))
        field = page.get_by_label("Scan each part")
        field.fill(lot_code(wrong))
        field.press("Enter")
        expect(page.get_by_text("Not this part.")).to_be_visible()
        # A hand scanner types wherever the hand is.
        self.scan(page, lot_code(mine))
        expect(page.get_by_text(f"{lot_code(mine)}, confirmed")).to_be_visible()


class Colleagues(BenchCase):
    def test_what_the_first_was_refused_goes_with_the_unit(self):
        tomas = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")
        unit = self.order()
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        page.route("**/work/tick", lambda route: route.fulfill(status=422, json=REFUSED))
        page.keyboard.press(" ")
        expect(page.get_by_text("The strap is not on")).to_be_visible()
        begin(unit.tag, WorkOrderRow.objects.get().version, tomas)
        expect(page.get_by_role("heading", name="Tomas Reyl has it")).to_be_visible()
        expect(page.get_by_text("The strap is not on")).to_have_count(0)


class PartsAwaited(BenchCase):
    def test_an_order_that_waits_says_so_and_begins_only_on_purpose(self):
        unit = self.order("lern", keyboard="x")
        page = self.page(self.at("fit", unit.tag))
        awaited = page.get_by_role("listitem").filter(has_text="step")
        expect(page.get_by_role("heading", name="Waits for parts")).to_be_visible()
        expect(awaited.first).to_contain_text("Keyboard, Lern 11 to be ordered: ")
        expect(page.locator("aside").get_by_text("waits", exact=True)).to_be_visible()
        page.keyboard.press(" ")
        page.keyboard.press("?")
        expect(page.get_by_text("parts of it are not here: Y begins")).to_be_visible()
        page.keyboard.press("Escape")
        self.assertIsNone(WorkOrderRow.objects.get().begun_at)
        page.keyboard.press("y")
        page.get_by_label("Step", exact=True).wait_for()
        self.assertEqual(WorkOrderRow.objects.get().worker, self.marit)


class Together(BenchCase):
    looks_on = False

    def test_two_screens_on_one_order_stay_together(self):
        unit = self.order()
        one, other = self.page(self.at("fit", unit.tag)), self.page(self.at("fit", unit.tag))
        other.get_by_role("button", name="Begin").wait_for()
        with one.expect_response("**/work/begin"):
            self.begin_work(one)
        other.keyboard.press(" ")
        expect(other.get_by_text("was worked on from another screen")).to_be_visible()
        other.get_by_label("Step", exact=True).wait_for()
        # The other one is told only once its key was pressed.
        with one.expect_response("**/work/tick"):
            one.keyboard.press(" ")
        expect(one.get_by_text("step 2 of")).to_be_visible()
        other.keyboard.press(" ")
        expect(other.get_by_text("step 1 is done there")).to_be_visible()
        expect(other.get_by_text("step 2 of")).to_be_visible()
        self.assertEqual(WorkOrderRow.objects.get().done_steps, 1)

    def test_a_colleague_takes_over_and_the_first_is_told(self):
        tomas = Person.objects.create_person("tomas", "Tomas Reyl", ["technician"], "tide")
        unit = self.order()
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        page.keyboard.press(" ")
        expect(page.get_by_text("step 2 of")).to_be_visible()
        marit, self.marit = self.marit, tomas
        his = self.page(self.at("fit", unit.tag))
        self.marit = marit
        expect(his.get_by_role("heading", name="Marit Dohl has it")).to_be_visible()
        his.keyboard.press("o")
        his.get_by_label("Step", exact=True).wait_for()
        expect(his.get_by_text("step 2 of")).to_be_visible()
        his.keyboard.press(" ")
        expect(his.get_by_text("step 3 of")).to_be_visible()
        page.keyboard.press(" ")
        expect(page.get_by_text("worked on from another screen")).to_be_visible()
        expect(page.get_by_role("heading", name="Tomas Reyl has it")).to_be_visible()

    def test_it_rests_and_goes_on(self):
        unit = self.order()
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        page.keyboard.press("h")
        expect(page.get_by_role("heading", name="It rests")).to_be_visible()
        page.keyboard.press(" ")
        page.get_by_label("Step", exact=True).wait_for()
        page.keyboard.press("e")
        expect(page.get_by_role("button", name="Count it after all")).to_be_visible()


class Unconnected(BenchCase):
    def test_a_lost_connection_in_the_middle_loses_nothing_and_ticks_nothing_twice(self):
        unit = self.order(m2="-")
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        # The screen goes on before the answer: only what was answered is not kept on the device.
        with page.expect_response("**/work/tick"):
            page.keyboard.press(" ")
        expect(page.get_by_text("step 2 of")).to_be_visible()
        page.wait_for_timeout(300)
        page.context.set_offline(True)
        page.keyboard.press(" ")
        expect(page.get_by_text("1 step kept on this device")).to_be_visible()
        page.keyboard.press(" ")
        expect(page.get_by_text("2 steps kept on this device")).to_be_visible()
        expect(page.get_by_text("step 4 of")).to_be_visible()
        page.keyboard.press("Backspace")
        expect(page.get_by_text("step 3 of")).to_be_visible()
        page.context.set_offline(False)
        expect(page.get_by_text("kept on this device")).not_to_be_visible()
        page.keyboard.press(" ")
        expect(page.get_by_text("step 4 of")).to_be_visible()
        self.tick_out(page, DONE)
        order = WorkOrderRow.objects.get()
        self.assertEqual(order.log.filter(what="done").count(), order.done_steps)
        self.stock_is_true()

    def test_ticks_kept_here_survive_a_reload(self):
        unit = self.order(m2="-")
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        page.route("**/work/tick", lambda route: route.abort())
        page.keyboard.press(" ")
        expect(page.get_by_text("1 step kept on this device")).to_be_visible()
        page.unroute("**/work/tick")
        page.reload()
        expect(page.get_by_text("step 2 of")).to_be_visible()
        for _ in range(50):
            if WorkOrderRow.objects.get().done_steps == 1:
                return
            page.wait_for_timeout(100)
        self.fail("the kept tick never arrived")
