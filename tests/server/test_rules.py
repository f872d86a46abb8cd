"""Rules that must hold however they are come at: the whole way through the API."""

import json
from datetime import date

from django.test import TestCase

from sortis_core.gates import PackGate
from sortis_core.policy import BatterySchool, Policy
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.services import PAGES, make_batch
from sortis_server.workshop.models import StandardVersion, WorkshopVersion
from sortis_server.workshop.services import SETTINGS, add_standard, newest_standards
from tests.server.workshop import COMPLETE, Workshop


class Rules(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def only(self, *gates) -> None:
        """One standard is sold, with these gates."""
        (desk,) = [one for one in newest_standards() if one.key == "desk-ready"]
        StandardVersion.objects.exclude(key="desk-ready").delete()
        add_standard(desk.model_copy(update={"version": desk.version + 1, "gates": gates}))

    def planned(self, **policy: str) -> dict[str, str]:
        """Outcome by tag of a plan of the batch, which its own checker lets be approved."""
        body: dict = {}
        if policy:
            body["policy"] = Policy(**policy).model_dump(mode="json")
        plan = self.api("post", f"batches/{self.batch.slug}/plan", body)
        return {tag: row["outcome"] for row in plan["rows"] for tag in row["tags"]}


class Rounding(Rules):
    def test_just_below_the_gate_is_not_sold_as_it_is(self):
        """36.7816 of 46 Wh is 79.96 %: rounded it would pass."""
        self.only(PackGate(min_health_percent=80))
        below, at = self.announce("folio", "folio")
        self.inspect(below, p1="36.7816/46 90c")
        self.inspect(at, p1="36.8/46 90c")
        ends = self.planned()
        self.assertEqual(ends[at.tag], "release")
        self.assertNotEqual(ends[below.tag], "release")
        view = self.api("get", f"units/{below.tag}/inspection")
        gates = view["reading"]["assessment"]["verdicts"][0]["gates"]
        said = next(gate for gate in gates if gate["gate"] == "pack")
        self.assertEqual(said["state"], "short")
        self.assertIn("79.96 of 80 %", said["sentence"])


class Grouping(Rules):
    def test_the_same_charge_at_other_volts_is_no_same_unit(self):
        """3400 mAh at 11.1 V last 4.72 h at 8 W, at 10.8 V 4.59 h."""
        self.only(PackGate(min_health_percent=10, min_runtime_hours=4.6))
        high, low = self.announce("folio", "folio")
        self.inspect(high, p1="3400/4200mah 11.1v")
        self.inspect(low, p1="3400/4200mah 10.8v")
        ends = self.planned(battery=BatterySchool.RUNTIME)
        self.assertEqual(ends[high.tag], "release")
        self.assertNotEqual(ends[low.tag], "release")


class UnknownGates(Rules):
    def test_a_gate_this_version_does_not_know_stops_the_plan_in_words(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        desk = StandardVersion.objects.get(key="desk-ready")
        document = desk.document | {
            "version": desk.version + 1,
            "gates": [*desk.document["gates"], {"type": "smell", "most": 2}],
        }
        StandardVersion.objects.create(
            key="desk-ready", version=desk.version + 1, document=document
        )
        said = self.api("post", f"batches/{self.batch.slug}/plan", {}, status=422)
        self.assertIn("smell", said["detail"])
        self.assertFalse(self.batch.plans.exists())

    def test_a_standard_of_a_newer_format_is_refused_with_what_to_do(self):
        desk = StandardVersion.objects.get(key="desk-ready")
        StandardVersion.objects.create(
            key="desk-ready", version=9, document=desk.document | {"format": "sortis-standard-77"}
        )
        said = self.api("get", f"batches/{self.batch.slug}/plan", status=422)
        self.assertIn("Update Sortis", said["detail"])


class Sanitising(Rules):
    def to_the_last_check(self, **entries: str) -> Unit:
        (unit,) = self.announce("stilt")
        self.inspect(unit, **entries)
        plan = self.api("post", f"batches/{self.batch.slug}/plan", {})
        self.api("post", f"batches/{self.batch.slug}/plan/{plan['number']}/approve")
        unit.refresh_from_db()
        return unit

    def gate(self, unit: Unit) -> dict:
        gates = self.api("get", f"units/{unit.tag}/release")["gates"]
        return next(gate for gate in gates if gate["gate"] == "sanitised")

    def sign_closing(self, unit: Unit) -> None:
        for gate in self.api("get", f"units/{unit.tag}/release")["gates"]:
            if gate["signable"] and not gate["wants_words"]:
                self.api("post", f"units/{unit.tag}/release/sign", {"gate": gate["gate"]})

    def test_inspecting_twice_or_adding_wear_leaves_the_drive_a_found_one(self):
        (unit,) = self.announce("stilt")
        for n, entry in enumerate(("s256", "s256", "s256 91%")):
            entries = {**COMPLETE["quarrin-stilt-q2"], "d1": entry, "*": "+", "grade": "b"}
            body = {"started_from": n, "trim": "std", "entries": entries, "enough": False}
            self.api("post", f"units/{unit.tag}/inspection", body)
        plan = self.api("post", f"batches/{self.batch.slug}/plan", {})
        self.api("post", f"batches/{self.batch.slug}/plan/{plan['number']}/approve")
        self.assertTrue(self.gate(unit)["signable"])
        self.sign_closing(unit)
        said = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("sanitised", said["detail"])
        for words in ("", "ok", "..."):
            body = {"gate": "sanitised", "words": words}
            self.api("post", f"units/{unit.tag}/release/sign", body, status=422)
        body = {"gate": "sanitised", "words": "overwritten once, read back"}
        self.api("post", f"units/{unit.tag}/release/sign", body)
        self.assertEqual(self.api("post", f"units/{unit.tag}/release")["stage"], "released")

    def test_a_standard_that_does_not_ask_for_it_asks_all_the_same(self):
        self.only()
        unit = self.to_the_last_check()
        said = self.api("post", f"units/{unit.tag}/release", status=422)
        self.assertIn("sanitised", said["detail"])

    def test_a_used_drive_received_by_hand_waits_for_its_record(self):
        body = {
            "kind": "sata-256-bay",
            "condition": "tested",
            "place": "tray",
            "count": 1,
            "unit_cost_cents": 100,
        }
        lot = self.api("post", "stock/received", body)
        self.assertEqual(lot["condition"], "unsanitised")


class Batches(Rules):
    def queries_of(self, path: str) -> int:
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        self.at_work(self.marit)
        with CaptureQueriesContext(connection) as seen:
            self.api("get", path)
        return len(seen)

    def more(self, count: int) -> None:
        first = self.batch
        made = Batch.objects.bulk_create(
            Batch(
                slug=f"more-{n}",
                name=f"More {n}",
                source="test",
                arrived_on=first.arrived_on,
                due_on=first.due_on,
                money_cents=0,
                bench_minutes=0,
                policy=first.policy,
            )
            for n in range(count)
        )
        Unit.objects.bulk_create(
            Unit(
                tag=f"Q-{n:04d}",
                batch=batch,
                serial=f"Q{n}",
                sheet_key="quarrin-stilt-q2",
                sheet_version=1,
                position=1,
            )
            for n, batch in enumerate(made)
        )

    def test_many_batches_ask_no_more_queries_than_few(self):
        self.announce("stilt", "folio")
        few = self.queries_of("batches")
        self.more(60)
        self.assertEqual(self.queries_of("batches"), few)
        self.assertEqual(self.queries_of("batches?search=More"), few)

    def test_units_and_one_unit_ask_the_same_in_any_number(self):
        units = self.announce("stilt")
        one = self.queries_of(f"batches/{self.batch.slug}/units")
        alone = self.queries_of(f"units/{units[0].tag}")
        self.announce(*["stilt", "folio"] * 20)
        self.assertEqual(self.queries_of(f"batches/{self.batch.slug}/units"), one)
        self.assertEqual(self.queries_of(f"units/{units[0].tag}"), alone)

    def test_they_are_searched_paged_and_laid_aside(self):
        self.more(70)
        page = self.api("get", "batches?search=more&offset=60")
        self.assertEqual((len(page["batches"]), page["total"]), (10, 70))
        self.assertEqual(self.api("get", "batches?search=harbour")["total"], 1)
        said = self.api("post", "batches/more-1/closed", {"closed": True}, status=422)
        self.assertIn("still wait", said["detail"])
        Unit.objects.filter(batch__slug="more-1").update(stage="released")
        self.assertTrue(self.api("post", "batches/more-1/closed", {"closed": True})["closed"])
        self.assertEqual(self.api("get", "batches?search=more")["total"], 69)
        aside = self.api("get", "batches?closed=true")
        self.assertEqual([one["slug"] for one in aside["batches"]], ["more-1"])
        self.assertFalse(self.api("post", "batches/more-1/closed", {"closed": False})["closed"])

    def test_counts_are_those_of_the_units(self):
        units = self.announce("stilt", "folio", "stilt")
        self.inspect(units[0])
        (view,) = self.api("get", "batches")["batches"]
        self.assertEqual((view["units"], view["models"]), (3, 2))
        self.assertEqual((view["counts"]["decide"], view["counts"]["inspect"]), (1, 2))

    def test_a_name_of_any_script_makes_an_address(self):
        for name, slug in (
            ("משרד הנמל", "משרד-הנמל"),
            ("Gdańsk, wiosna", "gdańsk-wiosna"),
            ("港のオフィス", "港のオフィス"),
        ):
            made = self.new(name)
            self.assertEqual(made["slug"], slug)
            self.assertEqual(self.api("get", f"batches/{slug}")["name"], name)

    def test_no_batch_takes_the_address_of_a_page(self):
        for page in sorted(PAGES):
            self.assertNotIn(self.new(page.replace("-", " "))["slug"], PAGES)

    def test_every_page_of_the_interface_is_kept_free(self):
        from pathlib import Path
        from re import findall

        routes = findall(r'<Route path="/?([\w-]+)', Path("web/src/main.tsx").read_text())
        nested = {"arrive", "inspect", "decide", "fit", "release"}
        self.assertLessEqual(set(routes) - nested, PAGES)

    def new(self, name: str) -> dict:
        body = {
            "name": name,
            "source": "test",
            "arrived_on": "2026-11-01",
            "due_on": "2026-12-01",
            "money_cents": 0,
            "bench_minutes": 0,
        }
        return self.api("post", "batches", body)


class OfTheWorkshop(Rules):
    def test_currency_and_tags_are_the_workshops(self):
        document = {"name": "Hamar", "currency": "NOK", "tag_prefix": "HA"}
        WorkshopVersion.objects.create(key=SETTINGS, version=2, document=document)
        other = make_batch("Other", "x", date.today(), date.today(), 0, 0)
        self.assertEqual(other.currency, "NOK")
        (unit,) = self.announce("stilt")
        self.assertTrue(unit.tag.startswith("HA-"))
        self.assertEqual(self.api("get", f"units/{unit.tag.removeprefix('HA-')}")["tag"], unit.tag)
        told = self.api("get", "workshop")
        self.assertEqual((told["currency"], told["tag_prefix"]), ("NOK", "HA"))


class Refusals(Rules):
    def test_every_refusal_is_a_problem_and_declared(self):
        client = self.client
        client.force_login(self.marit)
        for status, answer in (
            (404, client.get("/api/nowhere")),
            (404, client.get("/api/batches/none-such")),
            (400, client.post("/api/batches", b"{", content_type="application/json")),
            (422, client.post("/api/batches", b"{}", content_type="application/json")),
        ):
            self.assertEqual(answer.status_code, status, answer.content)
            self.assertEqual(answer["content-type"], "application/problem+json")
            told = json.loads(answer.content)
            self.assertEqual(told["status"], status)
            self.assertGreater(len(told["detail"]), 10)
        from sortis_server.api import api

        document = api.get_openapi_schema()
        for path, operations in document["paths"].items():
            for name, operation in operations.items():
                declared = {str(status) for status in operation["responses"]}
                self.assertLessEqual({"400", "401", "404", "422"}, declared, (path, name))

    def test_a_plan_that_its_checker_refuses_is_not_approved(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        plan = self.api("post", f"batches/{self.batch.slug}/plan", {})
        row = self.batch.plans.get(number=plan["number"])
        row.plan["outcomes"][0]["price_cents"] += 5000
        row.plan["outcomes"][0]["contribution_cents"] += 5000
        row.plan["contribution_cents"] += 5000
        row.save()
        path = f"batches/{self.batch.slug}/plan/{plan['number']}/approve"
        said = self.api("post", path, status=422)
        self.assertIn("does not hold", said["detail"])
        unit.refresh_from_db()
        self.assertEqual(unit.stage, "decide")
        self.assertFalse(unit.orders.exists())
