"""Proven by use: runtime, a drive's own test, heat under load (docs/rules.md, Proven by use)."""

from typing import ClassVar, Literal, Self, assert_never

from pydantic import Field, model_validator

from sortis_core.findings import Findings, PlaceState
from sortis_core.gates.gate import Examples
from sortis_core.gates.last_check import LastCheckGate
from sortis_core.gates.proof import ReleaseGate, Signature, signed
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.vocabulary.term import Term

PROVEN = "proven: "
"""Names of these gates begin so."""
OWN_TEST_RECORDS = ("passed, no fault code",)


class Proving(Term):
    """What is proven by use, each by simple means."""

    RUNTIME = "runtime", "runtime on its packs"
    SELF_TEST = "self_test", "own test of each drive"
    LOAD = "load", "heat under load"
    OWN_TEST = "own_test", "the model's own hardware test"


class ProvenGate(LastCheckGate):
    """One thing that the running unit shows after the work; a standard may ask for several."""

    question: ClassVar[str] = "proven by use"
    examples: ClassVar[Examples] = (
        {"what": "runtime", "min_hours": 3.0},
        {"what": "self_test"},
        {"what": "load", "max_celsius": 90},
        {"what": "own_test"},
    )
    type: Literal["proven"] = "proven"
    what: Proving
    min_hours: float | None = Field(default=None, gt=0, le=100)
    """Of the measured runtime."""
    max_celsius: int | None = Field(default=None, ge=40, le=110)
    """Of the hottest place under load."""

    @model_validator(mode="after")
    def _has_its_figure(self) -> Self:
        if (self.what is Proving.RUNTIME) != (self.min_hours is not None):
            raise ValueError("Runtime is asked for in hours, and nothing else is.")
        if (self.what is Proving.LOAD) != (self.max_celsius is not None):
            raise ValueError("Heat under load is asked for in °C, and nothing else is.")
        return self

    @property
    def name(self) -> str:
        """A standard may ask for several of these."""
        return f"{PROVEN}{self.what.value}"

    @property
    def title(self) -> str:
        """What is proven."""
        return self.what.label

    @property
    def sentence(self) -> str:
        """With the figure that is asked for."""
        match self.what:
            case Proving.RUNTIME:
                return f"Runs {self.min_hours:g} h on its packs, measured"
            case Proving.SELF_TEST:
                return "Each drive passed its own test"
            case Proving.LOAD:
                return f"At most {self.max_celsius} °C at work"
            case Proving.OWN_TEST:
                return "The model's own hardware test passed"
            case _:
                assert_never(self.what)

    @property
    def _asks(self) -> str:
        match self.what:
            case Proving.RUNTIME:
                return (
                    "Let it run on its packs. Read it out, and once more ten minutes or more later."
                )
            case Proving.SELF_TEST:
                return "Start the short self-test of each drive, then read the unit out."
            case Proving.LOAD:
                return "Let it work hard for five minutes, then read it out while it does."
            case Proving.OWN_TEST:
                return "Run it and write down what it says."
            case _:
                assert_never(self.what)

    def _nothing_to_prove(self, sheet: ModelSheet, findings: Findings) -> str:
        """Why the unit has nothing of what is to be proven; empty where it has."""
        match self.what:
            case Proving.RUNTIME:
                return "" if sheet.packs_of(findings.trim) else "This model has no pack"
            case Proving.SELF_TEST:
                held = any(
                    findings.drive(place.key).state is PlaceState.PRESENT
                    for place in sheet.drives_of(findings.trim)
                )
                return "" if held else "No drive is in it"
            case Proving.LOAD:
                return ""
            case Proving.OWN_TEST:
                return "" if sheet.built_in_test else "This model has no test of its own"
            case _:
                assert_never(self.what)

    def proof(
        self,
        sheet: ModelSheet,
        findings: Findings,
        policy: Policy,
        seen: Signature,
        signature: Signature | None,
    ) -> ReleaseGate:
        """Signed for by somebody, with the figures of the machine where it gives them."""
        if nothing := self._nothing_to_prove(sheet, findings):
            return ReleaseGate(
                gate=self.name, sentence=nothing, met=True, evidence="by the model's sheet", asks=""
            )
        by_hand = self.what is Proving.OWN_TEST
        found = signed(
            self.name,
            self.sentence,
            f"{self._asks} {sheet.built_in_test}" if by_hand else self._asks,
            signature,
            about=seen.words,
            usual=OWN_TEST_RECORDS if by_hand else (),
        )
        return found.model_copy(update={"by_machine": not by_hand})
