"""A scan is never a key: codes at the rhythms of scanners, into every screen and every focus."""

import json

from django.apps import apps
from playwright.sync_api import expect

from bench._scanner import keys_of
from sortis_server.arrive.models import Unit
from sortis_server.sell.models import Sale
from sortis_server.stock.models import Lot
from sortis_server.stock.services import lot_code, move
from tests.browser.case import BrowserCase


def everything() -> dict[str, list]:
    """All rows of the workshop, apart from sessions and what a reader leaves behind."""
    apart = {"session", "accessattempt", "accesslog", "accessfailurelog", "dbtaskresult", "here"}
    # What one more is worth is solved behind every open plan, whoever looks on.
    aside = {"PlanRow": {"plan", "progress"}}

    def rows(model) -> list:
        fields = [
            f.attname
            for f in model._meta.concrete_fields
            if f.name not in aside.get(model.__name__, ())
        ]
        return json.loads(
            json.dumps(list(model.objects.order_by("pk").values(*fields)), default=str)
        )

    return {
        model._meta.label: rows(model)
        for model in apps.get_models()
        if model._meta.model_name not in apart and model._meta.label != "people.Person"
    }


FOCUSED = (
    "main button:not([disabled])",
    "main input:not([type]), main input[type=text]",
    "main input[type=number]",
    "main input[type=range]",
    "main input[type=checkbox]",
    "main input[type=radio]",
    "main select",
    "main summary",
    "main textarea",
    "main a[href]",
)
"""One of each kind of thing that can have the focus."""
CHOSEN = "(e) => [e.checked, ['text', 'textarea'].includes(e.type) ? '' : e.value]"
"""What stands in it; words that nobody knows may stay in a field for words."""
ROOMS = ("settings", "standards", "prices", "kinds", "people")


