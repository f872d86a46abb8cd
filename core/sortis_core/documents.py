"""Stored and exchanged documents: their format number, and the one place that reads older ones.

A document says its format in ``format``: ``sortis-sheet-3``. The number is the same for all kinds:
it counts how often the codes of the vocabulary changed. Format 1 (also where nothing is said) held
the labels themselves, such as ``maker's manual``; format 2 holds codes, such as ``manual``. Format
3 tells customers' orders from work orders by name. Format 4 lists panels with all else that units
of a model are built with.
"""

import re
from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import ValidationError

from sortis_core.base import Record, SortisError

NEWEST = 4
FORMAT = re.compile(r"sortis-([a-z-]+)-(\d{1,9})")
Kind = TypeVar("Kind", bound=Record)


class DocumentRefused(SortisError):
    """The document is not what it should be; the sentence says where."""

    title = "The document was not read"


class NewerDocument(DocumentRefused):
    """The document was written by a newer Sortis."""

    title = "The document is from a newer Sortis"


RENAMED: dict[str, dict[str, str | None]] = {
    "outcome": {"release as is": "release"},
    "verb": {"take out": "take_out"},
    "gate": {
        "closing: clock set": "closing: clock_set",
        "closing: cover closed flush": "closing: closed_flush",
    },
    "check": {"clock set": "clock_set", "cover closed flush": "closed_flush"},
    "source": {"maker's manual": "manual", "bench-proven": "bench"},
    "connector": {
        "2.5-inch bay": "bay",
        "M.2": "m2",
        "pull tab": "pull_tab",
        "edge bar": "edge_bar",
        "": None,
    },
    "form": {"mini PC": "mini_pc"},
    "stream": {
        "boards and modules": "boards",
        "lithium packs": "packs",
        "cables and small parts": "small",
    },
    "condition": {
        "harvested, tested": "tested",
        "harvested, untested": "untested",
        "waiting for sanitising": "unsanitised",
    },
    "skill": {"board work": "board", "setting up": "setup"},
    "start": {
        "hinge side": "hinge",
        "lifted by captive screws": "captive",
        "far corner": "far_corner",
    },
    "kind": {"hand over": "hand_over"},
    "goal": {"most units ready": "ready", "least spend": "spend", "orders first": "orders"},
    "memory_ceiling": {"bench-proven": "bench_proven"},
    "filling": {"matched pair": "matched", "largest for the money": "capacity"},
    "harvest": {
        "use after test": "after_test",
        "new for the top standard": "new_for_top",
        "new only": "new_only",
    },
    "spinning": {"second drive in the lowest standard": "second_in_lowest"},
    "board": {"by contribution": "by_contribution", "never swap": "never_swap"},
    "isolation": {
        "out where the route passes over it": "by_route",
        "only unplugged": "unplug",
        "always out": "take_out",
    },
    "switch_off": {
        "off in the firmware where the model has it": "firmware",
        "just unplugged": "unplug",
    },
    "prying": {
        "as on the model sheet": "sheet",
        "hinge side": "hinge",
        "lifted by captive screws": "captive",
        "far corner": "far_corner",
    },
    "screws": {
        "a well for each set where lengths differ": "where_lengths_differ",
        "a well for each set": "ledger",
        "sorted by kind": "by_kind",
    },
}
"""Of format 1: field -> what stood in it -> the code of format 2."""
HAZARDS = {
    "dented or punctured": "dented",
    "smelling or hissing": "smelling",
    "lights up while open": "lit",
    "dangerous": "unnamed",
}
RENAMED["hazard"] = RENAMED["unit_hazard"] = dict(HAZARDS)
RENAMED["skills"] = RENAMED["skill"]
FIELDS: dict[str, dict[str, str]] = {
    "Case": {"orders": "sales_orders", "released": "open_orders"},
    "Plan": {"orders": "sales_orders"},
}
"""Of formats 1 and 2: kind of document -> field -> its name in format 3."""
OF_OUTCOMES = {"order": "sales_order"}
"""The same for each outcome of a plan."""
PANEL_PLACE = "screen"
"""Of formats before 4: where every panel of a sheet went in."""
OPTION_KEYS = ("key", "option")
"""Fields that hold keys of options, which begin with the outcome."""


def read_document(kind: type[Kind], document: object) -> Kind:
    """Read a stored or exchanged document of any format up to the newest.

    :raises NewerDocument: where it, or one inside it, is of a newer format.
    :raises DocumentRefused: where it is no such document; says which place and why.
    """
    name = kind.__name__
    if not isinstance(document, Mapping):
        raise DocumentRefused(f"This is no document of Sortis: {name} wants named fields.")
    number = _format(document)
    if number > NEWEST:
        raise NewerDocument(
            f"This document is of format {number}; this Sortis reads up to {NEWEST}. Update "
            "Sortis, or write the document again with the older one.",
            format=number,
        )
    try:
        return kind.model_validate(
            document if number == NEWEST else _with_fields(name, upgraded(document))
        )
    except ValidationError as error:
        fault = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(step) for step in fault["loc"]) or "the whole document"
        said = fault["msg"].removeprefix("Value error, ")
        raise DocumentRefused(f"{name}, {where}: {said}.", where=where) from error


def _format(document: Mapping[str, Any]) -> int:
    said = document.get("format", "")
    match = FORMAT.fullmatch(said) if isinstance(said, str) else None
    if match is None and said:
        raise DocumentRefused(f"“{str(said)[:40]}” is no format that Sortis knows.")
    return int(match[2]) if match else 1


def _with_fields(name: str, document: dict[str, Any]) -> dict[str, Any]:
    """An older document by the field names of the newest format."""
    renamed = FIELDS.get(name, {})
    found = {renamed.get(field, field): value for field, value in document.items()}
    if name == "Plan" and isinstance(outcomes := found.get("outcomes"), list):
        found["outcomes"] = [
            {OF_OUTCOMES.get(field, field): value for field, value in outcome.items()}
            if isinstance(outcome, Mapping)
            else outcome
            for outcome in outcomes
        ]
    return found


def upgraded(document: Any) -> Any:
    """An older document, with all that is in it, in the codes of format 2.

    What holds codes already stays as it is.

    :raises NewerDocument: where a newer one is inside it.
    """
    if isinstance(document, Mapping):
        if _format(document) > NEWEST:
            raise NewerDocument("A part of this document is of a newer Sortis. Update Sortis.")
        found = {
            field: _value(field, value) for field, value in document.items() if field != "format"
        }
        if isinstance(panels := found.pop("displays", None), list | tuple) and panels:
            choices = [_panel(one) for one in panels]
            found["built_with"] = [{"aspect": "built_panel", "choices": choices}]
        return found
    return document


def _panel(old: Mapping[str, Any]) -> dict[str, Any]:
    """A panel as formats before 4 had it; what it brought along was words that no rule read."""
    kind = old.get("kind", "")
    place = PANEL_PLACE if kind else ""
    return {"key": old.get("key"), "label": old.get("label"), "kind": kind, "place": place}


def _value(field: str, value: Any) -> Any:
    if isinstance(value, list | tuple):
        return [_value(field, one) for one in value]
    if not isinstance(value, str):
        return upgraded(value)
    if field in OPTION_KEYS and value.startswith("release as is"):
        return value.replace("release as is", "release", 1)
    return RENAMED.get(field, {}).get(value, value)
