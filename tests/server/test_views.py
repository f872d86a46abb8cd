"""What the screens are given: the balance, the ladder, the work list, the store."""

from django.test import TestCase

from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import KEPT_SKETCHES
from sortis_server.stock.models import Lot
from sortis_server.stock.services import new_lot, promise, unpromise
from tests.server.workshop import Workshop


class Views(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def mixed(self):
        units = self.announce("stilt", "stilt", "folio", "lern", "stilt")
        for unit, entries in zip(
            units,
            ({"m2": "-"}, {"m2": "-"}, {"p1": "20/46 90c"}, {"starts": "x"}, {"speaker": "-"}),
            strict=True,
        ):
            self.inspect(unit, **entries)
        return units

    def test_the_rows_of_the_balance_add_up_to_the_plan(self):
        units = self.mixed()
        view = self.plan()
        rows, plan = view["rows"], self.whole(view)
        self.assertEqual(sorted(t for row in rows for t in row["tags"]), [u.tag for u in units])
        self.assertEqual(sum(row["contribution_cents"] for row in rows), plan["contribution_cents"])
        costs = sum(
            o["parts_cents"] + o["labour_cents"] + o["fees_cents"] for o in plan["outcomes"]
        )
        self.assertEqual(sum(row["cost_cents"] for row in rows), costs)
        self.assertTrue(all(o["reason"] for o in plan["outcomes"]))

    def test_each_row_has_its_ladder_with_the_chosen_rung_in_it(self):
        self.mixed()
        view = self.plan()
        for row in view["rows"]:
            asked = {"number": view["number"], "group": row["group"]}
            found = self.api("post", f"batches/{self.batch.slug}/plan/ladder", asked)
            self.assertGreaterEqual(sum(r["units"] for r in found["rungs"]), len(row["tags"]))
            self.assertTrue(all(": " in fact for fact in found["rejections"]))
            sums = {one["outcome"]["tag"]: one for one in found["sums"]}
            self.assertTrue(set(row["tags"]) <= set(sums))
            for tag in row["tags"]:
                uses = [a for a in sums[tag]["outcome"]["actions"] if a["kind"]]
                self.assertEqual(len(sums[tag]["sources"]), len(uses))

    def test_a_plan_names_its_policy_and_its_limits(self):
        self.mixed()
        policy = self.api("get", f"batches/{self.batch.slug}/plan")["policy"]
        view = self.plan(
            money_cents=5000, bench_minutes=120, policy=policy | {"memory_ceiling": "bench_proven"}
        )
        self.assertEqual((view["money_cents"], view["bench_minutes"]), (5000, 120))
        self.assertEqual(view["policy"]["memory_ceiling"], "bench_proven")
        self.assertLessEqual(view["figures"]["spend_cents"], 5000)
        self.assertLessEqual(view["figures"]["minutes"], 120.5)

    def test_sketches_do_not_pile_up_and_approved_plans_stay(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        first = self.plan()
        self.approve(first)
        (other,) = self.announce("stilt")
        self.inspect(other)
        for _ in range(KEPT_SKETCHES + 4):
            newest = self.plan()
        self.assertEqual(PlanRow.objects.count(), KEPT_SKETCHES + 1)
        self.assertEqual(newest["number"], KEPT_SKETCHES + 5)
        self.assertTrue(PlanRow.objects.filter(number=first["number"]).exists())

    def test_a_plan_whose_approval_was_taken_back_is_no_sketch_and_stops_no_other(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        first = self.plan()
        self.approve(first)
        self.api("post", f"batches/{self.batch.slug}/plan/{first['number']}/back")
        for _ in range(KEPT_SKETCHES + 4):
            newest = self.plan()
        self.assertEqual(newest["number"], KEPT_SKETCHES + 5)
        self.assertTrue(PlanRow.objects.filter(number=first["number"]).exists())
        self.approve(newest)

    def test_the_work_list_shows_begun_orders_first_and_what_others_wait_for(self):
        units = self.mixed()
        self.approve(self.plan())
        begun = units[1].tag
        self.api("post", f"units/{begun}/work/tick", {"version": 1})
        lines = self.api("get", f"batches/{self.batch.slug}/work")
        self.assertEqual(lines[0]["tag"], begun)
        waiting = [bool(line["waits_for"]) for line in lines[1:]]
        self.assertEqual(waiting, sorted(waiting))

    def test_the_store_counts_free_parts_without_the_promised_ones(self):
        lot = Lot.objects.get(kind__key="nvme-256-2280")
        promise(lot.pk, 2)
        kinds = {kind["key"]: kind for kind in self.api("get", "stock")["kinds"]}
        self.assertEqual(kinds["nvme-256-2280"]["free"], lot.on_hand - 2)
        unpromise(lot, 2)
        lot.refresh_from_db()
        self.assertEqual(lot.promised, 0)

    def test_equal_parts_in_one_place_are_one_lot(self):
        lot = Lot.objects.select_related("kind").get(kind__key="nvme-256-2280")
        again = new_lot(lot.kind, lot.condition, lot.place, lot.unit_cost_cents)
        self.assertEqual(again.pk, lot.pk)
        dearer = new_lot(lot.kind, lot.condition, lot.place, lot.unit_cost_cents + 1)
        self.assertNotEqual(dearer.pk, lot.pk)

    def test_a_unit_line_says_where_it_waits(self):
        (unit,) = self.announce("folio")
        line = self.api("get", f"units/{unit.tag}")
        self.assertEqual(
            (line["stage"], line["inspected"], line["blocked"]), ("inspect", False, False)
        )
        self.inspect(unit, p1="!")
        line = self.api("get", f"units/{unit.tag}")
        self.assertEqual((line["stage"], line["blocked"]), ("inspect", True))
        strips = self.api("get", f"batches/{self.batch.slug}/strips?tags={unit.tag}")
        self.assertIn("dangerous", strips[unit.tag]["words"])