class Scans(BrowserCase):
    looks_on = False

    def workshop(self) -> dict[str, Unit]:
        """Units in every stage."""
        fit, decide, look, arrive, ready = self.announce(
            "stilt", "folio", "folio", "stilt", "stilt"
        )
        self.inspect(fit, m2="-")
        self.inspect(ready)
        self.approve(self.plan())
        self.inspect(decide)
        Unit.objects.filter(pk=arrive.pk).update(stage="arrive", counted_at=None)
        return {"fit": fit, "decide": decide, "inspect": look, "arrive": arrive, "release": ready}

    def test_no_letter_of_a_code_does_anything_on_any_screen(self):
        units = self.workshop()
        elsewhere = units["fit"]
        screens = {
            "decide": self.at("decide"),
            "inspect": self.at("inspect", units["inspect"].tag),
            "fit": self.at("fit", units["fit"].tag),
            "release": self.at("release", units["release"].tag),
            "stock": "/stock",
            "day": self.at("day"),
            "sheets": "/sheets/tolva-lern-11",
        }
        codes = ("PTLCAK/0077-x", "AREK25", elsewhere.tag)
        page = self.page("/")
        for name, path in screens.items():
            for number, code in enumerate(codes):
                with self.subTest(screen=name, code=code):
                    page.goto(self.live_server_url + path)
                    page.get_by_role("navigation", name="Workshop").wait_for()
                    page.wait_for_timeout(250)
                    before = everything()
                    rhythm = "wireless" if number % 2 else "wired"
                    self.scan(page, code, rhythm, "" if number == 1 else "Enter")
                    self.assertEqual(everything(), before)
                    if code == elsewhere.tag:
                        page.wait_for_url(f"**/fit/{elsewhere.tag}")
                    else:
                        alert = page.get_by_role("alert").filter(has_text=code)
                        expect(alert).to_contain_text("is no tag, serial number, lot or place")

    def test_whatever_has_the_focus(self):
        units = self.workshop()
        page = self.page(self.at("decide"))
        page.get_by_text("wait for a decision").or_(page.get_by_text("Approve")).first.wait_for()
        before = everything()
        here = page.locator("button:visible, a:visible, select:visible, input:visible")
        for number in range(0, here.count(), 3):
            if number >= here.count():
                break
            here.nth(number).focus()
            self.scan(page, "PAK-7BTR", "wireless")
            self.assertEqual(everything(), before, f"focus {number}")
        page.goto(self.live_server_url + self.at("inspect", units["inspect"].tag))
        self.place(page, "m1").wait_for()
        for key in ("m0", "m1", "d1", "d2", "p1", "bay_cable", "screen", "grade"):
            self.place(page, key).focus()
            self.scan(page, "XA-792", "wireless")
            expect(page.get_by_role("alert").filter(has_text="XA-792")).to_be_visible()
            expect(self.place(page, key)).to_have_value("")
            self.assertEqual(everything(), before)
        expect(page.get_by_text("not kept yet")).not_to_be_visible()

    def test_a_counting_round_counts_one_more_by_each_scan(self):
        self.workshop()
        one, other = Lot.objects.filter(on_hand__gt=1, promised=0).order_by("pk")[:2]
        page = self.page("/stock/round")
        field = page.get_by_label(f"Counted of {lot_code(one)}", exact=True)
        field.wait_for()
        for rhythm in ("wired", "wireless", "wired"):
            self.scan(page, lot_code(one), rhythm)
            expect(
                page.get_by_role("status").filter(has_text=f"{lot_code(one)}: one more")
            ).to_be_visible()
        expect(field).to_have_value("3")
        # Whatever has the focus: a code goes to the count and not into the field.
        page.get_by_label(f"Counted of {lot_code(other)}", exact=True).focus()
        self.scan(page, lot_code(one), "wireless")
        expect(field).to_have_value("4")
        expect(page.get_by_label(f"Counted of {lot_code(other)}", exact=True)).to_have_value("")
        self.scan(page, "QX-901")
        expect(page.get_by_text("QX-901 is no lot")).to_be_visible()
        books = one.on_hand
        page.reload()
        expect(field).to_have_value("4")
        page.get_by_role("heading", name="Counting round").click()
        page.keyboard.press("k")
        kept = page.get_by_role("region", name="What was set right")
        expect(kept).to_contain_text(
            "The books were right" if books == 4 else f"{books} in the books"
        )
        one.refresh_from_db()
        self.assertEqual(one.on_hand, 4)
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Taken back")).to_be_visible()
        one.refresh_from_db()
        self.assertEqual(one.on_hand, books)
        # What moves while it is counted is counted from nothing again, the other one is kept.
        left = page.get_by_label(f"Counted of {lot_code(other)}", exact=True)
        field.fill("4")
        left.fill("1")
        move(one, 1, "one more came", self.marit)
        page.get_by_role("button", name="Keep the count").click()
        expect(page.get_by_text("moved while you counted")).to_be_visible()
        expect(field).to_have_value("")
        expect(left).to_have_value("1")
        field.fill("4")
        page.get_by_role("button", name="Keep the count").click()
        expect(kept).to_contain_text("4 counted")

    def test_nothing_happens_whatever_has_the_focus(self):
        units = self.workshop()
        # The count is where codes go; every other screen takes none of these.
        paths = [
            self.at("decide"),
            self.at("release", units["release"].tag),
            "/stock",
            "/shelf",
            "/sheets/tolva-lern-11",
            *(
                f"/workshop/{room}"
                for room in ("settings", "standards", "prices", "kinds", "people")
            ),
        ]
        page = self.page("/")
        tried: set[str] = set()
        for path in paths:
            page.goto(self.live_server_url + path)
            page.locator("main button, main input, main a").first.wait_for()
            page.wait_for_timeout(400)
            before = everything()
            for kind in FOCUSED:
                there = page.locator(kind).locator("visible=true")
                if there.count() == 0:
                    continue
                tried.add(kind)
                with self.subTest(path=path, focus=kind):
                    one = there.first.element_handle()
                    chosen = one.evaluate(CHOSEN)
                    one.focus()
                    self.scan(page, "PTLCAK/0077-x", "wireless")
                    self.assertEqual(page.url.split("?")[0], self.live_server_url + path)
                    self.assertEqual(one.evaluate(CHOSEN), chosen)
            after = everything()
            changed = {label: rows for label, rows in after.items() if rows != before[label]}
            self.assertEqual(changed, {}, path)
        self.assertGreaterEqual(len(tried), 7)

    def test_a_code_goes_to_where_codes_go(self):
        units = self.workshop()
        page = self.page(self.at("arrive"))
        page.get_by_text("of 5 seen").wait_for()
        self.scan(page, units["arrive"].tag, "wireless")
        expect(
            page.get_by_text(f"{units['arrive'].tag}, Quarrin Stilt Q2, counted in.")
        ).to_be_visible()
        lot = Lot.objects.get(reservation__order__unit=units["fit"])
        page.goto(self.live_server_url + self.at("fit", units["fit"].tag))
        page.get_by_role("button", name="Begin").wait_for()
        self.scan(page, lot_code(lot), "wireless", "Tab")
        expect(page.get_by_text(f"{lot_code(lot)}, confirmed")).to_be_visible()
        page.goto(self.live_server_url + "/stock")
        page.get_by_role("heading", name="Stock", exact=True).wait_for()
        self.scan(page, "TW-0003", "wired", "")
        page.wait_for_url("**/inspect/TW-0003")
        self.place(page, "m1").wait_for()
        self.scan(page, "~m")
        self.scan(page, "~8", "wireless")
        expect(page.get_by_label("Bench line", exact=True).get_by_role("textbox")).to_have_value(
            "~m ~8 "
        )

    def test_a_scanner_for_another_keyboard_is_understood(self):
        unit = self.workshop()["fit"]
        page = self.page("/stock")
        page.get_by_role("heading", name="Stock", exact=True).wait_for()
        shifted = {"0": "à", "1": "&", "2": "é", "-": ")"}
        keys = [(shifted.get(key, key), code, shift) for key, code, shift in keys_of(unit.tag)]
        self.send(page, [*keys, ("Enter", "Enter", False)], (40,))
        page.wait_for_url(f"**/fit/{unit.tag}")

    def test_a_hand_is_not_a_scanner(self):
        unit = self.workshop()["inspect"]
        page = self.page(self.at("inspect", unit.tag))
        self.place(page, "m1").wait_for()
        self.place(page, "p1").focus()
        page.keyboard.type("34/46 120c", delay=95)
        expect(self.place(page, "p1")).to_have_value("34/46 120c")
        page.goto(self.live_server_url + "/stock")
        page.get_by_label("Filter parts").fill("")
        page.get_by_label("Filter parts").focus()
        page.keyboard.type("ddr4 8", delay=95)
        expect(page.get_by_label("Filter parts")).to_have_value("ddr4 8")

    def test_a_label_packs_its_own_unit_and_only_in_its_field(self):
        units = self.announce("stilt", "stilt")
        for unit in units:
            self.inspect(unit)
        self.approve(self.plan())
        for unit in units:
            self.release(unit)
            self.api("post", f"units/{unit.tag}/sale/reserve", {"buyer": "Harbour school"})
        one, two = units
        page = self.page("/shelf")
        field = page.get_by_label(f"Scan the label of {one.tag}")
        field.focus()
        self.scan(page, two.tag)
        expect(page.get_by_text(f"{one.tag} was sold")).to_be_visible()
        self.assertEqual({str(sale.state) for sale in Sale.objects.all()}, {"reserved"})
        field.focus()
        self.scan(page, one.tag, rhythm="wireless")
        expect(page.get_by_text(f"{one.tag} is packed")).to_be_visible()
        self.assertEqual(str(Sale.objects.get(unit=one).state), "packed")
        page.get_by_label("Tag", exact=True).focus()
        self.scan(page, two.tag)
        expect(page.get_by_label("Tag", exact=True)).to_have_value(two.tag)
        page.get_by_label("Why it came back").focus()
        self.scan(page, two.tag)
        page.wait_for_url(f"**/release/{two.tag}")
        self.assertEqual(str(Sale.objects.get(unit=two).state), "reserved")
