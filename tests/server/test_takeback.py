"""Big keys are taken back: everything lies as before, and both stay on record."""

from django.test import TestCase

from sortis_core.stages import Stage
from sortis_core.stock import Condition
from sortis_server.orders.models import Outcome, Reservation, WorkOrderRow
from sortis_server.stock.models import Act, Lot, Movement, Purchase
from sortis_server.workshop.models import OfferRow
from tests.server.workshop import Workshop


class Taking(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def store(self) -> dict:
        """All that counts in the store."""
        lots = Lot.objects.exclude(on_hand=0, promised=0).order_by("pk")
        return {
            "lots": list(lots.values_list("pk", "on_hand", "promised")),
            "promises": list(
                Reservation.objects.order_by("pk").values_list(
                    "pk", "lot", "purchase", "giver", "lost"
                )
            ),
            "purchases": list(Purchase.objects.order_by("pk").values_list("pk", "state", "lot")),
            "offers": list(OfferRow.objects.order_by("pk").values_list("pk", "limit")),
        }

    def story(self, unit) -> list[tuple[str, str]]:
        told = self.api("get", f"units/{unit.tag}/story")["events"]
        return [(event["kind"], event["words"]) for event in told]

    def approved(self, *units, **entries):
        for unit in units:
            self.inspect(unit, **entries)
        plan = self.plan(money_cents=40_000)
        self.approve(plan)
        return plan


class Approvals(Taking):
    def test_an_approval_goes_back_with_everything_it_promised(self):
        units = self.announce("stilt", "stilt", "folio")
        self.inspect(units[0], m2="-", d1="-")
        self.inspect(units[1], speaker="-")
        self.inspect(units[2], d1="-")
        plan = self.plan(money_cents=40_000)
        before = self.store()
        self.approve(plan)
        self.assertNotEqual(self.store(), before)
        path = f"batches/{self.batch.slug}/plan/{plan['number']}/back"
        back = self.api("post", path)
        self.assertEqual((back["state"], back["approved_by"]), ("solved", ""))
        self.assertEqual(self.store(), before)
        self.assertEqual({self.stage(unit) for unit in units}, {Stage.DECIDE})
        self.assertFalse(WorkOrderRow.objects.filter(state="open").exists())
        self.assertFalse(Outcome.objects.filter(valid=True).exists())
        kinds = [kind for kind, _ in self.story(units[0])]
        self.assertEqual(kinds[-2:], ["decided", "taken_back"])

    def test_it_can_be_approved_again_and_counts_once(self):
        (unit,) = self.announce("stilt")
        plan = self.approved(unit, m2="-")
        path = f"batches/{self.batch.slug}/plan/{plan['number']}"
        self.api("post", f"{path}/back")
        self.api("post", f"{path}/approve")
        self.assertEqual(Outcome.objects.filter(unit=unit, valid=True).count(), 1)
        self.assertEqual(Outcome.objects.filter(unit=unit).count(), 2)
        self.assertEqual(self.stage(unit), Stage.FIT)

    def test_what_began_keeps_it(self):
        (unit,) = self.announce("stilt")
        plan = self.approved(unit, m2="-")
        view = self.api("get", f"units/{unit.tag}/work")
        self.api("post", f"units/{unit.tag}/work/begin", {"version": view["version"]})
        path = f"batches/{self.batch.slug}/plan/{plan['number']}/back"
        said = self.api("post", path, status=422)
        self.assertIn(f"work on {unit.tag} has begun", said["detail"])
        self.assertEqual(self.stage(unit), Stage.FIT)

    def test_only_a_planner_takes_it_back(self):
        (unit,) = self.announce("stilt")
        plan = self.approved(unit, m2="-")
        path = f"batches/{self.batch.slug}/plan/{plan['number']}/back"
        self.api("post", path, status=403, person=self.ines)


class Releases(Taking):
    def at_the_last_check(self):
        (unit,) = self.announce("stilt")
        self.approved(unit)
        self.assertEqual(self.stage(unit), Stage.RELEASE)
        return unit

    def sign_all(self, unit):
        for _ in range(12):
            gates = self.api("get", f"units/{unit.tag}/release")["gates"]
            open_gate = next((g for g in gates if g["signable"] and not g["met"]), None)
            if open_gate is None:
                return
            words = "overwritten, seen by Sten" if open_gate["wants_words"] else ""
            body = {"gate": open_gate["gate"], "words": words}
            self.api("post", f"units/{unit.tag}/release/sign", body)

    def test_a_signature_goes_back_and_can_be_given_again(self):
        unit = self.at_the_last_check()
        self.sign_all(unit)
        gates = self.api("get", f"units/{unit.tag}/release")["gates"]
        signed = next(g["gate"] for g in gates if g["met"] and g["gate"] == "sanitised")
        back = self.api("post", f"units/{unit.tag}/release/sign/back", {"gate": signed})
        self.assertFalse(next(g for g in back["gates"] if g["gate"] == signed)["met"])
        self.api("post", f"units/{unit.tag}/release", status=422)
        self.sign_all(unit)
        self.api("post", f"units/{unit.tag}/release")
        kinds = [kind for kind, _ in self.story(unit)]
        self.assertEqual(kinds.count("taken_back"), 1)
        self.assertEqual(unit.signatures.filter(gate=signed).count(), 2)

    def test_a_gate_nobody_signed_has_nothing_to_go_back(self):
        unit = self.at_the_last_check()
        path = f"units/{unit.tag}/release/sign/back"
        self.api("post", path, {"gate": "sanitised"}, status=404)

    def test_a_release_goes_back_and_its_label_is_none(self):
        unit = self.at_the_last_check()
        self.sign_all(unit)
        self.api("post", f"units/{unit.tag}/release")
        said = self.api(
            "post", f"units/{unit.tag}/release/sign/back", {"gate": "sanitised"}, status=422
        )
        self.assertIn("release back first", said["detail"])
        back = self.api("post", f"units/{unit.tag}/release/back")
        self.assertEqual((back["stage"], back["released_by"]), ("release", ""))
        self.api("post", f"units/{unit.tag}/release/back", status=422)
        self.api("post", f"units/{unit.tag}/release")
        self.assertEqual(unit.releases.filter(valid=True).count(), 1)
        self.assertEqual(unit.releases.count(), 2)
        self.assertIn(("taken_back", "release; the label is void"), self.story(unit))


class Store(Taking):
    RECEIVED = {"kind": "sodimm-ddr4-8", "place": "C-9", "count": 4, "unit_cost_cents": 900}

    def back(self, act: int, status: int = 200):
        return self.api("post", f"stock/acts/{act}/back", status=status)

    def test_parts_booked_in_go_back_and_both_are_movements(self):
        before = self.store()
        lot = self.api("post", "stock/received", self.RECEIVED)
        self.assertEqual(self.back(lot["act"])["kind"], "received")
        self.assertEqual(self.store(), before)
        moves = Movement.objects.filter(lot=lot["id"]).order_by("pk")
        self.assertEqual([move.change for move in moves], [4, -4])
        self.assertIn("already", self.back(lot["act"], 422)["detail"])
        self.back(9_999, 404)

    def test_what_was_used_stays(self):
        lot = self.api("post", "stock/received", self.RECEIVED)
        Lot.objects.filter(pk=lot["id"]).update(promised=1)
        self.assertIn("used, promised or moved", self.back(lot["act"], 422)["detail"])
        self.assertTrue(Act.objects.get(pk=lot["act"]).valid)
        self.assertEqual(Lot.objects.get(pk=lot["id"]).on_hand, 4)

    def test_a_count_goes_back(self):
        lot = self.api("post", "stock/received", self.RECEIVED)
        counted = self.api(
            "post", f"stock/lots/{lot['id']}/counted", {"counted": 2, "words": "two were cracked"}
        )
        self.back(counted["act"])
        self.assertEqual(Lot.objects.get(pk=lot["id"]).on_hand, 4)

    def waiting(self, count: int = 3) -> Lot:
        body = self.RECEIVED | {"condition": "untested", "count": count}
        return Lot.objects.get(pk=self.api("post", "stock/received", body)["id"])

    def test_settled_parts_wait_again_with_their_promises(self):
        lot = self.waiting()
        self.assertIs(lot.condition, Condition.HARVESTED_UNTESTED)
        (unit,) = self.announce("stilt")
        plan = self.approved(unit, m2="-")
        order = WorkOrderRow.objects.get(unit=unit, state="open")
        promise = order.reservations.filter(lot__isnull=False).first()
        self.assertIsNotNone(promise, plan)
        Lot.objects.filter(pk=promise.lot_id).update(promised=0)
        Lot.objects.filter(pk=lot.pk).update(promised=1)
        Reservation.objects.filter(pk=promise.pk).update(lot=lot)
        before = self.store()
        path = f"stock/lots/{lot.pk}/settled"
        settled = self.api("post", path, {"good": 2, "bad": 1, "words": "two work"})
        self.assertEqual(Reservation.objects.get(pk=promise.pk).lot_id, settled["id"])
        self.back(settled["act"])
        self.assertEqual(self.store(), before)

    def bought(self) -> Purchase:
        offer = OfferRow.objects.filter(limit__gt=3).first()
        return Purchase.objects.create(
            offer=offer, batch=self.batch, count=3, price_cents=offer.price_cents
        )

    def test_an_order_noted_by_hand_and_an_arrival_go_back(self):
        purchase = self.bought()
        body = {"ids": [purchase.pk], "how": "hand", "reference": "by phone"}
        (ordered,) = self.api("post", "stock/purchases/order", body)
        path = f"stock/purchases/{purchase.pk}/arrived"
        arrived = self.api("post", path, {"place": "A-1"})
        self.assertIn("used", self.back(ordered["act"], 422)["detail"])
        self.back(arrived["act"])
        purchase.refresh_from_db()
        self.assertEqual((purchase.state.value, purchase.lot), ("ordered", None))
        self.back(ordered["act"])
        purchase.refresh_from_db()
        self.assertEqual((purchase.state.value, purchase.reference), ("planned", ""))

    def test_a_hold_that_an_arrival_woke_sleeps_again(self):
        purchase = self.bought()
        kind = purchase.offer.kind
        Lot.objects.filter(kind=kind).update(on_hand=0, promised=0)
        (unit,) = self.announce("stilt")
        self.approved(unit)
        outcome = unit.outcomes.get()
        outcome.outcome, outcome.waits_for = "hold", [kind.key]
        outcome.save()
        unit.stage = Stage.DECIDE
        unit.save()
        arrived = self.api("post", f"stock/purchases/{purchase.pk}/arrived", {"place": "A-1"})
        outcome.refresh_from_db()
        self.assertIsNotNone(outcome.woken_at)
        self.back(arrived["act"])
        outcome.refresh_from_db()
        self.assertIsNone(outcome.woken_at)


class Pins(Taking):
    def test_a_pin_and_taking_it_off_stand_in_the_story(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        path = f"batches/{self.batch.slug}/pins"
        self.api("post", path, {"tags": [unit.tag], "outcome": "recycle"})
        self.api("post", path, {"tags": [unit.tag], "outcome": "recycle", "note": "bent"})
        self.api("post", path, {"tags": [unit.tag], "outcome": None})
        pinned = [words for kind, words in self.story(unit) if kind == "pinned"]
        self.assertEqual(len(pinned), 2)
        self.assertIn("taken off", pinned[1])
