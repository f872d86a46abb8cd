import io
import json
import os
import threading
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from pypdf import PdfReader

from sortis_core.findings import PlaceState
from sortis_core.gates import ProvenGate
from sortis_core.gates.proof import ReleaseGate
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.intake.erasure import sealed_json
from sortis_core.intake.readout import DriveSeen, MachineSeen, ReadOut
from sortis_core.waivers import Waiver, as_waived
from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import ReadOutRow
from sortis_server.inspect.services import findings_of, sheet_of
from sortis_server.orders.models import WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.release.services import waive
from sortis_server.stock.erasures import keep_reports
from sortis_server.stock.models import Erasure, Lot, Movement
from sortis_server.stock.services import move, new_lot
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import add_standard, newest_standards
from standins import bench
from standins.eraser import server as eraser
from standins.probe import Probe
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

    def waive(self, unit, gate="closing: clock_set", reason="the buyer sets it", **more):
        body = {"gate": gate, "reason": reason, "told": True}
        return self.api("post", f"units/{unit.tag}/release/waive", body, **more)

    def gate(self, unit, name="closing: clock_set"):
        view = self.api("get", f"units/{unit.tag}/release")
        return next(gate for gate in view["gates"] if gate["gate"] == name)

    def test_a_waived_gate_lets_the_unit_leave_and_its_buyer_reads_why(self):
        unit = self.waiting()
        self.assertTrue(self.gate(unit)["waivable"])
        self.waive(unit)
        gate = self.gate(unit)
        self.assertEqual((gate["met"], gate["waived"], gate["told"]), (True, True, True))
        self.api("post", f"units/{unit.tag}/release", status=422)
        self.sign(unit, "sanitised", "overwritten once, read back")
        for name in SIGNED[1:]:
            self.sign(unit, name)
        self.api("post", f"units/{unit.tag}/release")
        spec = json.dumps(self.api("get", f"units/{unit.tag}/papers/spec"))
        self.assertIn("the buyer sets it", spec)
        self.assertNotIn("Marit", spec)
        record = json.dumps(self.api("get", f"units/{unit.tag}/papers/record"))
        self.assertIn("waived: the buyer sets it, Marit Dohl", record)
        story = self.api("get", f"units/{unit.tag}/story")["events"]
        self.assertIn("waived", [event["kind"] for event in story])

    def test_a_waiver_is_taken_back_until_the_release(self):
        unit = self.waiting()
        self.waive(unit)
        self.api("post", f"units/{unit.tag}/release/waive/back", {"gate": "closing: clock_set"})
        self.assertFalse(self.gate(unit)["met"])
        told = {"gate": "closing: clock_set"}
        self.api("post", f"units/{unit.tag}/release/waive/back", told, status=404)
        self.waive(unit)

    def test_no_way_round_through_the_api(self):
        unit = self.waiting()
        self.waive(unit, status=403, person=self.ines)
        for gate in ("sanitised", "fit_to_leave", "memory", "smell"):
            self.waive(unit, gate, status=422)
        self.waive(unit, reason=" . ", status=422)
        (early,) = self.announce("stilt")
        self.waive(early, status=422)
        body = {"gate": "closing: clock_set", "reason": "the buyer sets it"}
        self.api("post", f"units/{unit.tag}/release/waive", body, status=422)
        self.assertFalse(any(gate["waived"] for gate in self.gates(unit)))

    def gates(self, unit):
        return self.api("get", f"units/{unit.tag}/release")["gates"]

    def test_where_the_workshop_wants_it_another_checks_and_releases(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        order = WorkOrderRow.objects.get(unit=unit)
        while order.state == "open":
            self.api("post", f"units/{unit.tag}/work/tick", {"version": order.version})
            order.refresh_from_db()
        policy = self.api("get", "furnish/settings")["settings"]["policy"]
        own = policy | {"release": "another"}
        self.api("put", f"batches/{self.batch.slug}/policy", own)
        said = self.sign(unit, "closing: clock_set", status=422)
        self.assertIn("Marit Dohl fitted", said["detail"])
        self.api("post", f"units/{unit.tag}/release", status=422)
        lena = Person.objects.create_person("lena", "Lena Wirt", ["releaser"], "tide")
        self.sign(unit, "closing: clock_set", person=lena)
        self.api("put", f"batches/{self.batch.slug}/policy", policy)
        self.sign(unit, "closing: closed_flush")

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


class Erasers(Workshop, TestCase):
    """The sanitising gate, signed by what the eraser reports."""

    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def waiting(self, **entries):
        (unit,) = self.announce("stilt")
        self.inspect(unit, **entries)
        self.approve(self.plan())
        return unit

    def report(self, serial="AAA-0001", **more):
        said = {"tool": "bench eraser", "method": "overwritten once", "result": "passed"}
        return sealed_json(said | {"verified": True, "serial": serial} | more)

    def sign(self, unit, *reports, gate="sanitised", **more):
        body = {"gate": gate, "reports": list(reports)}
        return self.api("post", f"units/{unit.tag}/release/sign", body, **more)

    def gate(self, unit):
        gates = self.api("get", f"units/{unit.tag}/release")["gates"]
        return next(gate for gate in gates if gate["gate"] == "sanitised")

    def test_a_report_signs_the_gate_and_is_kept_word_for_word(self):
        unit = self.waiting()
        text = self.report()
        self.sign(unit, text)
        gate = self.gate(unit)
        self.assertTrue(gate["met"])
        self.assertIn("AAA-0001: overwritten once, read back", gate["record"])
        self.assertEqual(Erasure.objects.get().text, text)
        paper = json.dumps(self.api("get", f"units/{unit.tag}/papers/drives"))
        self.assertIn("SHA-256", paper)
        self.assertIn("AAA-0001", paper)

    def test_one_that_failed_or_is_none_or_is_of_another_signs_nothing(self):
        unit = self.waiting()
        for text, words in (
            (self.report(result="failed"), "not sanitised"),
            ("no report", "neither JSON"),
            (self.report(serial="-"), "names no serial"),
        ):
            self.assertIn(words, self.sign(unit, text, status=422)["detail"])
        said = self.sign(unit, self.report(), self.report("BBB-0002"), status=422)
        self.assertIn("One drive wants one report", said["detail"])
        self.sign(unit, self.report(), gate="closing: cleaned", status=422)
        self.assertFalse(self.gate(unit)["met"])
        self.assertFalse(Erasure.objects.exists())

    def test_a_report_counts_once_until_it_is_taken_back(self):
        one, two = self.waiting(), self.waiting()
        self.sign(one, self.report())
        said = self.sign(two, self.report(), status=422)
        self.assertIn("for another drive already", said["detail"])
        self.api("post", f"units/{one.tag}/release/sign/back", {"gate": "sanitised"})
        self.assertFalse(self.gate(one)["met"])
        self.sign(two, self.report())

    def test_one_without_its_seal_is_a_persons_word(self):
        unit = self.waiting()
        self.sign(unit, self.report().replace("overwritten once", "overwritten 3 times"))
        self.assertIn("the word of a person", self.gate(unit)["record"])

    def test_a_read_out_tells_which_drive_is_in_it(self):
        unit = self.waiting()
        seen = ReadOut(drives=(DriveSeen(name="sda", serial="KNOWN 77"),))
        document = seen.model_dump(mode="json")
        ReadOutRow.objects.create(unit=unit, by=self.marit, data=b"", document=document)
        said = self.sign(unit, self.report(), status=422)
        self.assertIn("saw KNOWN 77", said["detail"])
        self.sign(unit, self.report("known-77"))
        self.assertTrue(self.gate(unit)["met"])

    def test_drives_taken_out_take_a_report_each_and_destroyed_ones_a_number(self):
        kind = PartKindRow.objects.get(key="disk-500-bay")
        lot = new_lot(kind, "unsanitised", "tray", 100, out_of=self.waiting())
        move(lot, 3, "out", self.marit)
        path = f"stock/lots/{lot.pk}/settled"
        body = {"good": 2, "bad": 0, "reports": [self.report("D-0001")]}
        self.assertIn("2 drives want", self.api("post", path, body, status=422)["detail"])
        body["reports"].append(self.report("D-0002"))
        good = self.api("post", path, body)
        self.assertIn("D-0002", Lot.objects.get(pk=good["id"]).record)
        gone = {"good": 0, "bad": 1, "drive_end": "destroyed"}
        self.assertIn("of the certificate", self.api("post", path, gone, status=422)["detail"])
        owner = {"good": 0, "bad": 1, "drive_end": "gone_back"}
        self.assertIn("took the drive back", self.api("post", path, owner, status=422)["detail"])
        self.api("post", path, gone | {"words": "shredder, no. 4711"})
        self.assertEqual(self.drives()["destroyed"], "1")
        more = new_lot(kind, "unsanitised", "tray", 100, out_of=lot.out_of)
        move(more, 1, "out", self.marit)
        owner["words"] = "the ferry line, receipt 12"
        back = self.api("post", f"stock/lots/{more.pk}/settled", owner)
        self.assertEqual(self.drives()["gone back to its owner"], "1")
        self.api("post", f"stock/acts/{back['act']}/back")
        self.assertNotIn("gone back to its owner", self.drives())
        self.api("post", f"stock/acts/{good['act']}/back")
        self.assertFalse(Erasure.objects.filter(valid=True).exists())

    def drives(self) -> dict[str, str]:
        told = self.api("get", f"batches/{self.batch.slug}/certificate")["parts"]
        lines = next(part["lines"] for part in told if "rive" in part["heading"])
        return {line["label"]: line["text"] for line in lines}

    def test_the_eraser_is_asked_and_signs_nothing(self):
        unit = self.waiting()
        path = f"units/{unit.tag}/release/erasures"
        self.assertIn("No eraser is set up", self.api("post", path, status=422)["detail"])
        device = eraser(0)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.shutdown)
        address = f"http://127.0.0.1:{device.server_address[1]}"
        with mock.patch.dict(os.environ, {"SORTIS_ERASER_URL": address}):
            (text,) = self.api("post", path)["texts"]
        self.assertIn(unit.serial, text)
        self.assertFalse(self.gate(unit)["met"])
        self.api("post", path, status=403, person=self.ines)


