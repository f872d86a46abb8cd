"""Resale standards: named lists of gates with prices."""

from collections.abc import Hashable, Sequence
from typing import Literal

from pydantic import field_validator

from sortis_core.base import Record
from sortis_core.configuration import Aspect
from sortis_core.findings import Findings, Grade
from sortis_core.gates import FitToLeaveGate, Gate, SanitisedGate
from sortis_core.gates.gate import GateBase


class Price(Record):
    """What a unit of one model and grade sells for at this standard."""

    sheet: str
    grade: Grade
    price_cents: int


def price_sees(findings: Findings) -> Hashable:
    """All of the findings that a price looks at."""
    return findings.grade


class Standard(Record):
    """A named list of gates, with a price for each model and grade."""

    format: Literal["sortis-standard-3"] = "sortis-standard-3"
    key: str
    version: int
    name: str
    rank: int = 0
    """Order of the standards, the lowest first; schools speak of the lowest and of the top one."""
    gates: tuple[Gate, ...]
    prices: tuple[Price, ...]

    @field_validator("gates")
    @classmethod
    def _asks_always(cls, gates: tuple[Gate, ...]) -> tuple[Gate, ...]:
        """Written or not: nothing faulty leaves, and the record of data on drives is asked for."""
        always: tuple[Gate, ...] = (FitToLeaveGate(), SanitisedGate())
        written = {gate.type for gate in gates}
        return (*gates, *(gate for gate in always if gate.type not in written))

    def price_cents(self, sheet: str, findings: Findings) -> int | None:
        """Expected price; None where this standard is not sold for the model and grade."""
        for price in self.prices:
            if price.sheet == sheet and price.grade is findings.grade:
                return price.price_cents
        return None


def is_sold(standards: Sequence[Standard], sheet: str, findings: Findings) -> bool:
    """Whether any standard has a price for the model in this grade.

    Where one has, the others are not sold so; where none has, somebody still has to say.
    """
    return any(standard.price_cents(sheet, findings) is not None for standard in standards)


def distinct_gates(standards: Sequence[Standard]) -> tuple[GateBase, ...]:
    """Every gate of the standards once."""
    return tuple(dict.fromkeys(gate for standard in standards for gate in standard.gates))


def asked_aspects(standards: Sequence[Standard]) -> tuple[Aspect, ...]:
    """What of the configuration some gate asks about."""
    gates = distinct_gates(standards)
    return tuple(dict.fromkeys(aspect for gate in gates for aspect in gate.asks_about()))


def by_type(gates: Sequence[GateBase]) -> dict[type[GateBase], list[GateBase]]:
    """Gates that look at the same side of a unit, together."""
    found: dict[type[GateBase], list[GateBase]] = {}
    for gate in gates:
        found.setdefault(type(gate), []).append(gate)
    return found
