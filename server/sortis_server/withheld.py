"""Leaves out of every answer the money that who asks may not see (docs/rules.md, Money)."""

import json
import re
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from typing import Any

from django.http import HttpRequest, HttpResponse

from sortis_core.rights import (
    EVERYBODY,
    Money,
    amounts_in,
    is_typed,
    money_of,
    without_amounts,
)
from sortis_server.arrive.models import Batch
from sortis_server.workshop.money import money_seen_by
from sortis_server.workshop.services import workshop

Next = Callable[[HttpRequest], HttpResponse]
FAULT = 500
NOTHING = re.compile(r"(?!)")
"""Finds no amount: what was typed stays as it was typed."""
REF = "#/components/schemas/"


@cache
def _document() -> dict[str, Any]:
    # The API is made of what stands below this.
    from sortis_server.api import api

    return api.get_openapi_schema(path_prefix="/api/")


@cache
def _answers() -> dict[tuple[str, str], tuple[dict[str, Any], ...]]:
    """(method, route without names) -> schemas of its answers."""
    return {
        (method, _bare(path)): tuple(
            content["schema"]
            for answer in operation.get("responses", {}).values()
            for content in answer.get("content", {}).values()
            if "schema" in content
        )
        for path, operations in _document()["paths"].items()
        for method, operation in operations.items()
        if isinstance(operation, dict)
    }


def _bare(route: str) -> str:
    return re.sub(r"<[^>]*>|\{[^}]*\}", "*", route.strip("/^$"))


class Withheld:
    """The last to look at an answer of the API before it leaves."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        if not request.path.startswith("/api/") or "json" not in answer.get("Content-Type", ""):
            return answer
        # Nobody is looked up for it who was not before: then the answer is for nobody in
        # particular, or says that the database is away.
        person = getattr(request, "_cached_user", None)
        if person is None or not person.is_authenticated or answer.status_code >= FAULT:
            return answer
        seen = money_seen_by(person)
        if seen == EVERYBODY:
            return answer
        route = request.resolver_match.route if request.resolver_match else ""
        schemas = _answers().get(((request.method or "").lower(), _bare(route)), ())
        # A batch keeps the currency that it was made in.
        currencies = {
            workshop().currency,
            *Batch.objects.values_list("currency", flat=True).distinct(),
        }
        told = without(json.loads(answer.content), schemas, seen, amounts_in(currencies))
        answer.content = json.dumps(told, ensure_ascii=False, separators=(",", ":")).encode()
        return answer


def without(
    value: Any, schemas: Iterable[dict[str, Any]], seen: frozenset[Money], amounts: re.Pattern[str]
) -> Any:
    """A value as somebody sees it who does not see all money.

    :param schemas: what the value may be, by the API's own document.
    :param amounts: finds amounts in texts.
    """
    if isinstance(value, str):
        return without_amounts(value, amounts)
    records = list(_records(schemas))
    if isinstance(value, list):
        items = [record["items"] for record in records if "items" in record]
        items += [one for record in records for one in record.get("prefixItems", ())]
        return [without(one, items, seen, amounts) for one in value]
    if not isinstance(value, dict):
        return value
    told: dict[str, Any] = {}
    for key, one in value.items():
        holders = [record for record in records if key in record.get("properties", {})]
        names = [record.get("title", "") for record in holders] or [""]
        kinds = {kind for name in names if (kind := money_of(name, key))}
        if kinds <= seen:
            inner = [record["properties"][key] for record in holders]
            inner += [
                record["additionalProperties"]
                for record in records
                if isinstance(record.get("additionalProperties"), dict)
            ]
            typed = any(is_typed(name, key) for name in names)
            told[key] = without(one, inner, seen, NOTHING if typed else amounts)
    return told


def _records(schemas: Iterable[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """What a schema may be, references followed."""
    for schema in schemas:
        if "$ref" in schema:
            name = schema["$ref"].removeprefix(REF)
            yield {"title": name} | _document()["components"]["schemas"][name] | {"title": name}
        for choice in ("anyOf", "oneOf", "allOf"):
            yield from _records(schema.get(choice, ()))
        if not {"$ref", "anyOf", "oneOf", "allOf"} & set(schema):
            yield schema
