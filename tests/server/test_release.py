import io

from django.test import TestCase
from pypdf import PdfReader

from tests.server.workshop import Workshop

SIGNED = ("closing: clock_set", "closing: closed_flush", "closing: cleaned")


class LastCheck(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def waiting(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        self.approve(self.plan())
        self.assertEqual(self.stage(unit), "release")
        return unit

    def sign(self, unit, gate, words="", **more):
        return self.api(
            "post", f"units/{unit.tag}/release/sign", {"gate": gate, "words": words}, **more
        )

    def test_open_gates_hold_the_unit_and_are_named(self):
        unit = self.waiting()
        said = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("Clock set", said["detail"])
        self.assertEqual(set(said["facts"]["gates"]), {"sanitised", *SIGNED})
        self.assertEqual(self.stage(unit), "release")

    def test_all_gates_met_release_the_unit_with_its_evidence(self):
        unit = self.waiting()
        said = self.sign(unit, "sanitised", "", status=422)
        self.assertIn("Record how it was sanitised", said["detail"])
        self.sign(unit, "sanitised", "overwritten once, read back")
        for gate in SIGNED:
            view = self.sign(unit, gate)
        self.assertTrue(all(gate["met"] for gate in view["gates"]))
        view = self.api("post", f"units/{unit.tag}/release")
        self.assertEqual((view["stage"], view["released_by"]), ("released", "Marit Dohl"))
        self.assertIn("16 GB DDR4", view["label"])
        again = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("waits in released", again["detail"])

    def test_what_was_seen_is_not_signed_by_hand(self):
        said = self.sign(self.waiting(), "memory", status=422)
        self.assertIn("not signed by hand", said["detail"])

    def test_the_label_is_a_pdf_with_tag_and_claims_only_once_released(self):
        unit = self.waiting()

        def text():
            answer = self.api("get", f"units/{unit.tag}/label.pdf")
            self.assertEqual(answer["Content-Type"], "application/pdf")
            return PdfReader(io.BytesIO(answer.content)).pages[0].extract_text()

        self.assertIn("not released yet", text())
        self.sign(unit, "sanitised", "overwritten once")
        for gate in SIGNED:
            self.sign(unit, gate)
        self.api("post", f"units/{unit.tag}/release")
        label = text()
        for words in (unit.tag, "Quarrin Stilt Q2", "16 GB DDR4", "256 GB solid-state", "grade B"):
            self.assertIn(words, label)

    def test_the_code_is_drawn(self):
        answer = self.api("get", f"units/{self.waiting().tag}/code.svg")
        self.assertIn(b"<svg", answer.content)

    def test_a_unit_decided_for_nothing_says_so(self):
        (unit,) = self.announce("stilt")
        said = self.api("get", f"units/{unit.tag}/release", status=422)
        self.assertIn("Decide it first", said["detail"])

    def test_stock_and_sheets_answer(self):
        stock = self.api("get", "stock")
        self.assertTrue(all(kind["free"] >= 0 for kind in stock["kinds"]))
        self.assertEqual(len(self.api("get", "sheets")), 20)
        self.assertEqual(self.api("get", "sheets/tolva-lern-11")["model"], "Lern 11")
        self.api("get", "sheets/none", status=404)
        self.assertEqual(len(self.api("get", "sheets/standards")), 3)
