"""A workshop of one's own: from an empty database, by its own people, out and in as a file."""

import io
import json
import zipfile
from datetime import date, timedelta

import pyotp
from django.core.management import CommandError, call_command
from django.test import Client, TestCase, override_settings
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from sortis_core.findings import Grade
from sortis_core.sheets import Stream
from sortis_core.stock import BracketFacts, OtherFacts, PackFacts, PartKind
from sortis_core.vocabulary.states import Role
from sortis_server import settings
from sortis_server.arrive.models import Batch
from sortis_server.furnish.file import (
    FileRefused,
    packed,
    read_workshop_file,
    starter_set,
    take_workshop_file,
    workshop_file,
)
from sortis_server.furnish.standards import StandardRefused
from sortis_server.people.models import Invitation, Person
from sortis_server.sheets.models import OfferedSheet
from sortis_server.sheets.services import newest_sheets
from sortis_server.stock.models import Lot, Purchase
from sortis_server.stock.services import plan_purchase
from sortis_server.workshop.models import OfferRow, PartKindRow, StandardVersion
from sortis_server.workshop.services import add_part_kind, newest_standards, part_kinds, workshop
from tests.examples import few
from tests.server.workshop import Workshop

KEY = "the-one-link"
GOOD = "seven-tall-masts"
BODY = {
    "key": KEY,
    "settings": {"name": "Hamar", "currency": "NOK", "locale": "nb-NO", "tag_prefix": "HA"},
    "begin": "starter",
    "username": "Liv",
    "name": "Liv Berg",
    "password": GOOD,
}


def sent(client: Client, method: str, path: str, body: object, status: int = 200):
    answer = getattr(client, method)(f"/api/{path}", json.dumps(body), "application/json")
    if answer.status_code != status:
        raise AssertionError(f"{answer.status_code} {answer.content[:400]!r}")
    return json.loads(answer.content)


def damaged(data: bytes) -> bytes:
    """A zip whose list of parts is whole and whose first part does not unpack."""
    with zipfile.ZipFile(io.BytesIO(data)) as file:
        begin = 30 + len(file.infolist()[0].filename)
    return data[:begin] + b"\xff" + data[begin + 1 :]


@override_settings(START_KEY=KEY)
class FirstStart(TestCase):
    def start(self, status: int = 200, **other):
        return sent(Client(), "post", "furnish/start", BODY | other, status)

    def test_the_link_opens_it_once(self):
        asked = sent(Client(), "post", "furnish/start/asked", {"key": KEY})
        self.assertTrue(asked["open"])
        self.assertFalse(sent(Client(), "post", "furnish/start/asked", {"key": "other"})["open"])
        now = self.start()
        self.assertEqual(set(now["person"]["roles"]), {role.value for role in Role})
        self.assertEqual((workshop().currency, workshop().tag_prefix), ("NOK", "HA"))
        self.assertGreaterEqual(len(newest_standards()), 3)
        self.assertGreater(len(part_kinds()), 20)
        self.assertFalse(Lot.objects.exists())
        self.start(422)
        self.assertEqual(Person.objects.count(), 1)

    def test_nothing_is_half_done_where_something_is_wrong(self):
        for other in (
            {"password": "short"},
            {"password": "1234567890123"},
            {"password": "livberg-livberg", "name": "livberg livberg"},
            {"username": "a b"},
            {"settings": BODY["settings"] | {"currency": "JPY"}},
            {"settings": BODY["settings"] | {"tag_prefix": ""}},
            {"name": " "},
            {"key": "another"},
            {"begin": "everything"},
        ):
            self.start(422, **other)
        self.assertFalse(Person.objects.exists())
        self.assertEqual(workshop().name, "Workshop")
        self.start()

    @override_settings(START_KEY="")
    def test_without_a_link_it_is_closed(self):
        self.start(422, key="")

    def test_from_nothing_to_an_approved_plan(self):
        client = Client()
        now = sent(client, "post", "furnish/start", BODY)
        self.assertIsNotNone(now["person"])
        batch = sent(
            client,
            "post",
            "batches",
            {
                "name": "First pallet",
                "source": "harbour office",
                "arrived_on": str(date.today()),
                "due_on": str(date.today() + timedelta(20)),
                "money_cents": 500_000,
                "bench_minutes": 2000,
            },
        )
        self.assertEqual(batch["currency"], "NOK")
        rows = "".join(f'S{n},Generic,"Laptop, two slots"\n' for n in range(3))
        looked = client.post(
            f"/api/batches/{batch['slug']}/manifests",
            {"file": io.BytesIO(f"serial,maker,model\n{rows}".encode())},
        ).json()
        self.assertEqual(looked["counts"]["ok"], 3, looked)
        slug, number = batch["slug"], looked["number"]
        sent(client, "post", f"batches/{slug}/manifests/{number}/take", {})
        tags = sent(client, "post", f"batches/{slug}/count-in", {"tags": None})["tags"]
        self.assertTrue(tags[0].startswith("HA-"))
        for tag in tags:
            view = client.get(f"/api/units/{tag}/inspection").json()
            entries = {"m1": "8", "m2": "-", "d1": "n256", "*": "+", "grade": "b"}
            entries |= {
                cell["key"]: "50/55 90c"
                for cell in view["reading"]["strip"]["cells"]
                if cell["group"] == "pack"
            }
            keep = {"started_from": 0, "trim": view["trim"], "entries": entries, "enough": True}
            sent(client, "post", f"units/{tag}/inspection", keep)
        decide = client.get(f"/api/batches/{slug}/plan").json()
        self.assertEqual([one["what"] for one in decide["missing"]], ["prices"])
        refused = sent(client, "post", f"batches/{slug}/plan", {}, 422)
        self.assertIn("Nothing here has a price", refused["detail"])
        standard = client.get("/api/furnish/standards").json()["standards"][0]["standard"]
        sheet = "generic-laptop-two-slots"
        cells = [{"sheet": sheet, "grade": g.value, "price_cents": 150_000} for g in Grade]
        change = {"standard": standard["key"], "started_from": 1, "cells": cells}
        sent(client, "put", "furnish/prices", {"changes": [change]})
        plan = sent(client, "post", f"batches/{slug}/plan", {})
        self.assertEqual(plan["figures"]["currency"], "NOK")
        self.assertEqual(plan["figures"]["ready"], 3)
        approved = sent(client, "post", f"batches/{slug}/plan/{plan['number']}/approve", {})
        self.assertEqual(approved["state"], "approved")


