"""Papers and the buyer's page: from the same facts, nothing internal, void when drawn back."""

import io
import json
from datetime import timedelta
from unittest import mock
from urllib.parse import urlencode

import pikepdf
from django.core.cache import cache
from django.test import Client, TestCase
from django.utils import timezone
from pypdf import PdfReader

from sortis_core.stages import Stage
from sortis_core.vocabulary.states import JobState
from sortis_server.arrive.models import Unit
from sortis_server.labels import code_svg
from sortis_server.papers import many
from sortis_server.papers.models import PaperJob
from sortis_server.papers.public import MOST_A_MINUTE
from sortis_server.people.models import Person
from sortis_server.stock.models import Movement
from tests.server.test_bench import picture
from tests.server.workshop import Workshop


def unmarked(page: pikepdf.Page) -> list[str]:
    """Words that stand outside everything that is read aloud or said to be furniture."""
    depth, found = 0, []
    for operands, operator in pikepdf.parse_content_stream(page):
        match str(operator):
            case "BDC" | "BMC":
                depth += 1
            case "EMC":
                depth -= 1
            case "Tj" | "TJ" if depth == 0:
                found.append(str(operands))
    return found


def text_of(pdf: bytes) -> str:
    words = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages)
    return " ".join(words.split())


class Papers(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        cls.on_the_shelf = cls().one_more_released().pk

    def setUp(self):
        cache.clear()
        self.shown_already = False

    def released(self) -> Unit:
        """The unit that lies on the shelf when a test begins; after it, another one each time."""
        if self.shown_already:
            return self.one_more_released()
        self.shown_already = True
        return Unit.objects.get(pk=self.on_the_shelf)

    def one_more_released(self) -> Unit:
        (unit,) = self.announce("stilt")
        unit.notes = "came with NOTE-OF-OURS"
        unit.save()
        self.inspect(unit)
        self.upload(f"units/{unit.tag}/photos", picture(), name="x.jpg", words="PHOTO-WORDS")
        self.approve(self.plan())
        self.release(unit)
        self.assertEqual(unit.stage, Stage.RELEASED)
        return unit

    def open_to_buyers(self, **other):
        view = self.api("get", "furnish/settings")
        told = {"public_pages": True, "public_address": "https://shop.example"} | other
        body = {"document": view["settings"] | told, "started_from": view["version"]}
        self.api("put", "furnish/settings", body)


class Drawn(Papers):
    def test_a_paper_can_be_kept_and_read_aloud(self):
        unit = self.released()
        for kind in ("spec", "record"):
            data = self.api("get", f"units/{unit.tag}/papers/{kind}.pdf").content
            with pikepdf.open(io.BytesIO(data)) as pdf:
                with pdf.open_metadata() as told:
                    self.assertEqual((told["pdfaid:part"], told["pdfaid:conformance"]), ("2", "U"))
                self.assertEqual(str(pdf.Root.Lang), "en")
                self.assertIn("/DestOutputProfile", pdf.Root.OutputIntents[0])
                for page in pdf.pages:
                    used = [font for _, font in page.Resources.Font.items()]
                    embedded = [font for font in used if "/FontDescriptor" in font]
                    self.assertTrue(embedded)
                    self.assertTrue(all("/ToUnicode" in font for font in embedded))
                    self.assertEqual(unmarked(page), [], kind)
                said = list(pdf.Root.StructTreeRoot.K.K)
                roles = [str(one.S) for one in said]
                self.assertEqual(roles[0], "/H1")
                self.assertIn("/H2", roles)
                marks = list(pdf.Root.StructTreeRoot.ParentTree.Nums)
                for page, elements in zip(marks[0::2], marks[1::2], strict=True):
                    self.assertEqual([int(one.K) for one in elements], [*range(len(elements))])
                    self.assertEqual(int(pdf.pages[int(page)].StructParents), int(page))

    def test_the_pdf_says_what_the_data_says(self):
        unit = self.released()
        for kind in ("spec", "record"):
            told = self.api("get", f"units/{unit.tag}/papers/{kind}")
            pdf = self.api("get", f"units/{unit.tag}/papers/{kind}.pdf").content
            words = text_of(pdf)
            self.assertIn(told["title"], words)
            for part in told["parts"]:
                self.assertIn(part["heading"], words)
                for line in part["lines"]:
                    self.assertIn(" ".join(line["label"].split()), words)
                    self.assertIn(line["text"].split()[0], words)

    def test_fonts_are_embedded_and_the_same_paper_is_the_same_file(self):
        unit = self.released()
        one, two = (self.api("get", f"units/{unit.tag}/papers/spec.pdf").content for _ in "ab")
        self.assertEqual(one, two)
        fonts = PdfReader(io.BytesIO(one)).pages[0]["/Resources"]["/Font"]
        names = [font.get_object()["/BaseFont"] for font in fonts.values()]
        self.assertTrue(any("Vera" in name for name in names), names)

    def test_the_record_names_evidence_by_its_hash_and_is_not_everybodys(self):
        unit = self.released()
        told = json.dumps(self.api("get", f"units/{unit.tag}/papers/record"))
        self.assertIn("SHA-256", told)
        self.assertIn(unit.serial, told)
        self.api("get", f"units/{unit.tag}/papers/record", status=403, person=self.ines)
        self.api("get", f"units/{unit.tag}/papers/certificate", status=404)
        self.api("get", f"units/{unit.tag}/papers/smell", status=422)

    def test_a_unit_that_was_never_released_has_no_paper(self):
        (unit,) = self.announce("stilt")
        said = self.api("get", f"units/{unit.tag}/papers/spec", status=404)
        self.assertIn("not released", said["detail"])

    def test_the_certificate_counts_the_batch(self):
        self.released()
        (scrap,) = self.announce("stilt")
        self.inspect(scrap, starts="x")
        Unit.objects.filter(pk=scrap.pk).update(stage=Stage.RECYCLED)
        told = self.api("get", f"batches/{self.batch.slug}/certificate")
        lines = {line["label"]: line["text"] for part in told["parts"] for line in part["lines"]}
        self.assertEqual((lines["Released"], lines["Recycled"]), ("1", "1"))
        self.assertTrue(any(text.endswith("by the model sheets") for text in lines.values()))
        self.assertTrue(any("overwritten once" in label for label in lines))
        pdf = self.api("get", f"batches/{self.batch.slug}/certificate.pdf").content
        self.assertIn("Certificate of", text_of(pdf))


class OfOnesOwn(Papers):
    def settle(self, **changes):
        view = self.api("get", "furnish/settings")
        document = view["settings"] | changes
        body = {"document": document, "started_from": view["version"], "words": ""}
        return self.api("put", "furnish/settings", body)

    def test_address_and_recycling_rules_stand_on_papers(self):
        self.settle(address="Quay 4\nTidewright", recycling_rules="Glass apart, by the yard.")
        unit = self.released()
        spec = self.api("get", f"units/{unit.tag}/papers/spec.pdf").content
        self.assertIn("Quay 4", text_of(spec))
        Unit.objects.filter(pk=unit.pk).update(stage=Stage.RECYCLED)
        told = self.api("get", f"batches/{self.batch.slug}/certificate.pdf").content
        self.assertIn("Glass apart", text_of(told))
        self.assertIn("Glass apart", self.api("get", "workshop")["recycling_rules"])

    def test_labels_are_printed_in_a_size_of_the_workshop(self):
        own = {"key": "own", "name": "own", "width_mm": 62, "height_mm": 31}
        self.settle(own_labels=[own], unit_label="own", door_label="own")
        unit = self.released()
        for path in (f"units/{unit.tag}/label.pdf", f"batches/{self.batch.slug}/labels.pdf"):
            page = PdfReader(io.BytesIO(self.api("get", path).content)).pages[0]
            width, height = (round(float(side) / 72 * 25.4) for side in page.mediabox[2:])
            self.assertEqual((width, height), (62, 31), path)
        self.assertEqual(self.api("get", "labels")["usual"], "own")
        self.assertEqual(self.api("get", f"units/{unit.tag}/release")["label_size"]["key"], "own")


class OfMany(Papers):
    def job(self, *units: Unit, kind="spec", status=200) -> dict:
        body = {"kind": kind, "tags": [unit.tag for unit in units]}
        return self.api("post", "papers/jobs", body, status=status)

    def pages(self, number: int) -> list[str]:
        pdf = self.api("get", f"papers/jobs/{number}.pdf").content
        return [page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages]

    def test_a_few_are_drawn_at_once_in_the_order_asked(self):
        units = [self.released() for _ in range(2)]
        for kind in ("spec", "record", "labels"):
            done = self.job(*units[::-1], kind=kind)
            self.assertEqual((done["state"], done["ended"], done["done"]), ("done", True, 2))
            pages = self.pages(done["id"])
            self.assertIn(units[1].tag, pages[0])
            self.assertTrue(any(units[0].tag in page for page in pages))

    def test_many_are_for_a_worker_that_tells_and_stops(self):
        units = [self.released() for _ in range(3)]
        with mock.patch.object(many, "AT_ONCE", 1), mock.patch.object(many, "TOLD_EVERY", 1):
            with mock.patch.object(many, "draw_in_background") as queued:
                first, second = self.job(*units), self.job(*units)
            self.assertEqual(queued.enqueue.call_count, 2)
            self.assertEqual((first["state"], first["ended"]), ("waiting", False))
            self.api("get", f"papers/jobs/{first['id']}.pdf", status=404)
            many.draw_in_background.func(first["id"])
            self.assertEqual(len(self.pages(first["id"])), 3)
            stopped = self.api("post", f"papers/jobs/{second['id']}/stop")
            self.assertEqual(stopped["state"], "stopped")
            many.draw_in_background.func(second["id"])
            third = PaperJob.objects.create(
                kind="spec", tags=[u.tag for u in units], stop_wanted=True, by=self.marit
            )
            many.draw_in_background.func(third.pk)
            third.refresh_from_db()
            self.assertEqual((third.state, third.data), (JobState.STOPPED, None))

    def test_what_is_not_released_refuses_and_anothers_are_not_to_be_had(self):
        unit = self.released()
        (other,) = self.announce("stilt")
        said = self.job(unit, other, status=404)
        self.assertIn("not released", said["detail"])
        self.assertFalse(PaperJob.objects.exists())
        done = self.job(unit)
        self.api("get", f"papers/jobs/{done['id']}", status=404, person=self.ines)
        self.api("post", "papers/jobs", {"kind": "spec", "tags": []}, status=422)
        PaperJob.objects.update(at=timezone.now() - timedelta(days=2))
        self.job(unit)
        self.assertFalse(PaperJob.objects.filter(pk=done["id"]).exists())


class Buyers(Papers):
    def page(self, unit: Unit, more: str = "", valid: bool | None = True):
        release = unit.releases.filter(valid=valid).first()
        return Client().get(f"/p/{release.public_key}{more}")

    def test_it_is_closed_until_the_workshop_opens_it(self):
        unit = self.released()
        self.assertEqual(self.page(unit).status_code, 404)
        self.open_to_buyers()
        self.assertEqual(self.page(unit).status_code, 200)

    def test_it_shows_what_the_spec_sheet_shows_and_nothing_internal(self):
        unit = self.released()
        self.open_to_buyers()
        told = self.page(unit).content.decode() + self.page(unit, ".json").content.decode()
        self.assertIn("Quarrin Stilt Q2", told)
        self.assertIn("overwritten once, read back", told)
        secrets = {unit.serial, unit.notes, "NOTE-OF-OURS", "PHOTO-WORDS", "price", "cost"}
        secrets |= set(Person.objects.values_list("name", flat=True))
        secrets |= {self.batch.name, self.batch.slug, self.batch.source + "-"}
        secrets |= {f"{m.reason}" for m in Movement.objects.filter(unit=unit)}
        outcome = unit.outcomes.get()
        secrets |= {str(outcome.contribution_cents), outcome.reason, outcome.runner_up}
        for secret in secrets - {""}:
            self.assertNotIn(secret, told)

    def shown(self, unit: Unit, *numbers: int, known=(), status=200, **marks):
        told = [
            {"number": n, "words": f"view {n}", "marks": marks.get(f"m{n}", [])} for n in numbers
        ]
        body = {"shown": told, "known": list(known)}
        return self.api("put", f"units/{unit.tag}/pictures", body, status=status)

    def test_pictures_for_the_buyer_in_their_order_with_marks(self):
        unit = self.released()
        self.open_to_buyers()
        (inside,) = self.api("get", f"units/{unit.tag}/pictures")
        self.assertFalse(inside["shown"])
        self.assertEqual(self.page(unit, "/1.jpg").status_code, 404)
        taken = self.upload(f"units/{unit.tag}/pictures", picture(), name="x.jpg", words="lid")
        lid = taken[0]["number"]
        self.assertEqual([one["shown"] for one in taken], [True, False])
        mark = {"x": 0.25, "y": 0.5, "words": "<scratch> 2 cm"}
        self.shown(unit, inside["number"], lid, known=[9], status=422)
        self.shown(unit, inside["number"], lid, known=[lid], **{f"m{lid}": [mark]})
        page = self.page(unit).content.decode()
        self.assertIn(f'href="/p/{unit.releases.get().public_key}/2.jpg"', page)
        self.assertIn("1 &lt;scratch&gt; 2 cm", page)
        self.assertNotIn("<scratch>", page)
        data = self.page(unit, ".json").json()
        self.assertTrue(data["image"][1].endswith("/2.jpg"))
        self.assertEqual(self.page(unit, "/2.jpg")["Content-Type"], "image/jpeg")
        self.assertEqual(self.page(unit, "/3.jpg").status_code, 404)
        (group,) = self.api("get", "shelf")["groups"]
        self.assertEqual((group["pictured"], group["picture"]), (unit.tag, inside["number"]))
        self.api("post", f"units/{unit.tag}/release/back")
        self.assertEqual(self.page(unit, "/1.jpg", valid=None).status_code, 404)

    def test_only_the_releaser_chooses_them(self):
        unit = self.released()
        body = {"shown": [], "known": []}
        self.api("put", f"units/{unit.tag}/pictures", body, status=403, person=self.ines)

    def test_the_code_of_the_label_opens_it_and_leads_back_here(self):
        unit = self.released()
        drawn = self.api("get", f"units/{unit.tag}/code.svg").content
        self.assertEqual(drawn, code_svg(unit.tag))
        self.open_to_buyers()
        address = f"https://shop.example/p/{unit.releases.get().public_key}"
        drawn = self.api("get", f"units/{unit.tag}/code.svg").content
        self.assertEqual(drawn, code_svg(address))
        found = self.api("get", f"codes?{urlencode({'codes': address})}")
        self.assertEqual(found["code"], unit.tag)
        self.api("get", f"codes?{urlencode({'codes': address[:-1] + '~'})}", status=404)
        body = {"buyer": "Quay", "price_cents": None}
        self.api("post", f"units/{unit.tag}/sale/reserve", body)
        wrong = f"https://shop.example/p/{'x' * 22}"
        self.api("post", f"units/{unit.tag}/sale/pack", {"code": wrong}, status=422)
        packed = self.api("post", f"units/{unit.tag}/sale/pack", {"code": address})
        self.assertEqual(packed["state"], "packed")

    def test_it_is_product_data_that_reads(self):
        unit = self.released()
        self.open_to_buyers()
        data = self.page(unit, ".json").json()
        self.assertEqual((data["@type"], data["sku"]), ("Product", unit.tag))
        self.assertTrue(data["url"].startswith("https://shop.example/p/"))

    def test_drawn_back_it_says_void_and_so_do_the_papers(self):
        unit = self.released()
        self.open_to_buyers()
        self.api("post", f"units/{unit.tag}/release/back")
        page = self.page(unit, valid=None)
        self.assertContains(page, "VOID")
        self.assertIn("Discontinued", self.page(unit, ".json", None).content.decode())
        pdf = self.api("get", f"units/{unit.tag}/papers/spec.pdf").content
        self.assertIn("VOID", text_of(pdf))

    def test_addresses_are_not_guessed_and_all_that_are_none_look_alike(self):
        self.released()
        self.open_to_buyers()
        answers = {
            (answer.status_code, answer.content)
            for key in ("x", "x" * 22, "../../etc", "x" * 400, "%00", "TW-0001")
            for answer in [Client().get(f"/p/{key}")]
            if b"There is no such page" in answer.content
        }
        self.assertEqual(len(answers), 1)
        self.assertEqual(Client().post("/p/" + "x" * 22).status_code, 404)

    def test_somebody_who_asks_and_asks_is_told_to_wait(self):
        unit = self.released()
        self.open_to_buyers()
        # All in one minute, however long this machine takes for it.
        with mock.patch("sortis_server.papers.public.time") as clock:
            clock.time.return_value = 6_000.0
            codes = [self.page(unit).status_code for _ in range(MOST_A_MINUTE + 1)]
            self.assertEqual(codes[-2:], [200, 429])
            clock.time.return_value = 6_060.0
            self.assertEqual(self.page(unit).status_code, 200)

    def test_an_address_that_is_none_is_refused(self):
        view = self.api("get", "furnish/settings")
        for wrong in ("shop.example", "javascript:alert(1)", "https://x/y?z"):
            document = view["settings"] | {"public_address": wrong}
            body = {"document": document, "started_from": view["version"]}
            self.api("put", "furnish/settings", body, status=422)
