"""Every operation as every role: who may, and what money stands in the answers."""

import json
import re
from collections.abc import Iterator
from typing import Any

from django.test import Client, TestCase

from sortis_core.base import money
from sortis_core.rights import Money, amounts_in, money_of, money_seen, without_amounts
from sortis_core.vocabulary.states import Role
from sortis_server.api import api
from sortis_server.people.models import Person
from sortis_server.people.roles import Allowed
from sortis_server.withheld import without
from sortis_server.workshop.money import Seeing
from tests.server.workshop import Workshop

EURO = amounts_in(["EUR"])
OTHERS = ("Another role does this", "Another role sees this")
NAMES = {
    "slug": "harbour-office",
    "key": "ombrel-folio-15",
    "username": "marit",
    "kind": "spec",
    "number": "1",
    "version": "1",
}


def operations() -> Iterator[tuple[str, str, object]]:
    """(method, path, what looks at who asks) of every operation of the API."""
    for mounted in api._get_bound_routers():
        for path, view in mounted.path_operations.items():
            for operation in view.operations:
                for method in operation.methods:
                    auth = next(iter(operation.auth_callbacks), None)
                    yield method.lower(), f"/api{mounted.prefix}{path}", auth


def keys(value: Any) -> Iterator[str]:
    """Every name of a field in an answer."""
    if isinstance(value, dict):
        for key, one in value.items():
            yield key
            yield from keys(one)
    elif isinstance(value, list):
        for one in value:
            yield from keys(one)


