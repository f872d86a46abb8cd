"""Sold, and back again: two never get one unit, and what comes back starts anew."""

import threading

from django.db import connection
from django.test import TransactionTestCase

from sortis_core.base import SortisError
from sortis_core.stages import Stage
from sortis_server.arrive.models import Unit
from sortis_server.sell.models import Sale
from sortis_server.sell.services import reserve
from tests.server.test_papers import Papers
from tests.server.workshop import Workshop


class Selling(Papers):
    def act(self, unit: Unit, step: str, body: dict | None = None, status: int = 200, **more):
        return self.api("post", f"units/{unit.tag}/sale/{step}", body or {}, status=status, **more)

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
        self.assertIn("fan rattles", view["notes"])
        told = [e["words"] for e in self.api("get", f"units/{unit.tag}/story")["events"]]
        self.assertTrue(any("handed over" in words for words in told))
        self.assertTrue(any("returned, fan rattles" in words for words in told))

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
        released = Papers.released(self)
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
