"""Whatever is sent, the answer is a result or a refusal in words, never a fault of the server."""

import json
import re
from contextlib import contextmanager
from typing import get_args
from unittest import mock

from django.db import OperationalError
from django.db.backends.utils import CursorWrapper
from django.test import TestCase
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as PropertyCase
from pydantic import BaseModel

from house.place import HOME
from sortis_core.intake.entry import PART_WORDS, PLACE_WORDS, TEST_WORDS
from sortis_server.api import api
from tests.examples import few
from tests.server.workshop import Workshop

JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**12), 10**12) | st.text(max_size=12),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3)
    ),
    max_leaves=6,
)
FIELDS = st.sampled_from(
    [
        "trim",
        "entries",
        "started_from",
        "enough",
        "version",
        "words",
        "gate",
        "tags",
        "money_cents",
        "bench_minutes",
        "policy",
        "name",
        "place",
        "text",
        "caret",
        "answers",
        "code",
        "before",
        "kind",
        "seen",
        "how",
        "sheet",
        "size",
        "document",
        "maker",
        "model",
        "near",
        "tag",
    ]
)
PATHS = st.sampled_from(
    [
        "units/TW-0001/read",
        "units/TW-0001/inspection",
        "units/TW-0001/hazard",
        "units/TW-0001/work/tick",
        "units/TW-0001/work/stop",
        "units/TW-0001/release/sign",
        "units/TW-0001/release",
        "batches/harbour-office/plan",
        "batches/harbour-office/count-in",
        "batches/harbour-office/plan/1/approve",
        "batches",
        "stock/purchases/1/arrived",
        "units/TW-0001/line",
        "units/TW-0001/probe",
        "units/TW-0001/beside",
        "units/TW-0001/search",
        "units/TW-0001/photos/1/back",
        "batches/harbour-office/scan",
        "batches/harbour-office/notes/1",
        "batches/harbour-office/extras",
        "batches/harbour-office/labels/print",
        "batches/harbour-office/manifests/1/take",
        "sheets",
        "sheets/draw",
        "sheets/begin",
        "sheets/tolva-lern-11/proof",
    ]
)


class Anything(Workshop, PropertyCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    @few(33)
    @given(PATHS, st.dictionaries(FIELDS, JSON, max_size=4) | JSON)
    def test_any_body_is_answered_in_words(self, path, body):
        self.announce("stilt")
        answer = self.at_work(self.marit).post(
            f"/api/{path}", json.dumps(body), content_type="application/json"
        )
        self.assertLess(answer.status_code, 500, answer.content[:300])
        if answer.status_code >= 400:
            self.assertEqual(answer["Content-Type"], "application/problem+json")
            self.assertGreater(len(answer.json()["detail"]), 10)


class Documents(TestCase):
    """The docs say what is so."""

    def test_every_variable_of_the_settings_is_written_down(self):
        settings_file = (HOME / "server/sortis_server/settings.py").read_text()
        page = (HOME / "docs" / "running.md").read_text()
        for name in set(re.findall(r"SORTIS_(?!DB_)[A-Z_]+", settings_file)):
            self.assertIn(name, page)

    def test_the_words_of_the_strip_are_in_the_formats_page_or_its_table(self):
        table = (HOME / "core/sortis_core/intake/entry.py").read_text().split('"""')[1]
        for word in {*PLACE_WORDS, *PART_WORDS, *TEST_WORDS} - {"", "?"}:
            self.assertIn(f"``{word}``", table)

    def test_every_call_of_the_api_says_what_it_does(self):
        for path, methods in api.get_openapi_schema(path_prefix="/api/")["paths"].items():
            for method, call in methods.items():
                self.assertTrue(call.get("description"), f"{method} {path}")


class Names(TestCase):
    def test_no_two_types_of_the_api_share_a_name(self):
        """The generated types know a type by its name alone."""
        found: dict[str, set[str]] = {}
        waiting = list(BaseModel.__subclasses__())
        while waiting:
            kind = waiting.pop()
            waiting += kind.__subclasses__()
            if kind.__module__.startswith("sortis"):
                found.setdefault(kind.__name__, set()).add(kind.__module__)
        self.assertGreater(len(found), 100)
        self.assertEqual({name: where for name, where in found.items() if len(where) > 1}, {})


class Named(TestCase):
    def test_no_two_types_share_a_name_in_the_document(self):
        """The document knows types by name alone: the second of a name would hide the first."""
        found: dict[str, set[str]] = {}
        seen: set[type] = set()

        def walk(one):
            for inner in get_args(one):
                walk(inner)
            if not isinstance(one, type) or not issubclass(one, BaseModel) or one in seen:
                return
            seen.add(one)
            found.setdefault(one.__name__, set()).add(one.__module__)
            for field in one.model_fields.values():
                walk(field.annotation)

        for _, router in api._routers:
            for path in router.path_operations.values():
                for operation in path.operations:
                    for model in operation.models:
                        walk(model)
                    for model in operation.response_models.values():
                        walk(model)
        made_here = {
            name: {m for m in modules if m.startswith("sortis")} for name, modules in found.items()
        }
        twice = {name: modules for name, modules in made_here.items() if len(modules) > 1}
        self.assertEqual(twice, {})
        self.assertGreater(len(found), 150)


class Away(Workshop, TestCase):
    """A database that is away is said everywhere, not by the API's own operations alone."""

    @classmethod
    def setUpTestData(cls):
        cls.furnish()

    def setUp(self):
        self.client = self.client_of(self.marit)
        self.client.raise_request_exception = False

    @contextmanager
    def failing(self, error: Exception):
        with (
            mock.patch.object(CursorWrapper, "execute", side_effect=error),
            self.assertLogs("django.request", "ERROR"),
        ):
            yield

    def test_a_read_and_a_named_write_are_refused_in_words(self):
        calls = {
            "read": lambda: self.client.get("/api/batches"),
            "write": lambda: self.client.post(
                "/api/batches",
                "{}",
                content_type="application/json",
                headers={"idempotency-key": "abcdefgh"},
            ),
        }
        for name, call in calls.items():
            with self.subTest(name), self.failing(OperationalError(2002, "away")):
                told = call()
                self.assertEqual(told.status_code, 503)
                self.assertIn("does not answer", told.json()["detail"])

    def test_a_full_disk_is_said_as_what_it_is(self):
        full = OperationalError(1114, "The table 'decide_planrow' is full")
        with mock.patch.object(CursorWrapper, "execute", side_effect=full):
            told = self.client.get("/api/batches")
        self.assertEqual((told.status_code, told.json()["facts"]), (503, {}))
        self.assertIn("disk of the database is full", told.json()["detail"])

    def test_pages_say_it_and_ask_again(self):
        for path in ("/", "/alive", "/p/" + 20 * "k"):
            with self.subTest(path), self.failing(OperationalError(2002, "away")):
                told = self.client.get(path)
                self.assertEqual(told.status_code, 503)
                self.assertContains(told, "does not answer", status_code=503)
                self.assertContains(told, 'http-equiv="refresh"', status_code=503)

    def test_what_nobody_foresaw_is_said_without_what_it_was(self):
        with self.failing(ZeroDivisionError("a secret")):
            told = self.client.get("/alive")
        self.assertContains(told, "nobody foresaw", status_code=500)
        self.assertNotContains(told, "secret", status_code=500)
