"""Resale standards: named lists of gates with prices."""

from collections.abc import Hashable, Sequence
from functools import cached_property
from typing import Literal

from pydantic import Field, field_validator

from sortis_core.base import Record
from sortis_core.configuration import Aspect
from sortis_core.findings import Findings, Grade
from sortis_core.gates import FitToLeaveGate, Gate, PackGate, SanitisedGate
from sortis_core.gates.gate import Eye, GateBase
from sortis_core.gates.verdict import GateState
from sortis_core.keys import Key
from sortis_core.policy import BatterySchool, Policy
from sortis_core.sheets import ModelSheet


class Price(Record):
    """What a unit of one model and grade sells for at this standard."""

    sheet: str
    grade: Grade
    price_cents: int = Field(ge=0, le=100_000_000)


class PriceStep(Record):
    """What more is worth beyond the gates: a unit that meets this gate too sells for more.

    Any gate may be a step: more memory, a larger drive, hours of runtime. Steps add up.
    """

    gate: Gate
    adds_cents: int = Field(gt=0)
    sheets: tuple[str, ...] = ()
    """Models it holds for; empty means any."""

    @property
    def _hours(self) -> bool:
        return isinstance(self.gate, PackGate) and self.gate.min_runtime_hours is not None

    def holds_for(self, sheet: ModelSheet) -> bool:
        """Whether buyers of this model pay for it; hours only where they can be reckoned."""
        if self._hours and not (sheet.draw and sheet.packs):
            return False
        return not self.sheets or sheet.key in self.sheets

    def reckoned(self, policy: Policy) -> Policy:
        """The policy it is judged by: hours that are paid for count whichever school decides."""
        if not self._hours:
            return policy
        return policy.model_copy(update={"battery": BatterySchool.RUNTIME})

    def met(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> bool:
        """Whether the unit meets it for sure; what nobody looked at adds nothing."""
        state = self.gate.verdict(sheet, findings, self.reckoned(policy)).state
        return state is GateState.MET


def price_sees(findings: Findings) -> Hashable:
    """All of the findings that a price looks at."""
    return findings.grade


class Standard(Record):
    """A named list of gates, with a price for each model and grade."""

    format: Literal["sortis-standard-4"] = "sortis-standard-4"
    key: Key
    version: int
    name: str = Field(max_length=60)
    retired: bool = False
    """Nothing is decided for it any more; what was sold by it stays so."""
    rank: int = 0
    """Order of the standards, the lowest first; schools speak of the lowest and of the top one."""
    gates: tuple[Gate, ...]
    prices: tuple[Price, ...]
    steps: tuple[PriceStep, ...] = ()
    """What more is worth on top of the price."""

    def sells_for(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> int | None:
        """Expected price with the steps that the unit reaches, in cents."""
        price = self.price_cents(sheet.key, findings)
        met = [s.adds_cents for s in self.steps_for(sheet) if s.met(sheet, findings, policy)]
        return None if price is None else price + sum(met)

    @field_validator("name")
    @classmethod
    def _is_called(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("Give the standard a name.")
        return name

    @field_validator("gates")
    @classmethod
    def _once_each(cls, gates: tuple[Gate, ...]) -> tuple[Gate, ...]:
        names = [gate.name for gate in gates]
        if twice := [name for name in names if names.count(name) > 1]:
            raise ValueError(f"The gate “{twice[0]}” stands twice. Keep one of them.")
        return gates

    @field_validator("gates")
    @classmethod
    def _asks_always(cls, gates: tuple[Gate, ...]) -> tuple[Gate, ...]:
        """Written or not: nothing faulty leaves, and the record of data on drives is asked for."""
        always: tuple[Gate, ...] = (FitToLeaveGate(), SanitisedGate())
        written = {gate.type for gate in gates}
        return (*gates, *(gate for gate in always if gate.type not in written))

    def steps_for(self, sheet: ModelSheet) -> tuple[PriceStep, ...]:
        """The steps that buyers of this model pay for."""
        return tuple(step for step in self.steps if step.holds_for(sheet))

    def price_cents(self, sheet: str, findings: Findings) -> int | None:
        """Expected price before steps; None where the model is not sold so in its grade."""
        return self._by_model.get((sheet, findings.grade))

    @cached_property
    def _by_model(self) -> dict[tuple[str, Grade | None], int]:
        """Price in cents by model and grade; the first of two counts."""
        return {(p.sheet, p.grade): p.price_cents for p in reversed(self.prices)}


def is_sold(standards: Sequence[Standard], sheet: str, findings: Findings) -> bool:
    """Whether any standard has a price for the model in this grade.

    Where one has, the others are not sold so; where none has, somebody still has to say.
    """
    return any(standard.price_cents(sheet, findings) is not None for standard in standards)


def distinct_gates(standards: Sequence[Standard]) -> tuple[GateBase, ...]:
    """Every gate of the standards once."""
    return tuple(dict.fromkeys(gate for standard in standards for gate in standard.gates))


def asked_aspects(standards: Sequence[Standard], sheet: ModelSheet) -> tuple[Aspect, ...]:
    """What of the configuration some gate asks about, or some price of the model."""
    steps = [step for standard in standards for step in standard.steps_for(sheet)]
    gates = (*distinct_gates(standards), *(step.gate for step in steps))
    return tuple(dict.fromkeys(aspect for gate in gates for aspect in gate.asks_about()))


def step_eyes(standards: Sequence[Standard], sheet: ModelSheet, policy: Policy) -> tuple[Eye, ...]:
    """All of the findings that the steps of prices depend on."""
    eyes: dict[PriceStep, Eye] = {}
    for step in (step for standard in standards for step in standard.steps_for(sheet)):
        gate: GateBase = step.gate
        kind: type[GateBase] = type(gate)
        eyes.setdefault(step, kind.sees((gate,), sheet, step.reckoned(policy)))
    return tuple(eyes.values())


def by_type(gates: Sequence[GateBase]) -> dict[type[GateBase], list[GateBase]]:
    """Gates that look at the same side of a unit, together."""
    found: dict[type[GateBase], list[GateBase]] = {}
    for gate in gates:
        found.setdefault(type(gate), []).append(gate)
    return found
