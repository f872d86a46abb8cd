"""The case of a plan: everything it is solved from, and nothing else. Same case, same plan."""

from typing import Literal

from pydantic import model_validator

from sortis_core.base import Record
from sortis_core.findings import Findings
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Policy, Standard
from sortis_core.stock import Condition, Lot, Offer, PartKind


class CaseUnit(Record):
    """One unit that waits for its outcome."""

    tag: str
    findings: Findings


class Case(Record):
    """One batch to decide. Money in cents of ``currency``, work in minutes."""

    format: Literal["sortis-case-1"] = "sortis-case-1"
    batch: str
    currency: str = "EUR"
    policy: Policy
    money_cents: int
    """To spend on purchases at most."""
    bench_minutes: float
    """Work at the bench until the due day at most."""
    sheets: tuple[ModelSheet, ...]
    standards: tuple[Standard, ...]
    kinds: tuple[PartKind, ...]
    lots: tuple[Lot, ...]
    offers: tuple[Offer, ...]
    units: tuple[CaseUnit, ...]

    @model_validator(mode="after")
    def _knows_what_it_names(self) -> "Case":
        sheets = {sheet.key for sheet in self.sheets}
        kinds = {kind.key for kind in self.kinds}
        tags = [unit.tag for unit in self.units]
        for unit in self.units:
            if unit.findings.sheet not in sheets:
                raise ValueError(f"{unit.tag} is read against a sheet the case does not hold.")
        supplied = [(lot.key, lot.kind) for lot in self.lots]
        supplied += [(offer.key, offer.kind) for offer in self.offers]
        for key, kind in supplied:
            if kind not in kinds:
                raise ValueError(f"{key} is of kind {kind}, which the case lacks.")
        if len(set(tags)) != len(tags):
            raise ValueError("A tag stands twice among the units.")
        return self

    def usable_lots(self) -> tuple[Lot, ...]:
        """Lots that parts may be taken from: not those waiting for sanitising."""
        return tuple(
            lot
            for lot in self.lots
            if lot.count > 0 and lot.condition is not Condition.AWAITING_SANITISING
        )
