"""Whatever is sent within or beside the shapes that the API tells, no answer is a fault of ours."""

import json
import re
from typing import Any
from urllib.parse import quote

from django.test import TestCase
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from sortis_server.api import api
from tests.examples import few
from tests.server.workshop import Workshop

DOCUMENT = api.get_openapi_schema(path_prefix="/api/")
LEFT_OUT = ("/api/session", "/api/people")
"""Who signs out, or changes who may sign in, ends the run."""
ODD = st.sampled_from(
    ["", " ", "0", "-1", "9" * 400, "1e308", "\u0000", "\u202e", "Ω≈", "a" * 500, "../..", "%00"]
)
NUMBERS = st.one_of(
    st.integers(), st.sampled_from([2**31, 2**63, -(2**63), 10**40]), st.floats(allow_nan=False)
)
ANYTHING = st.recursive(
    st.one_of(st.none(), st.booleans(), NUMBERS, st.text(max_size=20), ODD),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner),
    max_leaves=6,
)
"""Values of every kind, also where another is wanted."""


REF = "#/components/schemas/"
DEEP = 6
"""Shapes inside shapes are sent no deeper."""


def fitting(schema: dict[str, Any], depth: int = 0) -> st.SearchStrategy[Any]:
    """What has a schema's shape; lengths and patterns are not kept to."""
    if "$ref" in schema:
        named = DOCUMENT["components"]["schemas"][schema["$ref"].removeprefix(REF)]
        return fitting(named, depth + 1)
    for choice in ("anyOf", "oneOf", "allOf"):
        if choice in schema:
            return st.one_of([fitting(one, depth + 1) for one in schema[choice]])
    if "const" in schema or "enum" in schema:
        return st.sampled_from([*schema.get("enum", ()), *filter(None, [schema.get("const")])])
    match schema.get("type"):
        case "object" if depth < DEEP:
            fields = schema.get("properties", {})
            inner = {name: fitting(one, depth + 1) for name, one in fields.items()}
            needed = {name: inner.pop(name) for name in schema.get("required", ()) if name in inner}
            others = schema.get("additionalProperties")
            if not fields and isinstance(others, dict):
                return st.dictionaries(st.text(max_size=8), fitting(others, depth + 1), max_size=3)
            return st.fixed_dictionaries(needed, optional=inner)
        case "array" if depth < DEEP:
            return st.lists(fitting(schema.get("items", {}), depth + 1), max_size=3)
        case "object":
            return st.just({})
        case "array":
            return st.just([])
        case "integer":
            least, most = schema.get("minimum"), schema.get("maximum")
            return st.integers(least, most) | st.sampled_from([0, 1, 2**31, 2**63, 10**40])
        case "number":
            return st.floats(allow_nan=False, allow_infinity=False) | st.sampled_from([0, 1e308])
        case "string":
            return ODD | st.text(max_size=30)
        case "boolean":
            return st.booleans()
        case "null":
            return st.none()
        case _:
            return ANYTHING


def bodies(operation: dict[str, Any]) -> st.SearchStrategy[Any]:
    """What fits the operation's body, now and then with a field that does not."""
    content = operation.get("requestBody", {}).get("content", {})
    if "application/json" not in content:
        return st.none()

    @st.composite
    def harmed(draw: st.DrawFn) -> Any:
        body = draw(fitting(content["application/json"]["schema"]))
        if isinstance(body, dict) and body and draw(st.booleans()):
            body[draw(st.sampled_from(sorted(body)))] = draw(ANYTHING)
        return body

    return harmed()


class AnyRequest(Workshop, TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.furnish()
        maker = cls()
        good, poor = maker.announce("folio", "folio")
        maker.inspect(good)
        maker.inspect(poor, d1="-", d2="-")
        maker.approve(maker.plan())
        cls.tag = poor.tag

    def test_no_answer_is_a_fault(self):
        self.client = self.client_of(self.marit)
        self.client.raise_request_exception = False
        self.asked = 0
        for path, operations in DOCUMENT["paths"].items():
            if path.startswith(LEFT_OUT):
                continue
            for method, operation in operations.items():
                with self.subTest(f"{method} {path}"):
                    self.ask_anything(method, path, operation)
        self.assertGreater(self.asked, 300)

    def ask_anything(self, method: str, path: str, operation: dict[str, Any]) -> None:
        """One operation, with what fits it and what does not."""
        known = {"slug": self.batch.slug, "tag": self.tag, "key": "ombrel-folio-15"}
        named = [one["name"] for one in operation.get("parameters", ()) if one["in"] == "query"]
        at = {
            word: st.one_of(st.just(known.get(word, "1")), ODD.filter(bool))
            for word in re.findall(r"\{(\w+)\}", path)
        }
        queries = {name: ODD | NUMBERS.map(str) for name in named}

        @settings(few(4), suppress_health_check=list(HealthCheck), derandomize=True)
        @given(
            st.fixed_dictionaries(at),
            st.fixed_dictionaries({}, optional=queries),
            bodies(operation),
        )
        def ask(words, query, body):
            filled = path
            for word, value in words.items():
                filled = filled.replace("{" + word + "}", quote(value, safe=""))
            sent = json.dumps(body) if body is not None else ""
            answer = self.client.generic(
                method.upper(), filled, sent, "application/json", query_params=query
            )
            self.asked += 1
            self.assertLess(answer.status_code, 500, f"{method} {filled} {query} {sent[:800]}")

        ask()