class ByTheMachine(Workshop, TestCase):
    """The check: what was fitted, confirmed by a fresh read-out."""

    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def fitted(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        self.approve(self.plan())
        return self.tick_all(unit)

    def tick_all(self, unit):
        order = WorkOrderRow.objects.get(unit=unit, state="open")
        while order.state == "open":
            self.api("post", f"units/{unit.tag}/work/tick", {"version": order.version})
            order.refresh_from_db()
        unit.refresh_from_db()
        return unit

    def read_out(self, unit, serial="", **more):
        sheet = sheet_of(unit)
        entries = write_entries(findings_of(unit)) | more
        findings, _ = read_entries(sheet, findings_of(unit).trim, entries)
        data = Probe(sheet, findings, serial or unit.serial, seed=2).bundle()
        file = SimpleUploadedFile("probe.zip", data)
        client = self.client_of(self.marit)
        answer = client.post(f"/api/units/{unit.tag}/release/readout", {"file": file})
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return answer.json()

    def send_back(self, unit, places=("m2",), words="does not light up", **more):
        body = {"places": list(places), "words": words}
        return self.api("post", f"units/{unit.tag}/release/send-back", body, **more)

    def test_without_a_fresh_read_out_nothing_is_claimed(self):
        unit = self.fitted()
        view = self.api("get", f"units/{unit.tag}/release")
        self.assertEqual((view["check"], view["seen"]), (None, None))

    def test_what_the_machine_confirms_asks_nothing(self):
        told = self.read_out(self.fitted())["check"]
        self.assertEqual(told["questions"], [])
        self.assertGreater(told["as_ordered"], 2)

    def prove(self, unit, what, status=200):
        body = {"gate": f"proven: {what}", "words": "typed by hand"}
        return self.api("post", f"units/{unit.tag}/release/sign", body, status=status)

    def asks_for_proof(self):
        more = tuple(ProvenGate(what=what) for what in ("self_test", "own_test"))
        for desk in newest_standards():
            gates = (*desk.gates, *more, ProvenGate(what="load", max_celsius=90))
            add_standard(desk.model_copy(update={"version": desk.version + 1, "gates": gates}))

    def test_what_is_proven_by_use_is_the_machine_s_word(self):
        unit = self.fitted()
        self.asks_for_proof()
        self.prove(unit, "load", status=422)
        entries = write_entries(findings_of(unit))
        sheet, trim = sheet_of(unit), findings_of(unit).trim
        often = mock.patch.object(bench, "OFTEN", 0.0)
        with often:
            data = bench.bundle_for(unit.tag, unit.serial, sheet, trim, entries)
        self.upload(f"units/{unit.tag}/release/readout", data, name="probe.zip")
        view = self.prove(unit, "load")
        told = {gate["gate"]: gate for gate in view["gates"]}
        self.assertTrue(told["proven: load"]["met"])
        self.assertIn("°C at load", told["proven: load"]["record"])
        self.assertNotIn("by hand", told["proven: load"]["record"])
        self.assertFalse(told["proven: self_test"]["met"])
        self.assertEqual(told["proven: own_test"]["sentence"], "This model has no test of its own")
        told = {gate["gate"]: gate for gate in self.prove(unit, "self_test")["gates"]}
        self.assertIn("passed at", told["proven: self_test"]["record"])
        self.prove(unit, "runtime", status=422)

    def open_again(self, unit, place="m2", **more):
        return self.api("post", f"units/{unit.tag}/release/open-again", {"place": place}, **more)

    def test_a_difference_leads_back_into_the_order_at_its_step(self):
        unit = self.fitted()
        self.open_again(unit, status=422)
        self.read_out(unit, m2="-")
        self.open_again(unit, place="m1", status=422)
        self.open_again(unit, status=403, person=self.ines)
        self.assertEqual(self.open_again(unit)["stage"], "fit")
        self.open_again(unit, status=422)
        view = self.api("get", f"units/{unit.tag}/work")
        titles = [step["title"] for step in view["work"]["steps"]]
        self.assertIn("Seat what is in Slot 2 again", titles)
        self.assertEqual(titles[-1], "See it work")
        before = findings_of(unit)
        moved = Movement.objects.count()
        self.tick_all(unit)
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "release")
        self.assertEqual(findings_of(unit), before)
        self.assertEqual(Movement.objects.count(), moved)
        self.assertIsNone(self.api("get", f"units/{unit.tag}/release")["check"])
        told = self.read_out(unit, m2="-")["check"]["questions"]
        self.assertEqual(told[0]["step"]["title"], "Seat what is in Slot 2 again")
        words = [event["words"] for event in self.api("get", f"units/{unit.tag}/story")["events"]]
        self.assertTrue(any("opened again: Is the module in Slot 2 seated?" in w for w in words))
        self.read_out(unit)
        self.assertEqual(self.api("get", f"units/{unit.tag}/release")["check"]["questions"], [])

    def test_no_plan_changes_a_unit_that_is_opened_again(self):
        unit = self.fitted()
        self.read_out(unit, m2="-")
        self.open_again(unit)
        (fresh,) = self.announce("stilt")
        self.inspect(fresh)
        self.approve(self.plan())
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "fit")
        self.assertEqual(unit.orders.filter(state="open").count(), 1)

    def test_a_difference_leads_to_its_step_and_holds_the_release(self):
        unit = self.fitted()
        view = self.read_out(unit, m2="-")
        (question,) = view["check"]["questions"]
        self.assertIn("Slot 2 seated?", question["question"])
        self.assertIn("SODIMM", question["step"]["title"])
        for gate in view["gates"]:
            if gate["signable"]:
                words = "overwritten once" if gate["wants_words"] else ""
                body = {"gate": gate["gate"], "words": words}
                self.api("post", f"units/{unit.tag}/release/sign", body)
        said = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("Slot 2 seated?", said["detail"])
        self.read_out(unit)
        self.api("post", f"units/{unit.tag}/release")

    def test_a_read_out_of_another_unit_is_told(self):
        unit = self.fitted()
        told = self.read_out(unit, serial="OTHER-1")["check"]
        self.assertTrue(told["other_unit"])
        self.assertTrue(any("another unit" in doubt for doubt in told["doubts"]))
        said = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("is of another unit", said["detail"])
        self.assertFalse(self.read_out(unit)["check"]["other_unit"])

    def test_a_machine_that_called_itself_so_before_the_work_is_the_same_one(self):
        (unit,) = self.announce("stilt")
        seen = ReadOut(machine=MachineSeen(serial="OTHER-1"))
        document = seen.model_dump(mode="json")
        ReadOutRow.objects.create(unit=unit, by=self.marit, data=b"", document=document)
        self.inspect(unit)
        self.approve(self.plan())
        unit.refresh_from_db()
        self.assertFalse(self.read_out(unit, serial="OTHER-1")["check"]["other_unit"])
        self.assertTrue(self.read_out(unit, serial="OTHER-2")["check"]["other_unit"])

    def test_what_is_not_as_it_should_be_goes_back_to_inspection(self):
        unit = self.fitted()
        self.api("post", f"units/{unit.tag}/release/sign", {"gate": "closing: cleaned"})
        self.send_back(unit)
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "inspect")
        self.assertEqual(findings_of(unit).module("m2").state, PlaceState.UNSEEN)
        self.assertNotEqual(findings_of(unit).module("m1").state, PlaceState.UNSEEN)
        self.assertFalse(unit.signatures.filter(valid=True).exists())
        story = self.api("get", f"units/{unit.tag}/story")["events"]
        self.assertTrue(any("does not light up" in event["words"] for event in story))
        self.inspect(unit)
        self.approve(self.plan())
        self.assertEqual(self.stage(unit), "release")

    def test_what_was_waived_and_reported_goes_back_with_it(self):
        unit = self.fitted()
        body = {"gate": "closing: clock_set", "reason": "the buyer sets it", "told": True}
        self.api("post", f"units/{unit.tag}/release/waive", body)
        Unit.objects.filter(pk=unit.pk).update(stage="release")
        text = sealed_json({"serial": "AAA-0001", "method": "overwritten once", "result": "passed"})
        keep_reports([text], 1, self.marit, unit=unit)
        self.send_back(unit)
        self.assertFalse(unit.waivers.filter(valid=True).exists())
        self.assertFalse(unit.erasures.filter(valid=True).exists())

    def test_a_long_gate_is_waived_as_well(self):
        unit = self.fitted()
        long = "seen " * 100
        gate = ReleaseGate(gate="x", sentence=long, met=False, evidence="", asks="", waivable=True)
        with mock.patch("sortis_server.release.services.gates_of", return_value=(gate,)):
            waive(unit.tag, "x", "agreed with the buyer", self.marit, told=False)
        row = unit.waivers.get()
        given = Waiver(by="Marit", reason=row.reason, told=False, about=row.about)
        self.assertTrue(as_waived(gate, given).met)

    def test_it_says_why_and_only_from_the_last_check(self):
        unit = self.fitted()
        self.send_back(unit, words=" .. ", status=422)
        self.send_back(unit, places=("engine",), status=422)
        self.send_back(unit, status=403, person=self.ines)
        self.assertEqual(self.stage(unit), "release")
        (early,) = self.announce("stilt")
        self.send_back(early, status=422)

    def test_the_bench_probe_is_asked_for_what_was_put_in(self):
        unit = self.fitted()
        device = bench.server(0)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.shutdown)
        address = f"http://127.0.0.1:{device.server_address[1]}"
        with mock.patch.dict(os.environ, {"SORTIS_PROBE_URL": address}):
            told = self.api("post", f"units/{unit.tag}/release/probe")
        self.assertGreater(told["check"]["asked"], 2)
        self.assertLessEqual(len(told["check"]["questions"]), 1)