class EveryRole(Workshop, TestCase):
    """A batch with a plan that was approved, a unit at the bench, one on the shelf."""

    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        cls.by_role = {
            role: Person.objects.create_person(f"only-{role.value}", role.label, [role], "tide")
            for role in Role
        }
        maker = cls()
        good, poor = maker.announce("folio", "folio")
        maker.inspect(good)
        maker.inspect(poor, d1="-", d2="-")
        maker.approve(maker.plan())
        maker.api("post", f"units/{poor.tag}/work/begin", {"version": 1})
        maker.release(good)
        cls.fit, cls.tag = poor.tag, good.tag

    def asked(self, client: Client, method: str, path: str, tag: str):
        names = NAMES | {"tag": tag}
        filled = re.sub(r"\{(?:\w+:)?(\w+)\}", lambda found: names.get(found[1], "1"), path)
        if method == "get":
            return client.get(filled)
        return client.generic(method.upper(), filled, "{}", "application/json")

    def test_who_lacks_the_role_is_refused_before_the_request_is_read(self):
        for role, person in self.by_role.items():
            client = self.client_of(person)
            client.raise_request_exception = False
            seen = money_seen([role], open_to_all=False)
            refused = 0
            for method, path, auth in operations():
                if isinstance(auth, Seeing):
                    may = auth.money in seen
                elif isinstance(auth, Allowed):
                    may = role in auth.roles
                elif method == "get":
                    may = True
                else:
                    continue
                if may and method != "get":
                    continue
                answer = self.asked(client, method, path, self.tag)
                told = answer.status_code == 403 and answer.json()["title"] in OTHERS
                if not may:
                    refused += 1
                    self.assertTrue(told, f"{role} {method} {path}: {answer.status_code}")
                elif path != "/api/units/{tag}/papers/{kind}":
                    # Of which some papers are for everybody.
                    self.assertFalse(told, f"{role} {method} {path}")
            self.assertGreater(refused, 25, role)

    def test_no_answer_holds_money_that_the_role_does_not_see(self):
        all_seeing = self.client_of(self.marit)
        whole = [
            self.asked(all_seeing, method, path, self.fit)
            for method, path, _ in operations()
            if method == "get"
        ]
        told = [one.json() for one in whole if "json" in one["Content-Type"]]
        with_money = sum(any(money_of("", key) for key in keys(one)) for one in told)
        self.assertGreater(with_money, 10)
        for role in (Role.RECEIVER, Role.INSPECTOR, Role.TECHNICIAN):
            mine = self.client_of(self.by_role[role])
            for method, path, _ in operations():
                for tag in (self.tag, self.fit) if method == "get" else ():
                    answer = self.asked(mine, method, path, tag)
                    if answer.status_code != 200 or "json" not in answer["Content-Type"]:
                        continue
                    told = answer.json()
                    figures = {key for key in keys(told) if money_of("", key)}
                    self.assertEqual(figures - {"consumables_cents"}, set(), f"{role} {path}")
                    text = json.dumps(told, ensure_ascii=False)
                    self.assertEqual(without_amounts(text, EURO), text, f"{role} {path}")

    def test_a_storekeeper_sees_costs_and_a_releaser_prices(self):
        keeper, releaser = self.by_role[Role.STOREKEEPER], self.by_role[Role.RELEASER]
        stock = self.api("get", "stock", person=keeper)
        self.assertIn("unit_cost_cents", set(keys(stock)))
        self.assertIn("price_cents", set(keys([kind["offers"] for kind in stock["kinds"]])))
        stock = self.api("get", "stock", person=releaser)
        self.assertEqual({key for key in keys(stock) if money_of("", key)}, set())
        release = self.api("get", f"units/{self.tag}/release", person=releaser)
        self.assertIn("price_cents", release)
        release = self.api("get", f"units/{self.tag}/release", person=keeper)
        self.assertNotIn("price_cents", release)
        self.api("get", "shelf", person=releaser)
        said = self.api("get", "shelf", status=403, person=keeper)
        self.assertIn("a planner, a releaser or an owner", said["detail"])

    def test_the_bench_tells_a_technician_what_to_do_and_not_what_it_leaves(self):
        own = self.by_role[Role.TECHNICIAN]
        path = f"units/{self.fit}/work"
        closed = self.api("get", path, person=own)
        self.assertNotIn("contribution_cents", closed["outcome"])
        self.open_money()
        open_to_all = self.api("get", path, person=own)
        self.assertIn("contribution_cents", open_to_all["outcome"])
        self.assertEqual(closed["work"]["steps"], open_to_all["work"]["steps"])
        self.assertEqual(closed["outcome"]["actions"], open_to_all["outcome"]["actions"])

    def test_what_an_inspector_typed_is_not_lost_for_want_of_a_right(self):
        own = self.by_role[Role.INSPECTOR]
        (unit,) = self.announce("stilt")
        remark = "p rattles, a new one is €12.00"
        view = self.inspect(unit)
        body = {"started_from": view["number"], "trim": view["trim"], "enough": True}
        sound = next(key for key in view["entries"] if "speaker" in key or "fan" in key)
        body["entries"] = view["entries"] | {sound: remark}
        kept = self.api("post", f"units/{unit.tag}/inspection", body, person=own)
        self.assertIn("€12.00", kept["entries"][sound])

    def test_who_sees_no_budget_changes_none(self):
        path = f"batches/{self.batch.slug}"
        body = {
            "name": self.batch.name,
            "source": "quay",
            "arrived_on": str(self.batch.arrived_on),
            "due_on": str(self.batch.due_on),
            "money_cents": 1,
            "bench_minutes": 30,
        }
        self.api("put", path, body, person=self.by_role[Role.RECEIVER])
        now = self.api("get", path)
        self.assertEqual((now["source"], now["money_cents"]), ("quay", 40_000))
        self.api("put", path, body | {"money_cents": 5}, person=self.by_role[Role.PLANNER])
        self.assertEqual(self.api("get", path)["money_cents"], 5)

    def test_every_screen_is_told_what_its_person_sees(self):
        for role, person in self.by_role.items():
            told = self.api("get", "workshop", person=person)["sees"]
            self.assertEqual(set(told), money_seen([role], open_to_all=False))


class Leaving(TestCase):
    def test_a_field_that_the_document_does_not_know_is_left_out(self):
        told = {"label": "Slot 1", "odd_cents": 3, "in": [{"price_cents": 4, "n": 1}]}
        for seen in (frozenset(), frozenset({Money.PRICES})):
            left = without(told, (), seen, EURO)
            self.assertEqual(left, {"label": "Slot 1", "in": [{"n": 1}]})

    def test_sentences_go_wherever_they_stand(self):
        told = {"why": [f"Slot 2 is empty. It leaves {money(1250)} more."]}
        left = without(told, (), frozenset(), EURO)
        self.assertEqual(left, {"why": ["Slot 2 is empty."]})
