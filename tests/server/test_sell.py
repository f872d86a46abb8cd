"""Sold, and back again: two never get one unit, and what comes back starts anew."""

import csv
import io
import os
import threading
from datetime import timedelta
from importlib import import_module
from unittest import mock

from django.apps import apps
from django.db import connection
from django.test import TransactionTestCase
from django.utils import timezone
from openpyxl import load_workbook

from sortis_core.base import SortisError
from sortis_core.stages import Stage
from sortis_server.arrive.models import Unit
from sortis_server.decide.models import CustomerOrder
from sortis_server.release.models import GateWaiver
from sortis_server.sell.models import MarketAnswer, Sale
from sortis_server.sell.services import reserve
from standins.market import Market
from standins.market import server as market_server
from tests.server.test_papers import Papers, text_of
from tests.server.workshop import Workshop


class Sold(Papers):
    def act(self, unit: Unit, step: str, body: dict | None = None, status: int = 200, **more):
        return self.api("post", f"units/{unit.tag}/sale/{step}", body or {}, status=status, **more)


class Selling(Sold):
    def test_from_the_shelf_to_the_buyer_and_back(self):
        unit = self.released()
        (group,) = self.api("get", "shelf")["groups"]
        self.assertEqual((group["free"], group["tags"]), (1, [unit.tag]))
        sale = self.act(unit, "reserve", {"buyer": "Harbour school"})
        self.assertEqual(sale["price_cents"], group["price_cents"])
        self.act(unit, "reserve", {"buyer": "Another"}, 422)
        self.api("post", f"units/{unit.tag}/release/back", status=422)
        self.act(unit, "hand-over", status=422)
        self.assertIn("was sold", self.act(unit, "pack", {"code": "TW-9999"}, 422)["detail"])
        self.act(unit, "pack", {"code": unit.serial})
        self.act(unit, "hand-over")
        self.assertEqual(self.stage(unit), Stage.SOLD)
        shelf = self.api("get", "shelf")
        self.assertEqual((shelf["groups"], shelf["sold"]), ([], 1))
        self.assertEqual(shelf["income_cents"], sale["price_cents"])
        self.act(unit, "cancel", {"reason": "x"}, 422)
        self.act(unit, "return", {"reason": "."}, 422)
        self.act(unit, "return", {"reason": "fan rattles"})
        self.assertEqual(self.stage(unit), Stage.INSPECT)
        self.assertFalse(unit.releases.filter(valid=True).exists())
        self.assertFalse(unit.signatures.filter(valid=True).exists())
        view = self.api("get", f"units/{unit.tag}/inspection")
        self.assertEqual((view["back_for"], view["notes"]), ("came back: fan rattles", unit.notes))
        told = [e["words"] for e in self.api("get", f"units/{unit.tag}/story")["events"]]
        self.assertTrue(any("handed over" in words for words in told))
        self.assertTrue(any("returned, fan rattles" in words for words in told))
        first = self.api("get", f"units/{unit.tag}/story")["events"][0]
        self.assertEqual(first["details"], [unit.notes])

    def test_what_was_waived_for_one_buyer_is_not_for_the_next(self):
        unit = self.released()
        GateWaiver.objects.create(
            unit=unit, gate="x", about="Clock set", reason="as agreed", told=True, by=self.marit
        )
        for step, body in (
            ("reserve", {"buyer": "Harbour school"}),
            ("pack", {"code": unit.tag}),
            ("hand-over", {}),
            ("return", {"reason": "fan rattles"}),
        ):
            self.act(unit, step, body)
        self.assertFalse(GateWaiver.objects.filter(valid=True).exists())

    def test_a_cancelled_one_is_back_on_the_shelf(self):
        unit = self.released()
        self.act(unit, "reserve", {"buyer": "Harbour school"})
        self.assertEqual(self.api("get", "shelf")["groups"][0]["free"], 0)
        self.assertEqual(self.api("get", "shelf/listing.json")["groups"], [])
        self.act(unit, "cancel", {"reason": "changed their mind"})
        self.assertEqual(self.api("get", "shelf")["groups"][0]["free"], 1)
        self.act(unit, "reserve", {"buyer": "Another", "price_cents": 5})

    def test_what_was_never_sold_does_not_come_back(self):
        (unit,) = self.announce("stilt")
        self.assertIn("not sold", self.act(unit, "return", {"reason": "broken"}, 422)["detail"])
        self.act(unit, "reserve", {"buyer": "x"}, 422)

    def test_the_listing_leaves_as_csv_and_json(self):
        unit = self.released()
        listing = self.api("get", "shelf/listing.json")
        self.assertEqual(listing["format"], "sortis-listing-4")
        csv = self.api("get", "shelf/listing.csv").content.decode()
        self.assertIn(unit.tag, csv)
        self.assertNotIn(unit.serial, csv)

    def test_only_a_releaser_sells_and_not_everybody_sees_prices(self):
        unit = self.released()
        self.act(unit, "reserve", {"buyer": "x"}, 403, person=self.ines)
        self.api("get", "shelf", status=403, person=self.ines)