class Furnished(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()


class Settings(Furnished):
    def test_a_new_version_each_time_and_a_stale_save_is_told_both(self):
        view = self.api("get", "furnish/settings")
        changed = view["settings"] | {"arrivals_place": "gate 3"}
        body = {"document": changed, "started_from": view["version"], "words": "moved"}
        kept = self.api("put", "furnish/settings", body)
        self.assertEqual(kept["version"], view["version"] + 1)
        self.assertEqual(kept["history"][0]["words"], "moved")
        stale = self.api("put", "furnish/settings", body, status=409)
        self.assertEqual(stale["facts"]["document"]["arrivals_place"], "gate 3")
        first = self.api("get", f"furnish/versions/settings/workshop/{view['version']}")
        self.assertNotEqual(first["arrivals_place"], "gate 3")

    def test_the_currency_stays_once_there_are_figures(self):
        view = self.api("get", "furnish/settings")
        body = {
            "document": view["settings"] | {"currency": "CHF"},
            "started_from": view["version"],
        }
        self.assertIn("EUR", self.api("put", "furnish/settings", body, status=422)["detail"])

    def test_new_batches_begin_with_its_schools_and_costs(self):
        view = self.api("get", "furnish/settings")
        document = view["settings"]
        document["policy"] |= {"labour_cents_per_hour": 5200, "board": "never_swap"}
        body = {"document": document, "started_from": view["version"]}
        self.api("put", "furnish/settings", body)
        made = self.api(
            "post",
            "batches",
            {
                "name": "Next",
                "source": "x",
                "arrived_on": "2026-11-01",
                "due_on": "2026-12-01",
                "money_cents": 0,
                "bench_minutes": 0,
            },
        )
        policy = Batch.objects.get(slug=made["slug"]).policy
        self.assertEqual((policy["labour_cents_per_hour"], policy["board"]), (5200, "never_swap"))

    def test_only_an_owner_changes_it(self):
        for method, path in (
            ("put", "furnish/settings"),
            ("put", "furnish/standards"),
        ):
            body = {"document": {}, "started_from": 0}
            self.api(method, path, body, status=403, person=self.ines)

    def test_a_batch_is_changed_afterwards(self):
        body = {
            "name": "Harbour offices",
            "source": "north quay",
            "arrived_on": "2026-11-01",
            "due_on": "2026-12-24",
            "money_cents": 99_000,
            "bench_minutes": 700,
        }
        now = self.api("put", f"batches/{self.batch.slug}", body)
        self.assertEqual((now["name"], now["money_cents"]), ("Harbour offices", 99_000))
        self.assertEqual(now["slug"], self.batch.slug)
        self.api("put", f"batches/{self.batch.slug}", body | {"due_on": "2026-10-01"}, status=422)


class Standards(Furnished):
    def one(self, **other):
        return {
            "key": "fair",
            "version": 1,
            "name": "Fair",
            "rank": 5,
            "gates": [{"type": "memory", "min_gb": 4}],
            "prices": [],
        } | other

    def save(self, document: dict, started_from: int = 0, status: int = 200):
        body = {"document": document, "started_from": started_from}
        return self.api("put", "furnish/standards", body, status=status)

    def test_a_standard_is_added_changed_and_used_no_more(self):
        self.save(self.one())
        self.save(self.one(gates=[{"type": "memory", "min_gb": 8}]), 1)
        view = self.save(self.one(retired=True), 2)
        self.assertNotIn("fair", [one["standard"]["key"] for one in view["standards"]])
        self.assertIn("fair", view["retired"])
        self.assertEqual(StandardVersion.objects.filter(key="fair").count(), 3)

    def test_what_is_no_standard_is_refused_in_words(self):
        for document, words in (
            (self.one(gates=[{"type": "smell"}]), "gates"),
            (self.one(gates=[{"type": "memory", "min_gb": -1}]), "min gb"),
            (self.one(gates=[{"type": "parts"}, {"type": "parts"}]), "stands twice"),
            (self.one(name="Desk ready"), "already"),
            (self.one(name=" "), "a name"),
            (self.one(key="Not A Key!"), "small letters"),
            (self.one(colour="red"), "colour"),
            ({}, "key"),
        ):
            said = self.save(document, status=422)
            self.assertIn(words, said["detail"])
        self.assertFalse(StandardVersion.objects.filter(key="fair").exists())

    def test_a_stale_save_is_told_both(self):
        self.save(self.one())
        said = self.save(self.one(rank=7), status=409)
        self.assertEqual(said["facts"]["document"]["rank"], 5)

    def test_what_it_would_change_is_solved_before_it_is_kept(self):
        first, second = self.announce("stilt", "stilt")
        self.inspect(first)
        self.inspect(second, m2="-")
        desk = next(s for s in newest_standards() if s.key == "desk-ready")
        gates = [{"type": "memory", "min_gb": 64}]
        document = desk.model_dump(mode="json") | {"gates": gates}
        (told,) = self.api("post", "furnish/standards/effect", {"documents": [document]})
        self.assertEqual(told["units"], 2)
        self.assertEqual(told["untried"], "")
        same = self.api(
            "post", "furnish/standards/effect", {"documents": [desk.model_dump(mode="json")]}
        )
        self.assertEqual((same[0]["changed"], same[0]["contribution_cents"]), ([], 0))
        prices = [
            {"sheet": "quarrin-stilt-q2", "grade": "B", "price_cents": 900_00} for _ in range(1)
        ]
        change = {"standard": "desk-ready", "started_from": desk.version, "cells": prices}
        (told,) = self.api("post", "furnish/standards/effect", {"prices": [change]})
        self.assertGreater(told["contribution_cents"], 0)
        self.assertEqual(
            {unit["now"] for unit in told["changed"]} & {"Release as Desk ready"},
            {"Release as Desk ready"},
        )
        self.assertEqual(newest_standards(), newest_standards())

    def test_what_other_schools_would_change_is_solved_and_a_batch_keeps_its_own(self):
        first, second = self.announce("stilt", "stilt")
        self.inspect(first)
        self.inspect(second, m2="-")
        now = self.api("get", "furnish/settings")["settings"]["policy"]
        (same,) = self.api("post", "furnish/settings/effect", now)
        self.assertEqual((same["units"], same["changed"], same["contribution_cents"]), (2, [], 0))
        dear = now | {"labour_cents_per_hour": 90_000}
        (told,) = self.api("post", "furnish/settings/effect", dear)
        self.assertTrue(told["changed"])
        self.assertLess(told["contribution_cents"], 0)
        # What the batch decides for itself stays: only what was changed here is tried there.
        own = now | {"labour_cents_per_hour": 90_000}
        self.api("put", f"batches/{self.batch.slug}/policy", own)
        (other,) = self.api("post", "furnish/settings/effect", now | {"hold_cents": 1})
        self.assertEqual(other["changed"], [])
        self.api("post", "furnish/settings/effect", dear, status=403, person=self.ines)

    def test_prices_of_several_standards_are_kept_together_or_not_at_all(self):
        cell = {"sheet": "quarrin-stilt-q2", "grade": "A", "price_cents": 12_300}
        good = {"standard": "desk-ready", "started_from": 1, "cells": [cell]}
        stale = {"standard": "class-set", "started_from": 9, "cells": [cell]}
        self.api("put", "furnish/prices", {"changes": [good, stale]}, status=409)
        self.assertEqual(StandardVersion.objects.filter(key="desk-ready").count(), 1)
        self.api("put", "furnish/prices", {"changes": [good]})
        desk = next(s for s in newest_standards() if s.key == "desk-ready")
        self.assertIn(12_300, [p.price_cents for p in desk.prices if p.grade is Grade.A])

    def test_the_history_of_a_price_says_who_changed_it(self):
        sheet = "quarrin-stilt-q2"
        cell = {"sheet": sheet, "grade": "A", "price_cents": 12_300}
        changes = [{"standard": "desk-ready", "started_from": 1, "cells": [cell]}]
        self.api("put", "furnish/prices", {"changes": changes, "words": "up"})
        told = self.api("get", f"furnish/prices/history?sheet={sheet}")
        (grade,) = [x for x in told if (x["standard"], x["grade"]) == ("desk-ready", "A")]
        self.assertEqual(len(grade["prices"]), 2)
        self.assertEqual(grade["prices"][-1]["by"], "Marit Dohl")
        self.assertEqual(grade["prices"][-1]["price_cents"], 12_300)

    def test_per_cent_and_pasting_keep_nothing(self):
        cells = [{"sheet": "quarrin-stilt-q2", "grade": "A", "price_cents": 10_050}]
        turned = self.api("post", "furnish/prices/percent", {"cells": cells, "percent": 10})
        self.assertEqual(turned[0]["price_cents"], 11_100)
        rows = self.api("post", "furnish/prices/paste", {"text": "Stilt Q2\t90\t80\nNo 9\t1"})
        self.assertEqual([bool(row["fault"]) for row in rows], [False, True])


class Kinds(Furnished):
    KIND = {"key": "odd-part", "label": "Odd part", "facts": {"type": "part"}}

    def save(self, status: int = 200, before: dict | None = None, **other):
        body = {"document": self.KIND | other, "before": before}
        return self.api("put", "furnish/kinds", body, status=status)

    def test_a_kind_is_added_and_its_facts_stay_once_it_has_stock(self):
        first = self.save()
        self.save(422)
        second = self.save(before=first, label="Odder part")
        received = {"kind": "odd-part", "place": "C-1", "count": 1, "unit_cost_cents": 5}
        self.api("post", "stock/received", received)
        facts = {"type": "bracket", "drive_mm": 42, "standoff_mm": 80}
        self.assertIn("booked in", self.save(422, second, facts=facts)["detail"])

    def test_who_was_slower_is_told_what_stands_now(self):
        first = self.save()
        now = self.save(before=first, label="Odder part")
        said = self.save(409, first, label="Oddest part")
        self.assertIn("Somebody else changed Odder part", said["detail"])
        self.assertEqual(said["facts"]["document"], now)
        self.save(before=now, label="Oddest part")

    def test_a_part_goes_in_the_place_of_one_that_is_there(self):
        kept = self.save(instead_of=["coin-cell"])
        self.assertEqual(kept["instead_of"], ["coin-cell"])
        self.assertEqual(part_kinds()["odd-part"].instead_of, ("coin-cell",))
        said = self.save(422, kept, instead_of=["nobody-knows"])
        self.assertIn("no part kind nobody-knows", said["detail"])

    def test_what_is_no_kind_is_refused(self):
        for other in ({"facts": {"type": "smell"}}, {"key": "Odd Part"}, {"label": " "}, {"x": 1}):
            self.save(422, **other)

    def test_offers_with_breaks_that_fall(self):
        offer = {
            "kind": "sodimm-ddr4-8",
            "supplier": "Quay parts",
            "price_cents": 900,
            "limit": 50,
            "days": 2,
            "breaks": [{"from_count": 10, "price_cents": 950}],
        }
        said = self.api("put", "furnish/offers", {"offer": offer}, status=422)
        self.assertIn("costs less", said["detail"])
        offer["breaks"][0]["price_cents"] = 800
        kept = self.api("put", "furnish/offers", {"offer": offer})
        dearer = kept | {"price_cents": 1_000}
        now = self.api("put", "furnish/offers", {"offer": dearer, "before": kept})
        said = self.api("put", "furnish/offers", {"offer": kept, "before": kept}, status=409)
        self.assertEqual(said["facts"]["document"], now)
        self.assertTrue(OfferRow.objects.filter(pk=kept["id"]).exists())
        self.api("delete", f"furnish/offers/{kept['id']}")
        self.assertFalse(OfferRow.objects.filter(pk=kept["id"]).exists())

    def list(self, data: bytes, then: str, status: int = 200, **mapping):
        said = {"mapping": json.dumps(mapping)} if mapping else {}
        return self.upload(f"furnish/stock-list/{then}", data, status=status, **said)

    def test_a_stock_list_is_booked_in_whole_and_taken_back(self):
        before = Lot.objects.count()
        data = b"part,count,place,condition\n8 GB DDR4 SODIMM,4,Z-1,new\nCoin cell,9,Z-2,new\n"
        looked = self.list(data, "look")
        self.assertEqual([row["state"] for row in looked["rows"]], ["ok", "ok"])
        booked = self.list(data, "take")
        self.assertEqual(booked["parts"], 13)
        self.assertEqual(Lot.objects.filter(place__startswith="Z-").count(), 2)
        self.api("post", f"stock/acts/{booked['act']}/back")
        there = Lot.objects.filter(place__startswith="Z-").values_list("on_hand", flat=True)
        self.assertEqual(set(there), {0})
        self.assertEqual(Lot.objects.exclude(place__startswith="Z-").count(), before)

    def test_one_fault_books_nothing_in(self):
        data = b"part,count,place,condition\n8 GB DDR4 SODIMM,4,Z-1,new\nCoin cell,x,Z-2,new\n"
        said = self.list(data, "take", 422)
        self.assertIn("Line 3", said["detail"])
        self.assertFalse(Lot.objects.filter(place__startswith="Z-").exists())

    def test_what_is_no_mapping_is_refused(self):
        file = b"part,count,place\nCoin cell,1,Z-1\n"
        self.upload("furnish/stock-list/look", file, status=422, mapping="{nonsense")


class People(Furnished):
    def invited(self, **body) -> str:
        made = self.api("post", "people/invitations", {"name": "Noor Lake"} | body)
        return made["link"].split("key=")[1]

    def join(self, link: str, status: int = 200, **other):
        body = {"link": link, "username": "noor", "password": GOOD} | other
        return sent(Client(), "post", "people/join", body, status)

    def test_somebody_joins_by_a_link_that_works_once(self):
        link = self.invited(roles=["technician"])
        self.assertNotIn(link, str(list(Invitation.objects.values())))
        who = sent(Client(), "post", "people/who", {"link": link, "password": ""})
        self.assertEqual(who["name"], "Noor Lake")
        self.join(link, 422, password="short")
        self.join(link, 422, username="MARIT")
        self.assertEqual(self.join(link)["person"]["roles"], ["technician"])
        self.join(link, 404, username="other")
        self.assertTrue(Person.objects.get(username="noor").check_password(GOOD))
        self.assertIn("Argon2", settings.PASSWORD_HASHERS[0])

    def test_a_lost_password_is_chosen_anew_and_old_sessions_end(self):
        client = self.client_of(self.ines)
        self.assertEqual(client.get("/api/stock").status_code, 200)
        link = self.invited(username="ines")
        self.join(link)
        self.assertEqual(client.get("/api/stock").status_code, 401)

    def test_an_old_link_and_one_of_somebody_who_left_do_not_work(self):
        link = self.invited(roles=["inspector"])
        Invitation.objects.update(at="2020-01-01T00:00Z")
        self.join(link, 404)

    def change(self, username: str, status: int = 200, **other):
        body = {"name": "Ines Kolbe", "roles": ["inspector"]} | other
        return self.api("put", f"people/{username}", body, status=status)

    def test_who_leaves_cannot_sign_in_and_stays_on_record(self):
        client = self.client_of(self.ines)
        self.change("ines", here=False)
        self.assertEqual(client.get("/api/stock").status_code, 401)
        self.assertTrue(Person.objects.filter(username="ines").exists())
        body = {"username": "ines", "password": "tide"}
        sent(Client(), "post", "session", body, 422)

    def test_the_last_owner_stays(self):
        said = self.change("marit", 422, name="Marit Dohl", roles=["planner"])
        self.assertIn("only owner", said["detail"])
        self.change("marit", 422, name="Marit Dohl", roles=["owner"], here=False)
        self.change("ines", roles=["owner", "inspector"])
        self.change("marit", name="Marit Dohl", roles=["planner"])

    def test_only_an_owner_invites_and_changes(self):
        body = {"name": "X Y", "roles": ["planner"]}
        self.api("post", "people/invitations", body, status=403, person=self.ines)
        self.api("put", "people/ines", body, status=403, person=self.ines)

    def test_ones_own_password_and_signing_out_everywhere(self):
        here, there = self.client_of(self.ines), self.client_of(self.ines)
        sent(here, "post", "people/me/password", {"old": "wrong", "new": GOOD}, 422)
        sent(here, "post", "people/me/password", {"old": "tide", "new": GOOD})
        self.assertEqual(here.get("/api/stock").status_code, 200)
        self.assertEqual(there.get("/api/stock").status_code, 401)
        other = self.client_of(Person.objects.get(username="ines"))
        sent(here, "post", "people/me/everywhere", {})
        self.assertEqual(here.get("/api/stock").status_code, 200)
        self.assertEqual(other.get("/api/stock").status_code, 401)

    def test_a_second_number_is_asked_for_once_it_was_shown_to_work(self):
        here = self.client_of(self.ines)
        secret = here.get("/api/people/me/second").json()["secret"]
        sent(here, "post", "people/me/second", {"secret": secret, "number": "000000"}, 422)
        number = pyotp.TOTP(secret).now()
        sent(here, "post", "people/me/second", {"secret": secret, "number": number})
        body = {"username": "ines", "password": "tide"}
        asked = sent(Client(), "post", "session", body, 422)
        self.assertTrue(asked["facts"]["second"])
        wrong = body | {"password": "no", "number": number}
        self.assertNotIn("second", sent(Client(), "post", "session", wrong, 422)["facts"])
        sent(Client(), "post", "session", body | {"number": pyotp.TOTP(secret).now()})
        sent(here, "post", "people/me/second", {"password": "wrong"}, 422)
        sent(here, "post", "people/me/second", {"password": "tide"})
        sent(Client(), "post", "session", body)


class RoundTrips(Furnished, HypothesisTestCase):
    """Whatever a workshop writes goes out and comes in again as it was."""

    KEYS = st.from_regex(r"[a-z][a-z0-9]{0,6}(-[a-z0-9]{1,5})?", fullmatch=True)
    WORDS = st.text(min_size=1, max_size=40).filter(
        lambda text: text.strip() and "\x00" not in text
    )
    FACTS = st.one_of(
        st.builds(OtherFacts),
        st.builds(PackFacts, family=WORDS, design_wh=st.floats(1, 400)),
        st.builds(BracketFacts, drive_mm=st.just(42), standoff_mm=st.integers(43, 120)),
    )
    KINDS = st.lists(
        st.builds(
            PartKind,
            key=KEYS,
            label=WORDS,
            facts=FACTS,
            harvest_value_cents=st.integers(0, 10**8),
            stream=st.sampled_from([None, *Stream]),
            grams=st.integers(0, 10**6),
            least=st.integers(0, 10**5),
        ),
        max_size=5,
        unique_by=lambda kind: kind.key,
    )

    @few(5)
    @given(KINDS, st.integers(0, 10**8), st.sampled_from(list(Grade)))
    def test_a_workshop_file(self, kinds, cents, grade):
        for kind in kinds:
            PartKindRow.objects.filter(key=kind.key).delete()
            add_part_kind(kind)
        cell = {"sheet": "quarrin-stilt-q2", "grade": grade, "price_cents": cents}
        newest = {s.key: s.version for s in newest_standards()}["desk-ready"]
        changes = [{"standard": "desk-ready", "started_from": newest, "cells": [cell]}]
        self.api("put", "furnish/prices", {"changes": changes, "words": ""})
        data = workshop_file()
        said = take_workshop_file(read_workshop_file(data), self.marit)
        self.assertEqual((said.new, said.changed, said.left, said.asked), ([], [], [], []))
        for kind in kinds:
            PartKindRow.objects.filter(key=kind.key).delete()
        said = take_workshop_file(read_workshop_file(data), self.marit)
        self.assertEqual(len(said.new), len(kinds))
        self.assertEqual(workshop_file(), data)


class AsAFile(Furnished):
    def test_the_same_workshop_changes_nothing(self):
        data = workshop_file()
        self.assertEqual(data, workshop_file())
        said = take_workshop_file(read_workshop_file(data), self.marit)
        self.assertEqual((said.new, said.changed, said.left), ([], [], []))
        self.assertGreater(said.same, 50)

    def test_what_is_gone_comes_back_the_same(self):
        data = workshop_file()
        OfferRow.objects.all().delete()
        said = take_workshop_file(read_workshop_file(data), self.marit)
        self.assertEqual(len(said.new), OfferRow.objects.count())
        self.assertEqual(workshop_file(), data)

    def test_what_differs_becomes_the_next_version(self):
        parts = {
            name: json.loads(zipfile.ZipFile(io.BytesIO(workshop_file())).read(name))
            for name in zipfile.ZipFile(io.BytesIO(workshop_file())).namelist()
        }
        parts["standards/desk-ready.json"]["name"] = "Desk good"
        parts["workshop.json"]["kinds"][0]["label"] = "Another name"
        given = read_workshop_file(packed(parts))
        trial = take_workshop_file(given, self.marit, trial=True)
        self.assertEqual(StandardVersion.objects.filter(key="desk-ready").count(), 1)
        said = take_workshop_file(given, self.marit)
        self.assertEqual(said, trial)
        self.assertEqual(len(said.changed), 2)
        self.assertEqual(StandardVersion.objects.filter(key="desk-ready").count(), 2)

    def test_a_sheet_that_differs_is_asked_and_a_proof_says_who_saw_it(self):
        sheets = {sheet.key: sheet.model_dump(mode="json") for sheet in newest_sheets().values()}
        theirs = sheets["ombrel-folio-15"]
        theirs["memory"]["proven"] = {
            "gb": 40,
            "source": "bench",
            "units_on_record": 12,
            "seen_by": "Harbour Works",
        }
        head = {"format": "sortis-workshop-file-4"}
        given = read_workshop_file(packed({"workshop.json": head, "sheets/f.json": theirs}))
        trial = take_workshop_file(given, self.marit, trial=True)
        self.assertEqual(OfferedSheet.objects.count(), 0)
        for _ in range(2):
            said = take_workshop_file(given, self.marit)
            self.assertEqual(said, trial)
        self.assertEqual(said.asked, ["sheet Ombrel Folio 15: 1 fact differs"])
        (waits,) = self.api("get", "sheets/offered")
        (question,) = self.api("get", f"sheets/offered/{waits['id']}")["questions"]
        self.assertEqual(question["theirs"], "40 GB on 12 units, seen by Harbour Works")
        self.assertEqual(newest_sheets()["ombrel-folio-15"].memory.proven.gb, 24)

    def test_a_file_takes_no_other_standards_name(self):
        other = newest_standards()[0].model_dump(mode="json") | {"key": "other-one"}
        head = {"format": "sortis-workshop-file-4"}
        given = read_workshop_file(packed({"workshop.json": head, "standards/o.json": other}))
        with self.assertRaisesRegex(StandardRefused, "already"):
            take_workshop_file(given, self.marit)
        self.assertFalse(StandardVersion.objects.filter(key="other-one").exists())

    def test_hostile_files_are_refused_in_words(self):
        head = {"format": "sortis-workshop-file-4"}
        nameless = {"key": "x", "label": " ", "facts": {"type": "part"}}
        rising = {"kind": next(iter(part_kinds())), "supplier": "x", "price_cents": 5, "limit": 1}
        rising |= {"days": 1, "breaks": [{"from_count": 10, "price_cents": 9}]}
        twice = newest_standards()[0].model_dump(mode="json")
        twice["gates"] = [*twice["gates"], twice["gates"][0]]
        for data, words in (
            (b"", "no zip"),
            (b"PK\x03\x04 cut off", "no zip"),
            (workshop_file()[:-200], "no zip"),
            (packed({}), "no workshop file"),
            (packed({"workshop.json": {"format": "sortis-workshop-file-9"}}), "no workshop file"),
            (packed({"workshop.json": []}), "no workshop file"),
            (packed({"workshop.json": head | {"kinds": 5}}), "workshop.json"),
            (packed({"workshop.json": head | {"kinds": [{"key": 1}]}}), "workshop.json"),
            (packed({"workshop.json": head | {"settings": {"currency": "x"}}}), "currency"),
            (packed({"workshop.json": head, "standards/x.json": {"a": 1}}), "standards/x.json"),
            (packed({"workshop.json": head, "sheets/x.json": None}), "sheets/x.json"),
            (packed({"workshop.json": head, "passwd": {}}), "passwd"),
            (damaged(workshop_file()), "no zip"),
            (packed({"workshop.json": head | {"kinds": [nameless]}}), "a name"),
            (packed({"workshop.json": head | {"offers": [rising]}}), "do not fall"),
            (packed({"workshop.json": head, "standards/x.json": twice}), "stands twice"),
            (
                packed({"workshop.json": head | {"offers": [{"kind": "no", "supplier": "x"}]}}),
                "workshop.json",
            ),
        ):
            with self.assertRaises(FileRefused) as refused:
                read_workshop_file(data)
            self.assertIn(words, refused.exception.sentence)

    def test_a_bomb_is_refused_before_it_is_unpacked(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as file:
            file.writestr("workshop.json", b" " * 61_000_000)
        with self.assertRaisesRegex(FileRefused, "unpacks to more"):
            read_workshop_file(out.getvalue())

    def test_the_starter_set_reads_and_names_no_maker(self):
        given = read_workshop_file(starter_set())
        self.assertEqual({sheet.maker for sheet in given.sheets}, {"Generic"})
        self.assertTrue(all(not standard.prices for standard in given.standards))
        self.assertIsNone(given.settings)

    def test_the_command_line_takes_it_in_and_out(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "w.zip"
            call_command("workshop_file", "export", str(file), stdout=io.StringIO())
            said = io.StringIO()
            call_command("workshop_file", "import", str(file), stdout=said)
            self.assertIn("0 new, 0 changed", said.getvalue())
            with self.assertRaisesRegex(CommandError, "No such file"):
                call_command("workshop_file", "import", f"{folder}/none.zip")
            call_command("workshop_file", "import", "starter", "--trial", stdout=said)
            self.assertIn("would be new", said.getvalue())
            self.assertFalse(PartKindRow.objects.filter(key="pack-g2-55").exists())

    def test_only_an_owner_takes_it_out_or_in(self):
        self.api("get", "furnish/file.zip", status=403, person=self.ines)
        answer = self.client_of(self.marit).get("/api/furnish/file.zip")
        self.assertEqual(answer.content, workshop_file())
        looked = self.upload("furnish/file/look", answer.content)
        self.assertEqual(looked["new"], [])


class Batches(Furnished):
    def out(self) -> dict:
        return self.api("get", f"batches/{self.batch.slug}/batch.json")

    def take(self, document: dict, status: int = 200):
        data = json.dumps(document).encode()
        return self.upload("batch-files", data, status=status, name="b.json")

    def test_the_same_batch_changes_nothing(self):
        first, _ = self.announce("stilt", "folio")
        self.inspect(first, m2="-")
        said = self.take(self.out())
        self.assertTrue(said["same"])
        self.assertEqual(Batch.objects.count(), 1)

    def test_elsewhere_it_comes_with_what_was_found(self):
        first, second, third = self.announce("stilt", "folio", "stilt")
        self.inspect(first, m2="-")
        self.inspect(second, p1="!s")
        document = self.out()
        for unit in document["units"]:
            unit["serial"] += "-x"
        said = self.take(document)
        self.assertEqual((said["units"], said["same"]), (3, False))
        self.assertEqual(len(said["words"]), 3)
        batch = Batch.objects.get(slug=said["batch"])
        units = list(batch.units.order_by("position"))
        self.assertEqual([u.stage.value for u in units], ["decide", "inspect", "arrive"])
        self.assertEqual([u.blocked for u in units], [False, True, False])
        view = self.api("get", f"units/{units[0].tag}/inspection")
        was = self.api("get", f"units/{first.tag}/inspection")
        self.assertEqual(view["entries"], was["entries"])
        self.assertEqual(self.stage(third), "inspect")

    def test_what_is_no_batch_is_refused_in_words(self):
        self.announce("stilt")
        good = self.out()
        for document, words in (
            ([], "no batch file"),
            ({"format": "sortis-batch-9"}, "no batch file"),
            (good | {"currency": "CHF"}, "CHF"),
            (good | {"units": good["units"] * 2}, "stands twice"),
            (good | {"money_cents": -1}, "money_cents"),
            (good | {"colour": "red"}, "colour"),
            (
                good
                | {"name": "B", "sheets": [], "units": [good["units"][0] | {"sheet": "nothing"}]},
                "no sheet nothing",
            ),
        ):
            self.assertIn(words, self.take(document, 422)["detail"])
        said = self.upload("batch-files", b"{cut", status=422, name="b.json")
        self.assertIn("no JSON", said["detail"])
        self.assertEqual(Batch.objects.count(), 1)


class Purchases(Furnished):
    def test_a_purchase_is_changed_or_taken_off_before_it_is_sent(self):
        offer = OfferRow.objects.filter(limit__gt=5, pack_size=1).first()
        left = offer.limit
        made = plan_purchase(offer.pk, self.batch, 3, None)
        path = f"stock/purchases/{made.pk}"
        (view,) = self.api("put", path, {"count": 5})
        self.assertEqual(view["count"], 5)
        offer.refresh_from_db()
        self.assertEqual(offer.limit, left - 5)
        self.api("put", path, {"count": left + 1}, status=422)
        self.assertEqual(self.api("put", path, {"count": 0}), [])
        offer.refresh_from_db()
        self.assertEqual(offer.limit, left)
        self.api("put", path, {"count": 1}, status=404)

    def test_what_is_ordered_or_promised_stays(self):
        offer = OfferRow.objects.filter(limit__gt=5, pack_size=1).first()
        made = plan_purchase(offer.pk, self.batch, 3, None)
        body = {"ids": [made.pk], "how": "hand"}
        self.api("post", "stock/purchases/order", body)
        said = self.api("put", f"stock/purchases/{made.pk}", {"count": 2}, status=422)
        self.assertIn("ordered", said["detail"])

    def test_what_nobody_ordered_is_reckoned_from_today(self):
        offer = OfferRow.objects.filter(limit__gt=5, pack_size=1, days__lt=20).first()
        made = plan_purchase(offer.pk, self.batch, 3, None)
        Purchase.objects.filter(pk=made.pk).update(planned_at=timezone.now() - timedelta(30))
        (coming,) = self.api("get", "today")["coming"]
        expected = str(date.today() + timedelta(offer.days))
        self.assertEqual(
            (coming["state"], coming["due"], coming["late"]), ("planned", expected, False)
        )
        self.api("post", "stock/purchases/order", {"ids": [made.pk], "how": "hand"})
        (coming,) = self.api("get", "today")["coming"]
        self.assertEqual((coming["state"], coming["late"]), ("ordered", True))

    def test_the_schools_that_were_kept_hold_for_the_batch(self):
        (unit,) = self.announce("stilt")
        self.inspect(unit, m2="-")
        policy = self.api("get", f"batches/{self.batch.slug}/plan")["policy"]
        self.plan(policy=policy | {"board": "never_swap"})
        now = self.api("get", f"batches/{self.batch.slug}/plan")["policy"]
        self.assertEqual(now["board"], "never_swap")
