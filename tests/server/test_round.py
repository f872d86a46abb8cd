"""A counting round: blind, all or nothing, and taken back by one key."""

from django.test import TestCase

from sortis_server.stock.models import Lot, Movement, Purchase
from sortis_server.workshop.models import OfferRow, PartKindRow
from sortis_server.workshop.services import part_kind
from tests.server.workshop import Workshop


class Rounds(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def lots(self, place=""):
        return self.api("get", f"stock/round?place={place}")["lots"]

    def keep(self, lots, **more):
        body = {"lots": [{k: lot[k] for k in ("lot", "last", "counted")} for lot in lots]}
        return self.api("post", "stock/round", body, **more)

    def books(self):
        return dict(Lot.objects.values_list("pk", "on_hand"))

    def test_the_books_are_not_said_and_a_place_is_counted_alone(self):
        view = self.api("get", "stock/round")
        self.assertNotIn("on_hand", view["lots"][0])
        place = view["places"][0]
        here = self.lots(place)
        self.assertEqual({lot["place"] for lot in here}, {place})
        self.assertLess(len(here), len(view["lots"]))

    def test_what_was_counted_is_set_right_and_taken_back_together(self):
        before = self.books()
        first, second, third = self.lots()[:3]
        told = self.keep(
            [
                first | {"counted": before[first["lot"]] + 2},
                second | {"counted": 0},
                third | {"counted": before[third["lot"]]},
            ]
        )
        self.assertEqual((len(told["differences"]), told["right"]), (2, 1))
        now = self.books()
        self.assertEqual(now[first["lot"]], before[first["lot"]] + 2)
        self.assertEqual(now[second["lot"]], 0)
        untouched = set(before) - {first["lot"], second["lot"]}
        self.assertTrue(all(now[pk] == before[pk] for pk in untouched))
        self.api("post", f"stock/acts/{told['act']}/back")
        self.assertEqual(self.books(), before)

    def test_books_that_were_right_are_no_act(self):
        (lot,) = self.lots()[:1]
        self.assertIsNone(self.keep([lot | {"counted": self.books()[lot["lot"]]}])["act"])

    def test_a_refused_round_changes_nothing(self):
        before = self.books()
        first, second = self.lots()[:2]
        Lot.objects.filter(pk=second["lot"]).update(promised=1)
        given = [first | {"counted": 0}, second | {"counted": 0}]
        said = self.keep(given, status=422)
        self.assertIn(f"{second['code']} (0 found, 1 promised)", said["detail"])
        self.assertEqual(self.books(), before)
        Lot.objects.filter(pk=second["lot"]).update(promised=0)
        moved = {"counted": before[second["lot"]] + 1, "words": "one more found"}
        self.api("post", f"stock/lots/{second['lot']}/counted", moved)
        said = self.keep(given, status=422)
        self.assertIn(f"{second['code']} moved while you counted", said["detail"])
        self.assertEqual(self.books()[first["lot"]], before[first["lot"]])
        self.keep([], status=422)
        self.keep([first | {"lot": 999_999, "counted": 1}], status=404)

    def test_counting_is_the_storekeepers(self):
        lot = self.lots()[0]
        movements = Movement.objects.count()
        self.keep([lot | {"counted": 0}], status=403, person=self.ines)
        self.api("get", "stock/round", status=403, person=self.ines)
        self.assertEqual(Movement.objects.count(), movements)


class Least(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def kind(self):
        return next(
            one for one in self.api("get", "stock")["kinds"] if one["key"] == "sodimm-ddr4-16"
        )

    def keep_at_least(self, count):
        row = PartKindRow.objects.get(key="sodimm-ddr4-16")
        before = part_kind(row).model_dump(mode="json")
        document = before | {"least": count}
        self.api("put", "furnish/kinds", {"document": document, "before": before})

    def refills(self):
        return [one for one in self.api("get", "today")["next"] if one["doing"] == "refill"]

    def test_what_falls_below_its_least_is_to_be_bought(self):
        free = self.kind()["free"]
        self.assertEqual((self.kind()["least"], self.kind()["short"]), (0, 0))
        self.keep_at_least(free)
        self.assertEqual(self.kind()["short"], 0)
        self.assertEqual(self.refills(), [])
        self.keep_at_least(free + 3)
        self.assertEqual(self.kind()["short"], 3)
        self.assertIn("one part kind", self.refills()[0]["sentence"])

    def test_what_is_coming_and_waits_for_nobody_counts(self):
        self.keep_at_least(self.kind()["free"] + 3)
        offer = OfferRow.objects.filter(kind__key="sodimm-ddr4-16").first()
        batch = self.announce("stilt")[0].batch
        Purchase.objects.create(offer=offer, batch=batch, count=2, price_cents=100)
        self.assertEqual(self.kind()["short"], 1)