class AtOnce(Workshop, TransactionTestCase):
    def setUp(self):
        self.furnish()

    def test_two_sell_one_unit_and_one_is_told(self):
        released = Papers.one_more_released(self)
        gate = threading.Barrier(4)
        won: list[str] = []
        told: list[str] = []

        def sell(buyer: str):
            try:
                gate.wait()
                won.append(reserve(released.tag, buyer, None, self.marit).buyer)
            except SortisError as refusal:
                told.append(refusal.sentence)
            finally:
                connection.close()

        threads = [threading.Thread(target=sell, args=(f"buyer {n}",)) for n in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual((len(won), len(told)), (1, 3))
        self.assertEqual(Sale.objects.filter(open_unit__isnull=False).count(), 1)


class OnPaper(Sold):
    """What is packed and what leaves, on paper and in spreadsheets."""

    def text(self, path: str, **more) -> str:
        return " ".join(text_of(self.api("get", path, **more).content).split())

    def test_why_a_unit_is_back_is_parted_from_what_its_list_had_noted(self):
        told = {
            "came back: fan rattles; dent": ("came back: fan rattles", "dent"),
            "came back: fan rattles": ("came back: fan rattles", ""),
            "Not as written: slot 2 cracked; seen": ("Not as written: slot 2 cracked; seen", ""),
            "dent; came back: never": ("", "dent; came back: never"),
        }
        units = self.announce(*["stilt"] * len(told))
        for unit, notes in zip(units, told, strict=True):
            unit.notes = notes
            unit.save()
        moved = import_module("sortis_server.arrive.migrations.0009_why_a_unit_is_back")
        moved.out_of_the_notes(apps, None)
        for unit, expected in zip(units, told.values(), strict=True):
            unit.refresh_from_db()
            self.assertEqual((unit.back_for, unit.notes), expected)

    def test_a_wrong_unit_in_hand_is_told_by_its_tag(self):
        unit, other = self.released(), self.released()
        self.act(unit, "reserve", {"buyer": "Harbour school"})
        for code in (other.tag.lower(), other.serial):
            said = self.act(unit, "pack", {"code": code}, 422)["detail"]
            self.assertIn(f"The code scanned is {other.tag}; {unit.tag} was sold", said)
        self.act(unit, "pack", {"code": unit.tag.lower()})

    def test_a_pick_list_names_what_is_reserved_and_a_note_what_is_packed(self):
        one, two = self.released(), self.released()
        Unit.objects.filter(pk=one.pk).update(comes_with="65 W adapter")
        for unit in (one, two):
            self.act(unit, "reserve", {"buyer": "Harbour school"})
        listed = self.text("shelf/pick-list.pdf")
        for said in ("2 to pack, for Harbour school", one.tag, two.tag, "65 W adapter"):
            self.assertIn(said, listed)
        self.api("get", "shelf/delivery.pdf?buyer=Harbour school", status=404)
        self.act(one, "pack", {"code": one.tag})
        note = self.text("shelf/delivery.pdf?buyer=Harbour school")
        self.assertIn("Delivery note for Harbour school", note)
        self.assertIn(one.tag, note)
        self.assertNotIn(two.tag, note)
        self.assertIn("1 to pack", self.text("shelf/pick-list.pdf"))
        self.api("get", "shelf/pick-list.pdf", status=403, person=self.ines)

    def test_the_listing_is_the_same_in_every_format(self):
        unit = self.released()
        book = load_workbook(io.BytesIO(self.api("get", "shelf/listing.xlsx").content))
        rows = [[str(cell) for cell in row] for row in book.active.iter_rows(values_only=True)]
        read = self.api("get", "shelf/listing.csv").content.decode("utf-8-sig")
        self.assertEqual(rows, list(csv.reader(io.StringIO(read))))
        self.assertEqual(rows[1][-1], unit.tag)
        self.api("get", "shelf/listing.xlsx", status=403, person=self.ines)

    def test_what_waits_becomes_cheaper_by_the_workshops_steps_and_says_so_before(self):
        unit = self.released()
        (group,) = self.api("get", "shelf")["groups"]
        full = group["price_cents"]
        view = self.api("get", "furnish/settings")
        steps = [{"days": 30, "percent": 10}, {"days": 60, "percent": 20}]
        document = view["settings"] | {"age_steps": steps}
        body = {"document": document, "started_from": view["version"], "words": ""}
        self.api("put", "furnish/settings", body)
        (group,) = self.api("get", "shelf")["groups"]
        self.assertEqual((group["price_cents"], group["price"]["next_in_days"]), (full, 30))
        unit.releases.update(at=timezone.now() - timedelta(days=35))
        (group,) = self.api("get", "shelf")["groups"]
        self.assertEqual(group["price_cents"], group["price"]["cents"])
        self.assertLess(group["price_cents"], full)
        self.assertEqual(group["price"]["next_in_days"], 25)
        sale = self.act(unit, "reserve", {"buyer": "Harbour school"})
        self.assertEqual(sale["price_cents"], group["price_cents"])


class AtTheMarket(Sold):
    """A market that is slow, answers twice, and orders what is gone."""

    def market(self, *orders: dict, seed: int = 3) -> Market:
        made = Market(seed)
        device = market_server(0, made)
        threading.Thread(target=device.serve_forever, daemon=True).start()
        self.addCleanup(device.shutdown)
        address = f"http://127.0.0.1:{device.server_address[1]}"
        for one in (
            mock.patch.dict(os.environ, {"SORTIS_MARKET_URL": address}),
            mock.patch("standins.market.SLOW_SECONDS", 0.0),
        ):
            one.start()
            self.addCleanup(one.stop)
        return made

    def order(self, made: Market, group: str, number="MK-1", count=1, price=10**7):
        made.waiting[number] = {
            "number": number,
            "buyer": "Net loft",
            "group": group,
            "count": count,
            "price_cents": price,
        }

    def fetch(self, **more):
        return self.api("post", "shelf/market/orders", **more)

    def test_what_is_listed_is_ordered_reserved_and_answered_once(self):
        unit = self.released()
        made = self.market()
        self.assertEqual(self.api("post", "shelf/market/listing"), {"groups": 1})
        (told,) = self.fetch()
        self.assertEqual((told["verdict"], told["tags"]), ("taken", [unit.tag]))
        sale = Sale.objects.get()
        self.assertEqual(sale.price_cents, made.listed[0]["price_cents"])
        self.assertEqual(made.waiting, {})
        self.assertTrue(MarketAnswer.objects.get().told)

    def test_an_order_that_comes_again_is_not_taken_again(self):
        self.released()
        self.released()
        made = self.market()
        self.api("post", "shelf/market/listing")
        made.waiting.clear()
        key = made.listed[0]["key"]
        self.order(made, key)
        self.fetch()
        self.order(made, key)
        (told,) = self.fetch()
        self.assertEqual((told["verdict"], told["tags"]), ("known", []))
        self.assertEqual(Sale.objects.count(), 1)

    def test_what_is_gone_or_too_cheap_is_answered_so(self):
        unit = self.released()
        made = self.market()
        self.api("post", "shelf/market/listing")
        made.waiting.clear()
        key = made.listed[0]["key"]
        self.order(made, key, "MK-1", price=1)
        self.order(made, "0" * 16, "MK-2")
        self.assertEqual([one["verdict"] for one in self.fetch()], ["cheap", "gone"])
        self.act(unit, "reserve", {"buyer": "Harbour school"})
        self.order(made, key, "MK-3")
        (told,) = self.fetch()
        self.assertIn("none of what was ordered", told["sentence"])
        self.assertEqual(Sale.objects.count(), 1)

    def test_an_answer_that_is_none_takes_nothing(self):
        self.released()
        made = self.market()
        self.order(made, "k", count=10**9)
        self.assertIn("does not read", self.fetch(status=422)["detail"])
        self.assertFalse(MarketAnswer.objects.exists())
        self.fetch(status=403, person=self.ines)

    def test_without_a_market_the_listing_is_a_file(self):
        self.assertIn("No market is set up", self.fetch(status=422)["detail"])
        self.assertFalse(self.api("get", "shelf")["market"])


class ForACustomer(Sold):
    """Orders of customers filled from the shelf, by scan."""

    def order(self, standard="desk-ready", count=1, **more):
        return CustomerOrder.objects.create(
            batch=self.batch,
            customer="Net loft",
            standard=standard,
            count=count,
            by=self.marit,
            **more,
        )

    def fill(self, order, code, status=200, **more):
        path = f"shelf/orders/{order.pk}/fill"
        return self.api("post", path, {"code": code}, status=status, **more)

    def key(self, unit) -> str:
        return unit.releases.get(valid=True).standard_key

    def test_a_scan_sets_the_unit_aside_until_the_order_is_full(self):
        one, two = self.released(), self.released()
        order = self.order(self.key(one), count=1)
        (told,) = self.api("get", "shelf")["orders"]
        self.assertEqual((told["filled"], told["count"], told["next_tag"]), (0, 1, one.tag))
        self.assertEqual(self.fill(order, one.serial)["buyer"], "Net loft")
        self.assertEqual(Sale.objects.get().customer_order_id, order.pk)
        self.assertEqual(self.api("get", "shelf")["orders"], [])
        self.assertIn("is full", self.fill(order, two.tag, 422)["detail"])
        self.act(one, "cancel", {"reason": "changed their mind"})
        self.fill(order, two.tag)

    def test_what_is_not_for_it_is_refused_with_what_to_take(self):
        unit = self.released()
        better = self.released()
        better.releases.update(standard_key="field-ready", standard_version=1)
        unit.releases.update(standard_key="class-set", standard_version=1)
        said = self.fill(self.order("class-set"), better.tag, 422)["detail"]
        self.assertIn(
            f"that was ordered, and one of just that is there. Take {unit.tag}",
            said,
        )
        said = self.fill(self.order("desk-ready"), unit.tag, 422)["detail"]
        self.assertIn(f"ordered Desk ready. Take {better.tag}", said)
        other = self.order(self.key(unit), sheets=["tolva-lern-11"])
        self.assertIn("did not ask", self.fill(other, unit.tag, 422)["detail"])
        self.fill(other, "ZZ-1", 404)
        self.api("post", "shelf/orders/9999/fill", {"code": unit.tag}, status=404)
        self.fill(other, unit.tag, 403, person=self.ines)
        self.assertFalse(Sale.objects.exists())

    def test_an_order_taken_off_leaves_the_sale(self):
        unit = self.released()
        order = self.order(self.key(unit))
        self.fill(order, unit.tag)
        self.api("delete", f"batches/{self.batch.slug}/customer-orders/{order.pk}")
        self.assertIsNone(Sale.objects.get().customer_order_id)
