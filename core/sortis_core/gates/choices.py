"""What a gate asks for, field by field, so that a screen can write any gate without knowing it."""

import types
from enum import Enum
from typing import Any, Union, get_args, get_origin

from sortis_core.base import Record
from sortis_core.gates import Gate
from sortis_core.gates.gate import GateBase
from sortis_core.vocabulary.term import Term

GATES: tuple[type[GateBase], ...] = get_args(get_args(Gate)[0])
"""Every gate there is."""


SIDES = {"min": "at least", "max": "at most"}
UNITS = {"gb": "GB", "percent": "%", "hours": "h", "cycles": "cycles", "celsius": "°C"}


class FieldKind(Term):
    """What is written into a field of a gate."""

    WHOLE = "whole", "a whole number"
    NUMBER = "number"
    ONE_OF = "one_of", "one of a list"
    SOME_OF = "some_of", "some of a list"
    WORDS = "words", "codes, parted by blanks"


class FieldOption(Record):
    """One of what may be chosen for a field."""

    code: str
    label: str


class GateField(Record):
    """One field of a gate."""

    name: str
    label: str
    kind: FieldKind
    needed: bool
    options: tuple[FieldOption, ...] = ()
    """What may be chosen."""


class GateChoice(Record):
    """A gate that a standard may hold, with figures to begin from."""

    type: str
    question: str
    fields: tuple[GateField, ...]
    examples: tuple[dict[str, Any], ...]
    always: bool
    """It is in every standard, written or not."""


def gate_choices() -> tuple[GateChoice, ...]:
    """All gates, each with its fields."""
    return tuple(
        GateChoice(
            type=gate.model_fields["type"].default,
            question=gate.question,
            fields=tuple(
                _field(name, field.annotation, field.is_required())
                for name, field in gate.model_fields.items()
                if name != "type"
            ),
            examples=tuple(dict(one) for one in gate.examples),
            always=gate.model_fields["type"].default in ("fit_to_leave", "sanitised"),
        )
        for gate in GATES
    )


def _field(name: str, annotation: Any, needed: bool) -> GateField:
    kind, options = _kind(annotation)
    words = name.split("_")
    said = [word for word in words if word not in SIDES and word not in UNITS]
    said += [SIDES[word] for word in words if word in SIDES]
    said += [UNITS[word] for word in words if word in UNITS]
    return GateField(name=name, label=" ".join(said), kind=kind, needed=needed, options=options)


def _kind(annotation: Any) -> tuple[FieldKind, tuple[FieldOption, ...]]:
    """:raises TypeError: for a field that no screen could write."""
    if get_origin(annotation) in (Union, types.UnionType):
        (annotation,) = [one for one in get_args(annotation) if one is not type(None)]
    if annotation is int:
        return FieldKind.WHOLE, ()
    if annotation is float:
        return FieldKind.NUMBER, ()
    if isinstance(annotation, type) and issubclass(annotation, Enum):
        return FieldKind.ONE_OF, _options(annotation)
    if get_origin(annotation) is tuple:
        inner = get_args(annotation)[0]
        if isinstance(inner, type) and issubclass(inner, Enum):
            return FieldKind.SOME_OF, _options(inner)
        if inner is str:
            return FieldKind.WORDS, ()
    raise TypeError(f"no screen could write a field of {annotation}")


def _options(term: type[Enum]) -> tuple[FieldOption, ...]:
    return tuple(
        FieldOption(code=one.value, label=getattr(one, "label", str(one.value))) for one in term
    )
