"""The last check: the machine's own word, an eraser's report, a waiver, and the way back."""

import os
import threading
from unittest import mock

from playwright.sync_api import expect

from sortis_core.intake.erasure import sealed_json
from sortis_server.release.models import GateSignature, GateWaiver
from sortis_server.stock.models import Erasure
from standins import bench
from standins.eraser import server as eraser
from tests.browser.case import BrowserCase
from tests.server.test_bench import picture

REPORT = {
    "tool": "bench eraser",
    "serial": "AAA-0001",
    "method": "overwritten once",
    "result": "passed",
    "verified": True,
}


class LastCheck(BrowserCase):
    def ready(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        return unit

    def probe(self, loose: bool):
        """A bench probe whose machine has every module seated, or one not."""
        device = bench.server(0)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.shutdown)
        address = f"http://127.0.0.1:{device.server_address[1]}"
        often = mock.patch.object(bench, "OFTEN", 1.0 if loose else 0.0)
        set_up = mock.patch.dict(os.environ, {"SORTIS_PROBE_URL": address})
        for one in (often, set_up):
            one.start()
            self.addCleanup(one.stop)
        return often

    def test_a_question_leads_back_into_the_order_at_its_step(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        page = self.page(self.at("fit", unit.tag))
        self.begin_work(page)
        self.tick_out(page, "Done, and seen working")
        self.probe(loose=True)
        page.goto(self.live_server_url + self.at("release", unit.tag))
        expect(page.get_by_text("Not read out since the work was done")).to_be_visible()
        page.keyboard.press("b")
        again = page.get_by_role("button", name="Open it again at this step")
        again.first.click()
        page.wait_for_url(f"**/fit/{unit.tag}")
        expect(page.get_by_role("heading", name="Opened again")).to_be_visible()
        page.get_by_role("button", name="Go on").click()
        self.tick_to(page, "Seat what is in Slot")
        self.tick_out(page, "Done, and seen working")
        self.assertEqual(self.stage(unit), "release")

    def test_the_machine_is_asked_and_what_it_does_not_see_goes_back(self):
        unit = self.ready()
        self.probe(loose=True)
        page = self.page(self.at("release", unit.tag))
        expect(page.get_by_text("Not read out since the work was done")).to_be_visible()
        page.keyboard.press("b")
        question = page.get_by_role("list", name="Questions of the check").get_by_role("listitem")
        expect(question).to_have_count(1)
        expect(question.get_by_role("heading")).to_contain_text("seated?")
        expect(page.get_by_role("img", name="not seen")).to_be_visible()
        question.get_by_role("button", name="Back to inspection").click()
        page.get_by_label("What is not as it should be?").fill("module loose")
        page.get_by_role("button", name="Send it back").click()
        page.wait_for_url(f"**/inspect/{unit.tag}")
        expect(page.locator("input[data-place]:focus")).to_be_visible()
        self.assertEqual(self.stage(unit), "inspect")

    def test_what_is_as_ordered_asks_nothing(self):
        unit = self.ready()
        self.probe(loose=False)
        page = self.page(self.at("release", unit.tag))
        page.get_by_role("button", name="Ask the bench probe").click()
        expect(page.get_by_text("as ordered", exact=False).first).to_be_visible()
        expect(page.get_by_role("list", name="Questions of the check")).to_be_empty()

    def test_a_pasted_report_signs_the_drive_and_goes_back_with_its_signature(self):
        unit = self.ready()
        page = self.page(self.at("release", unit.tag))
        text = sealed_json(REPORT)
        paste = page.get_by_label("Paste the eraser’s report")
        paste.fill(" ".join(text.split()))
        paste.blur()
        expect(page.get_by_role("button", name="Take report 1 off")).to_be_visible()
        page.get_by_role("heading", name="Gates of").click()
        page.keyboard.press(" ")
        expect(page.get_by_text("AAA-0001: overwritten once, read back")).to_be_visible()
        self.assertEqual(Erasure.objects.get().unit_id, unit.pk)
        page.keyboard.press("Control+z")
        expect(page.get_by_text("the signature is taken back")).to_be_visible()
        self.assertFalse(Erasure.objects.filter(valid=True).exists())
        self.assertFalse(GateSignature.objects.filter(valid=True).exists())

    def test_the_key_that_signs_does_not_ask_the_eraser_once_more(self):
        unit = self.ready()
        device = eraser(0)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.shutdown)
        address = f"http://127.0.0.1:{device.server_address[1]}"
        with mock.patch.dict(os.environ, {"SORTIS_ERASER_URL": address}):
            page = self.page(self.at("release", unit.tag))
            asked = []
            page.on("request", lambda one: asked.append(one.url) if "erasures" in one.url else None)
            page.get_by_role("button", name="Ask the eraser").click()
            expect(page.get_by_role("button", name="Take report 1 off")).to_be_visible()
            page.keyboard.press(" ")
            expect(page.get_by_text("read back, bench eraser", exact=False).first).to_be_visible()
        self.assertEqual(len(asked), 1)
        self.assertEqual(Erasure.objects.get().unit_id, unit.pk)

    def test_pictures_are_taken_marked_and_put_in_order(self):
        unit = self.ready()
        page = self.page(self.at("release", unit.tag))
        files = [
            {"name": f"{n}.jpg", "mimeType": "image/jpeg", "buffer": picture()} for n in (1, 2)
        ]
        page.get_by_label("Pictures of the closed unit").set_input_files(files)
        page.get_by_label("Picture 2 earlier").click()
        seen = page.get_by_role("region", name="Pictures for the buyer")
        expect(seen.get_by_text("Keeping …")).to_have_count(0)
        seen.get_by_role("listitem").first.get_by_role("button").first.click()
        large = seen.locator("svg.cursor-crosshair")
        box = large.bounding_box()
        large.click(position={"x": box["width"] / 4, "y": box["height"] / 2})
        page.get_by_label("What the damage is").fill("dent")
        page.keyboard.press("Enter")
        expect(seen.get_by_text("dent", exact=True)).to_be_visible()
        first, second = self.api("get", f"units/{unit.tag}/pictures")
        self.assertGreater(first["number"], second["number"])
        (mark,) = first["marks"]
        self.assertAlmostEqual(mark["x"], 0.25, delta=0.02)
        self.assertAlmostEqual(mark["y"], 0.5, delta=0.02)
        seen.get_by_role("button", name="Keep it inside").click()
        expect(seen.get_by_text("1 kept inside")).to_be_visible()

    def test_the_owner_waives_a_gate_and_says_whether_the_buyer_is_told(self):
        unit = self.ready()
        page = self.page(self.at("release", unit.tag))
        row = page.get_by_role("listitem").filter(has_text="Clock set")
        row.get_by_role("button", name="Waive").click()
        row.get_by_label("Why may it leave without?").fill("the buyer sets it")
        expect(row.get_by_role("radio", checked=True)).to_have_count(0)
        row.get_by_role("button", name="Waive it").click()
        self.assertFalse(GateWaiver.objects.exists())
        row.get_by_label("the buyer is told").check()
        row.get_by_role("button", name="Waive it").click()
        expect(row.get_by_text("waived: the buyer sets it")).to_be_visible()
        expect(row.get_by_text("the buyer is told")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("the waiver is taken back")).to_be_visible()
        self.assertFalse(GateWaiver.objects.filter(valid=True).exists())
