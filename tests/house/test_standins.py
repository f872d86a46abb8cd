"""The simulated devices answer wrong questions in words, and the same question the same way."""

import io
import json
import tempfile
import threading
import unittest
import urllib.error
import urllib.request
from pathlib import Path

from reportlab.pdfgen.canvas import Canvas

from sortis_core.intake.readout import read_bundle
from standins.bench import server as probe
from standins.printer import server as printer
from standins.supplier import server as supplier
from tests.core.sample import FOLIO


def pdf(*pages: str) -> bytes:
    out = io.BytesIO()
    canvas = Canvas(out)
    for words in pages:
        canvas.drawString(40, 700, words)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


class Devices(unittest.TestCase):
    def serve(self, device):
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.server_close)
        self.addCleanup(device.shutdown)
        return f"http://127.0.0.1:{device.server_port}"

    def post(self, address: str, data: bytes) -> bytes:
        return urllib.request.urlopen(urllib.request.Request(address, data=data)).read()

    def refused(self, address: str, data: bytes | None) -> tuple[int, str]:
        with self.assertRaises(urllib.error.HTTPError) as caught:
            urllib.request.urlopen(urllib.request.Request(address, data=data))
        return caught.exception.code, caught.exception.read().decode()

    def test_the_printer_keeps_pages_and_refuses_what_is_no_pdf(self):
        with tempfile.TemporaryDirectory() as folder:
            address = self.serve(printer(0, Path(folder)))
            empty = urllib.request.urlopen(address).read().decode()
            self.assertIn("Nothing was printed yet", empty)
            job = json.loads(self.post(f"{address}/print", pdf("TW-0001", "TW-0002")))
            self.assertEqual((job["pages"], job["words"]), (2, ["TW-0001", "TW-0002"]))
            self.assertEqual(self.refused(f"{address}/print", b"hello"), (422, "This is no PDF."))
            self.assertEqual(self.refused(f"{address}/elsewhere", b"x")[0], 400)
            self.assertEqual(self.refused(f"{address}/jobs/1/3.png", None)[0], 404)
            self.assertEqual(self.refused(f"{address}/jobs/9/1.png", None)[0], 404)
            self.assertEqual(len(list(Path(folder).glob("*.pdf"))), 1)

    def test_the_probe_says_the_same_of_the_same_unit(self):
        address = self.serve(probe(0))
        asked = {"tag": "TW-0001", "serial": "S1", "sheet": FOLIO.model_dump(mode="json")}
        first = self.post(f"{address}/bundle", json.dumps(asked).encode())
        again = self.post(f"{address}/bundle", json.dumps(asked).encode())
        self.assertEqual(read_bundle(first), read_bundle(again))
        other = json.dumps(asked | {"tag": "TW-0002"}).encode()
        self.assertNotEqual(read_bundle(first), read_bundle(self.post(f"{address}/bundle", other)))
        for data in (b"{", b"{}", json.dumps(asked | {"sheet": {}}).encode()):
            self.assertEqual(self.refused(f"{address}/bundle", data)[0], 422)

    def test_the_supplier_takes_an_order_once_and_refuses_in_words(self):
        address = self.serve(supplier(0))
        quotes = json.loads(urllib.request.urlopen(f"{address}/quotes").read())
        first = quotes["quotes"][0]
        line = {"article": first["article"], "count": 1, "price_cents": first["price_cents"]}

        def order(ours, *lines):
            return json.dumps({"ours": ours, "lines": lines}).encode()

        taken = self.post(f"{address}/orders", order("a", line))
        self.assertEqual(self.post(f"{address}/orders", order("a", line)), taken)
        left = json.loads(urllib.request.urlopen(f"{address}/quotes").read())["quotes"][0]["limit"]
        self.assertEqual(left, first["limit"] - 1)
        for lines, words in (
            ((), "no line"),
            ((line | {"article": "X"},), "no article X"),
            ((line | {"count": 99},), "are left; 99"),
            ((line | {"price_cents": 1},), "each at 1 now"),
        ):
            status, said = self.refused(f"{address}/orders", order("b", *lines))
            self.assertEqual(status, 409)
            self.assertIn(words, said)
        self.assertEqual(self.refused(f"{address}/orders", b"[]")[0], 422)
        self.assertEqual(self.refused(f"{address}/nothing", b"{}")[0], 404)
