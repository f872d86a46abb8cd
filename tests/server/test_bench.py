"""At the bench: starting point, bench line, read-outs, pictures, the search, dangers."""

import io
import json
import random
import threading
import zlib
from functools import lru_cache
from unittest import mock

from django.conf import settings
from django.test import TestCase
from PIL import Image

from sortis_server.inspect.models import Hazard, Inspection, Photo, ReadOutRow
from standins.bench import server as probe
from standins.probe import Probe
from tests.core.sample import FOLIO, folio
from tests.server.workshop import Workshop


class Bench(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def view(self, unit) -> dict:
        return self.api("get", f"units/{unit.tag}/inspection")


class StartingPoints(Bench):
    def test_the_commonest_filling_is_offered_the_newest_of_equals(self):
        units = self.announce(*["stilt"] * 5)
        for unit, gb in zip(units[:4], ("4", "16", "16", "4"), strict=True):
            self.inspect(unit, m1=gb)
        like = self.view(units[4])["like"]
        self.assertEqual((like["entries"]["m1"], like["held_by"], like["of"]), ("4", 2, 4))
        self.assertEqual(like["tag"], units[3].tag)
        self.inspect(units[3], m1="16")
        like = self.view(units[4])["like"]
        self.assertEqual((like["entries"]["m1"], like["held_by"]), ("16", 3))

    def test_the_last_unit_of_the_model_is_offered_without_what_is_each_units_own(self):
        first, second, other = self.announce("folio", "folio", "stilt")
        self.assertIsNone(self.view(second)["like"])
        self.inspect(first, d1="n256 91%", p1="34/46 200c", heat_sink="-", camera="x")
        like = self.view(second)["like"]
        self.assertEqual((like["tag"], like["trim"]), (first.tag, "flash"))
        self.assertEqual((like["entries"]["m1"], like["entries"]["d1"]), ("8", "n256"))
        self.assertEqual(like["entries"]["heat_sink"], "-")
        for own in ("p1", "camera", "grade"):
            self.assertNotIn(own, like["entries"])
        self.assertIsNone(self.view(other)["like"])
        self.assertEqual(self.view(second)["entries"], {})
        self.assertEqual(Inspection.objects.count(), 1)


class Lines(Bench):
    def line(self, unit, text: str, entries=None, trim="disk") -> dict:
        body = {"text": text, "caret": len(text), "trim": trim, "entries": entries or {}}
        return self.api("post", f"units/{unit.tag}/line", body)

    def test_a_line_lies_over_what_is_there_and_is_echoed(self):
        (unit,) = self.announce("folio")
        said = self.line(unit, "t flash / m 8 16 / miss feet", {"d1": "n256", "m1": "4"})
        self.assertEqual(said["trim"], "flash")
        self.assertEqual(said["entries"], {"d1": "n256", "m0": "8", "m1": "16", "feet": "-"})
        cells = {c["key"]: c["mark"] for c in said["reading"]["strip"]["cells"]}
        self.assertEqual((cells["m1"], cells["feet"]), ("good", "missing"))
        self.assertEqual(said["written"], "t flash / m 8 16 / s n256 / miss feet")
        self.assertEqual(Inspection.objects.count(), 0)

    def test_same_takes_the_starting_point(self):
        first, second = self.announce("folio", "folio")
        self.inspect(first)
        said = self.line(second, "same / m 4")
        self.assertEqual((said["trim"], said["entries"]["m0"]), ("flash", "4"))
        self.assertEqual(said["entries"]["d1"], "n256")

    def test_what_is_not_understood_is_pointed_at_and_completed(self):
        (unit,) = self.announce("folio")
        said = self.line(unit, "m 8 99")
        unclear = [w for w in said["line"]["words"] if w["kind"] == "unclear"]
        self.assertEqual((unclear[0]["start"], unclear[0]["end"]), (4, 6))
        offered = self.line(unit, "fail cam")["completions"]
        self.assertEqual([one["text"] for one in offered], ["camera"])


class ReadOuts(Bench):
    def send(self, unit, data: bytes, entries=None, *, status: int = 200) -> dict:
        typed = json.dumps({"trim": "flash", "entries": entries or {}})
        return self.upload(f"units/{unit.tag}/readout", data, status=status, typed=typed)

    def test_a_bundle_is_laid_beside_what_is_typed(self):
        (unit,) = self.announce("folio")
        data = Probe(FOLIO, folio(m1="4"), unit.serial).bundle()
        said = self.send(unit, data, {"m1": "8"})
        rows = {row["place"]: row for row in said["comparison"]["rows"]}
        self.assertTrue(rows["m1"]["differs"])
        self.assertEqual(said["comparison"]["entries"]["m0"], "8")
        self.assertNotIn("m1", said["comparison"]["entries"])
        self.assertEqual(bytes(ReadOutRow.objects.get().data), data)
        self.assertTrue(self.view(unit)["readout"])
        body = {"trim": "flash", "entries": {"m1": "4", "m0": "8"}}
        later = self.api("post", f"units/{unit.tag}/beside", body)["comparison"]
        self.assertFalse(any(row["differs"] for row in later["rows"]))

    def test_hostile_files_are_refused_and_nothing_half_kept(self):
        (unit,) = self.announce("folio")
        for data, words in (
            (b"", "empty"),
            (b"x" * 6_000_000, "up to 5 MB"),
            (b"not a zip", "not a whole zip"),
        ):
            self.assertIn(words, self.send(unit, data, status=422)["detail"])
        self.assertEqual(ReadOutRow.objects.count(), 0)

    def test_the_bench_probe_is_asked_for_this_unit(self):
        (unit,) = self.announce("folio")
        body = {"trim": "flash", "entries": {}}
        path = f"units/{unit.tag}/probe"
        device = probe(0)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{device.server_port}"
        with mock.patch.dict("os.environ", {"SORTIS_PROBE_URL": address}):
            said = self.api("post", path, body)
            again = self.api("post", path, body)
        self.assertIn(said["machine"]["product"], ("Folio 15", ""))
        self.assertEqual(said["comparison"], again["comparison"])
        device.shutdown()
        device.server_close()
        with mock.patch.dict("os.environ", {"SORTIS_PROBE_URL": address}):
            self.assertIn(
                "The probe does not answer", self.api("post", path, body, status=422)["detail"]
            )
        with mock.patch.dict("os.environ", {"SORTIS_PROBE_URL": ""}):
            self.assertIn(
                "No bench probe is set up", self.api("post", path, body, status=422)["detail"]
            )

    def test_the_collecting_script_is_served(self):
        script = self.api("get", "units/probe/collect.sh").content.decode()
        self.assertTrue(script.startswith("#!/bin/sh"))
        self.assertIn("smartctl -j -a", script)


@lru_cache
def noise(width: int, height: int) -> Image.Image:
    return Image.effect_noise((width, height), 60).convert("RGB")


def picture(width=2400, height=1200, kind="JPEG", **more) -> bytes:
    out = io.BytesIO()
    noise(width, height).save(out, kind, **more)
    return out.getvalue()


class Pictures(Bench):
    def add(self, unit, data: bytes, *, status: int = 200, **fields) -> dict:
        return self.upload(f"units/{unit.tag}/photos", data, status=status, name="p.jpg", **fields)

    def test_a_picture_is_made_small_upright_and_plain(self):
        (unit,) = self.announce("folio")
        exif = Image.Exif()
        exif[0x0112] = 6  # lies on its side
        exif[0x010F] = "some camera"
        seen = self.add(unit, picture(exif=exif), words="crack at the hinge")["photos"]
        self.assertEqual((seen[0]["width"], seen[0]["height"]), (800, 1600))
        self.assertEqual(seen[0]["words"], "crack at the hinge")
        data = self.api("get", f"units/{unit.tag}/photos/{seen[0]['number']}.jpg").content
        shown = Image.open(io.BytesIO(data))
        self.assertEqual((shown.size, dict(shown.getexif())), ((800, 1600), {}))
        self.assertEqual(len(self.view(unit)["photos"]), 1)

    def test_taken_off_and_put_back(self):
        (unit,) = self.announce("folio")
        number = self.add(unit, picture(300, 200, "PNG"))["photos"][0]["number"]
        path = f"units/{unit.tag}/photos/{number}"
        self.assertEqual(self.api("delete", path)["photos"], [])
        self.api("get", f"{path}.jpg", status=404)
        self.assertEqual(len(self.api("post", f"{path}/back", {})["photos"]), 1)
        self.api("post", f"units/{unit.tag}/photos/999999/back", {}, status=404)

    def test_what_is_no_picture_is_refused_plainly(self):
        (unit,) = self.announce("folio")
        whole = picture(600, 400)
        claims = bytearray(picture(40, 40, "PNG"))
        claims[16:24] = (90_000).to_bytes(4, "big") + (90_000).to_bytes(4, "big")
        claims[29:33] = zlib.crc32(claims[12:29]).to_bytes(4, "big")
        for data, words in (
            (b"", "empty"),
            (b"%PDF-1.4 hello", "not a picture"),
            (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "not a picture"),
            (whole[:900], "damaged or cut off"),
            (random.Random(1).randbytes(5_000_100), "more than 5 MB"),
            (bytes(claims), "more points than a camera takes"),
        ):
            said = self.add(unit, data, status=422)
            self.assertIn(words, said["detail"])
        self.assertEqual(Photo.objects.count(), 0)


class AnotherModel(Bench):
    def test_a_unit_named_wrongly_is_read_against_the_right_sheet(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m1="16", m2="-")
        said = self.api("put", f"units/{unit.tag}/sheet", {"sheet": "ombrel-cairn-m1"})
        self.assertEqual(said["view"]["model"], "Ombrel Cairn M1")
        self.assertEqual((said["view"]["entries"]["m1"], said["view"]["number"]), ("16", 2))
        self.assertTrue(any("no place “cage”" in sentence for sentence in said["left"]))
        self.api("put", f"units/{unit.tag}/sheet", {"sheet": "none"}, status=404)
        self.assertEqual(Inspection.objects.filter(unit=unit).count(), 2)

    def test_a_unit_at_the_bench_or_in_danger_keeps_its_model(self):
        fitted, swollen = self.announce("stilt", "folio")
        self.inspect(fitted, m2="-")
        self.approve(self.plan())
        self.inspect(swollen, p1="!")
        for unit, words in ((fitted, "is in fit already"), (swollen, "blocked by a danger")):
            body = {"sheet": "tolva-lern-11"}
            said = self.api("put", f"units/{unit.tag}/sheet", body, status=422)
            self.assertIn(words, said["detail"])


class Searches(Bench):
    def test_goes_from_step_to_step_and_ends_in_entries(self):
        (unit,) = self.announce("folio")
        body = {"trim": "flash", "entries": {"m1": "8"}, "answers": []}
        at = self.api("post", f"units/{unit.tag}/search", body)
        self.assertEqual(at["step"]["key"], "adapter")
        body["answers"] = [["adapter", "n"], ["drain", "n"], ["screen", "n"], ["internal", "y"]]
        at = self.api("post", f"units/{unit.tag}/search", body)
        self.assertEqual(at["result"]["entries"], {"starts": "+", "p1": "x"})
        body["answers"] = [["adapter", "q"]]
        self.assertIn(
            "Start the search again",
            self.api("post", f"units/{unit.tag}/search", body, status=422)["detail"],
        )


class Dangers(Bench):
    def test_a_unit_that_lights_up_while_open_is_blocked_and_listed(self):
        lit, swollen, calm = self.announce("folio", "lern", "stilt")
        kept = self.inspect(lit, unit="!o")
        self.assertTrue(kept["blocked"])
        self.assertIn("lights up", kept["reading"]["assessment"]["hazard_words"])
        self.assertEqual(
            (kept["hazards"][0]["place"], kept["hazards"][0]["kind"]),
            ("The unit", "lit"),
        )
        strip = self.api("get", f"batches/{self.batch.slug}/strips?tags={lit.tag}")[lit.tag]
        self.assertEqual(strip["danger"], "lights up while open")
        self.assertTrue(strip["words"].startswith("Danger: lights up while open"))
        self.inspect(swollen, p1="!s")
        self.inspect(calm)
        listed = self.api("get", f"units/hazards?batch={self.batch.slug}")
        self.assertEqual({row["tag"] for row in listed}, {lit.tag, swollen.tag})
        words = {"words": "switched off by its key, pack unplugged"}
        freed = self.api("post", f"units/{lit.tag}/hazard", words)
        self.assertFalse(freed["blocked"])
        self.assertNotIn("unit", freed["entries"])
        self.assertEqual(freed["entries"]["p1"], "43/46 90c")
        listed = self.api("get", "units/hazards")
        self.assertEqual([row["done_by"] for row in listed], ["", "Marit Dohl"])
        self.assertEqual(self.api("get", "units/hazards?day=2020-01-01")[0]["tag"], swollen.tag)
        self.assertEqual(Hazard.objects.count(), 2)

    def test_each_failure_says_which_repair_it_means(self):
        (unit,) = self.announce("folio")
        said = {row["test"]: row for row in self.view(unit)["repairs"]}
        self.assertEqual(
            said["screen"]["words"],
            "first reseat the display plug, 2 min; then Panel 15-inch, Folio 15, 7.2 min at it",
        )
        self.assertFalse(said["starts"]["worth_it"])
        self.assertIn("not worth a repair", said["starts"]["words"])


class Script(TestCase):
    def test_the_script_in_the_tree_is_the_one_that_is_served(self):
        self.assertTrue((settings.HOME / "standins" / "collect.sh").exists())
