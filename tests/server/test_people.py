import json
import re
from io import BytesIO, StringIO
from unittest import mock

import pyotp
from django.core.management import CommandError, call_command
from django.test import Client, TestCase, override_settings
from pypdf import PdfReader

from sortis_server.api import api
from sortis_server.arrive.models import Unit
from sortis_server.decide.models import PlanRow
from sortis_server.people.badges import badge_of
from sortis_server.people.models import Person
from sortis_server.stock.models import Movement
from tests.server.workshop import Workshop

OPEN = {
    ("get", "/api/session"),
    ("post", "/api/session"),
    ("post", "/api/furnish/start"),
    ("post", "/api/furnish/start/asked"),
    ("post", "/api/people/who"),
    ("post", "/api/people/join"),
}
"""What people need who are not signed in yet; the last four want a link that only they have."""


OWN = {("delete", "/api/session")}
"""What everybody may do about themselves."""


class SigningIn(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def post(self, client, path, body, **headers):
        return client.post(path, json.dumps(body), content_type="application/json", headers=headers)

    def test_right_and_wrong_passwords(self):
        wrong = self.post(Client(), "/api/session", {"username": "ines", "password": "no"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("do not match", wrong.json()["detail"])
        client = Client()
        right = self.post(client, "/api/session", {"username": "ines", "password": "tide"})
        self.assertEqual(right.json()["person"]["name"], "Ines Kolbe")
        self.assertEqual(client.get("/api/batches").status_code, 200)
        client.delete("/api/session")
        self.assertEqual(client.get("/api/batches").status_code, 401)

    def test_a_badge_names_who_signs_in_and_nothing_else(self):
        badge = badge_of(self.ines)
        client = Client()
        said = self.post(client, "/api/session", {"username": badge.lower(), "password": "tide"})
        self.assertEqual(said.json()["person"]["username"], "ines")
        found = client.get("/api/codes", {"codes": badge}).json()
        self.assertEqual((found["kind"], found["code"]), ("person", badge))
        self.assertIn("The badge of Ines Kolbe.", found["words"])
        pdf = PdfReader(BytesIO(client.get("/api/people/badges.pdf").content))
        self.assertIn("Ines Kolbe", pdf.pages[0].extract_text())
        # Whose badge it is stays untold where nobody is signed in, and guessing locks one name.
        wrong = {"username": badge, "password": "no"}
        nobody = {"username": "BADGE-99999", "password": "no"}
        told = {
            self.post(Client(), "/api/session", one).json()["detail"] for one in (wrong, nobody)
        }
        self.assertEqual(len(told), 1)
        for _ in range(8):
            self.post(Client(), "/api/session", wrong)
        named = self.post(Client(), "/api/session", {"username": "ines", "password": "tide"})
        self.assertEqual(named.status_code, 429)
        # A badge of somebody who left is none.
        Person.objects.filter(pk=self.ines.pk).update(is_active=False)
        told = self.client_of(self.marit).get("/api/codes", {"codes": badge})
        self.assertEqual(told.status_code, 404)

    def test_many_wrong_passwords_lock_the_name_for_a_while(self):
        for _ in range(8):
            self.post(Client(), "/api/session", {"username": "ines", "password": "no"})
        answer = self.post(Client(), "/api/session", {"username": "ines", "password": "tide"})
        self.assertEqual(answer.status_code, 429)
        self.assertIn("Wait a quarter of an hour", answer.json()["detail"])

    def test_behind_a_front_a_guesser_elsewhere_locks_nobody_out(self):
        def sign_in(password: str, said: str) -> int:
            body = {"username": "ines", "password": password}
            headers = {"X-Forwarded-For": said}
            return self.post(Client(), "/api/session", body, **headers).status_code

        with override_settings(TRUSTED_HOPS=1):
            for number in range(9):
                # What stands before the last address was written by whoever asks.
                sign_in("no", f"10.0.0.{number}, 203.0.113.9")
            self.assertEqual(sign_in("tide", "203.0.113.9"), 429)
            self.assertEqual(sign_in("tide", "198.51.100.4"), 200)
            self.assertEqual(sign_in("tide", "nonsense"), 200)
        # Nobody stands before it: then nothing that is said so is believed.
        for _ in range(9):
            sign_in("no", "192.0.2.77")
        self.assertEqual(sign_in("tide", "198.51.100.4"), 429)

    def test_guessed_second_numbers_lock_the_name_too(self):
        self.ines.second_secret = pyotp.random_base32()
        self.ines.save()
        right = {"username": "ines", "password": "tide"}
        for _ in range(9):
            asked = self.post(Client(), "/api/session", right)  # nothing guessed yet
            self.assertEqual(asked.status_code, 422)
        number = pyotp.TOTP(self.ines.second_secret).now()
        wrong = f"{(int(number) + 500_000) % 1_000_000:06}"
        for _ in range(8):
            self.post(Client(), "/api/session", right | {"number": wrong})
        answer = self.post(Client(), "/api/session", right | {"number": number})
        self.assertEqual(answer.status_code, 429)

    def test_everything_else_is_behind_it(self):
        document = api.get_openapi_schema(path_prefix="/api/")
        calls = 0
        for path, methods in document["paths"].items():
            for method in methods:
                if (method, path) in OPEN:
                    continue
                filled = re.sub(r"\{(slug|tag|key|kind|username)\}", "x", path)
                filled = re.sub(r"\{\w+\}", "1", filled)
                answer = getattr(Client(), method)(filled)
                self.assertEqual(answer.status_code, 401, f"{method} {path}")
                calls += 1
        self.assertGreater(calls, 20)
        page = Client().get("/harbour-office/decide")
        self.assertEqual(
            (page.status_code, page["Location"]), (302, "/sign-in?next=%2Fharbour-office%2Fdecide")
        )

    def test_who_comes_from_another_page_is_told_before_anything_is_tried(self):
        given = {"username": "ines", "password": "tide"}
        for origin in ("https://elsewhere.example", "null", "http://testserver.elsewhere.example"):
            refused = self.post(Client(), "/api/session", given, origin=origin)
            self.assertEqual(refused.status_code, 422, origin)
            self.assertIn("SORTIS_ORIGINS", refused.json()["detail"])
        with self.settings(CSRF_TRUSTED_ORIGINS=["https://*.shop.example"]):
            known = self.post(Client(), "/api/session", given, origin="https://a.shop.example")
            self.assertEqual(known.status_code, 200)
        own = self.post(Client(), "/api/session", given, origin="http://testserver")
        self.assertEqual(own.status_code, 200)

    def test_who_has_no_role_writes_nothing(self):
        nobody = Person.objects.create_person("nobody", "No Role", [], "tide")
        (unit,) = self.announce("stilt")
        self.inspect(unit)
        client = self.client_of(nobody)
        client.raise_request_exception = False
        before = Movement.objects.count(), Unit.objects.count(), PlanRow.objects.count()
        let_in = set()
        document = api.get_openapi_schema(path_prefix="/api/")
        for path, operations in document["paths"].items():
            filled = path.replace("{slug}", self.batch.slug).replace("{tag}", unit.tag)
            filled = re.sub(r"\{[^}]+\}", "1", filled)
            for method in set(operations) - {"get", "parameters"}:
                answer = client.generic(method.upper(), filled, "{}", "application/json")
                if answer.status_code < 400:
                    let_in.add((method, path))
        self.assertEqual(let_in - OWN, set())
        after = Movement.objects.count(), Unit.objects.count(), PlanRow.objects.count()
        self.assertEqual(after, before)

    def test_writing_without_the_token_is_refused(self):
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.marit, backend="django.contrib.auth.backends.ModelBackend")
        path = f"/api/batches/{self.batch.slug}/count-in"
        self.assertEqual(self.post(client, path, {"tags": None}).status_code, 403)
        token = client.get("/api/session").json()["csrf_token"]
        answer = self.post(client, path, {"tags": None}, **{"X-CSRFToken": token})
        self.assertEqual(answer.status_code, 200)

    def test_another_role_is_told_whose_work_it_is(self):
        slug = self.batch.slug
        for path, body, role in (
            (f"batches/{slug}/plan", {}, "planner"),
            (f"batches/{slug}/count-in", {"tags": None}, "receiver"),
            ("units/TW-0001/work/tick", {"version": 1}, "technician"),
            ("units/TW-0001/release", None, "releaser"),
            ("stock/purchases/1/arrived", {"place": "x"}, "storekeeper"),
        ):
            said = self.api("post", path, body, status=403, person=self.ines)
            self.assertIn(f"Sign in as a {role}", said["detail"])

    def test_pages_carry_a_strict_policy(self):
        policy = Client().get("/sign-in")["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe", policy)

    def add(self, username: str, *passwords: str) -> str:
        out = StringIO()
        asked = "sortis_server.people.management.commands.add_person.getpass"
        with mock.patch(asked, side_effect=passwords):
            call_command("add_person", username, "Nele Voss", "planner", "releaser", stdout=out)
        return out.getvalue()

    def test_somebody_is_added_who_can_sign_in(self):
        self.assertIn("Nele Voss can sign in", self.add("nele", "long enough", "long enough"))
        body = {"username": "nele", "password": "long enough"}
        found = self.post(Client(), "/api/session", body).json()["person"]
        self.assertEqual(found["roles"], ["planner", "releaser"])

    def test_nobody_is_added_with_a_taken_name_or_a_poor_password(self):
        for name, passwords, words in (
            ("ines", (), "signs in as ines already"),
            ("badge-3", (), "reads like a code"),
            ("nele", ("short",), "at least 10"),
            ("nele", ("long enough", "long enougH"), "differ"),
        ):
            with self.assertRaisesRegex(CommandError, words):
                self.add(name, *passwords)
