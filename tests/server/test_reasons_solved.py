"""Reasons and what one more is worth, solved again for a kept plan."""

from django.test import TestCase

from sortis_server.decide.models import PlanRow
from sortis_server.stock.models import Lot
from tests.server.workshop import Workshop


class SolvedAgain(Workshop, TestCase):
    """Two alike want one drive."""

    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        self.one, self.two = self.announce("stilt", "stilt")
        for unit in (self.one, self.two):
            self.inspect(unit, d1="-", d2="-")
        drives = Lot.objects.filter(kind__key__regex="256|512|128|480|1000|240")
        drives.update(on_hand=0, promised=0)
        last = Lot.objects.filter(kind__key="sata-256-bay").first()
        Lot.objects.filter(pk=last.pk).update(on_hand=1)

    def path(self, more: str) -> str:
        return f"batches/{self.batch.slug}/plan{more}"

    def test_the_reason_names_the_drive_and_who_has_it(self):
        plan = self.plan(money_cents=0)
        held = next(row for row in plan["rows"] if not row["end"].startswith("Fit"))
        (tag,) = held["tags"]
        other = next(u.tag for u in (self.one, self.two) if u.tag != tag)
        asked = {"number": plan["number"], "tag": tag}
        told = self.api("post", self.path("/because"), asked)
        self.assertIn(f"€18.40 ({other} has what the store had)", told["sentence"])
        self.assertIn(f"{other} is alike and ends so", told["sentence"])
        self.api("post", self.path("/because"), asked | {"tag": "TW-9999"}, status=422)
        self.api("post", self.path("/because"), asked, status=403, person=self.ines)

    def test_one_more_is_solved_and_kept_with_the_plan(self):
        plan = self.plan(money_cents=0)
        before = {row["key"]: row for row in plan["scarce"]}
        self.assertFalse(any(row["solved"] for row in plan["scarce"]))
        self.assertIn("sata-256-bay", before)
        asked = {"number": plan["number"], "key": "sata-256-bay"}
        told = self.api("post", self.path("/one-more"), asked)
        gain = told["then"]["contribution_cents"] - told["now"]["contribution_cents"]
        self.assertGreater(gain, 0)
        self.assertEqual(told["then"]["ready"], 2)
        kept = PlanRow.objects.get(number=plan["number"]).plan["scarce"]
        row = next(row for row in kept if row["key"] == "sata-256-bay")
        self.assertEqual((row["worth_cents"], row["solved"]), (gain, True))
        worths = [row["worth_cents"] for row in kept if row["measure"] == "parts"]
        self.assertEqual(worths, sorted(worths, reverse=True))
        self.api("post", self.path("/one-more"), asked | {"key": "smoke"}, status=422)
        self.api("post", self.path("/one-more"), asked | {"number": 99}, status=404)

    def test_what_may_be_paid_for_what_nobody_has_is_solved_and_kept(self):
        for unit in (self.one, self.two):
            self.inspect(unit)
        (lacks,) = self.announce("stilt")
        self.inspect(lacks, sensor="-")
        plan = self.plan(money_cents=0)
        line = next(one for one in plan["sought"] if lacks.tag in one["tags"])
        self.assertIsNone(line["worth_cents"])
        self.assertIn("Estimate, each counted alone", line["price"])
        asked = {"number": plan["number"], "kinds": line["kinds"]}
        told = self.api("post", self.path("/sought"), asked)
        self.assertGreater(told["worth_cents"], 0)
        self.assertIn("Solved: the batch leaves €", told["price"])
        (kept,) = PlanRow.objects.get(number=plan["number"]).plan["sought"]
        self.assertEqual((kept["worth_cents"], kept["price"]), (told["worth_cents"], told["price"]))
        self.assertEqual(self.api("post", self.path("/sought"), asked | {"number": 0}), told)
        unknown = asked | {"kinds": ["smoke"]}
        self.api("post", self.path("/sought"), unknown, status=404)
        self.api("post", self.path("/sought"), asked | {"kinds": []}, status=422)
        self.api("post", self.path("/sought"), asked, status=403, person=self.ines)
