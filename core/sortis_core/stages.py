"""The way of a unit: which stage it waits in, and what sends it on (docs/rules.md, Stages)."""

from typing import assert_never

from sortis_core.assess import Assessment
from sortis_core.options import OutcomeKind
from sortis_core.vocabulary.term import Term


class Stage(Term):
    """Where a unit waits; the last four are ends, and what is released is on the shelf."""

    ARRIVE = "arrive"
    INSPECT = "inspect"
    DECIDE = "decide"
    FIT = "fit"
    RELEASE = "release"
    RELEASED = "released"
    SOLD = "sold"
    PARTED = "parted", "parted out"
    RECYCLED = "recycled"


WAITING = (Stage.ARRIVE, Stage.INSPECT, Stage.DECIDE, Stage.FIT, Stage.RELEASE)


INSPECTABLE = (Stage.ARRIVE, Stage.INSPECT, Stage.DECIDE)
"""Until its work is approved a unit may be read again, and put on another sheet."""


def after_inspection(assessment: Assessment, *, enough: bool) -> Stage:
    """Inspected units go on to be decided once nothing is left to look at.

    :param enough: the inspector says that what was seen is enough.
    """
    if assessment.hazards:
        return Stage.INSPECT
    unseen = any(gate.unseen for verdict in assessment.verdicts for gate in verdict.gates)
    unseen = unseen or "grade" in assessment.unknowns.decide
    return Stage.DECIDE if enough or not unseen else Stage.INSPECT


def after_decision(outcome: OutcomeKind) -> Stage:
    """Where an approved outcome sends the unit; held units wait for the next plan."""
    return {
        OutcomeKind.RELEASE: Stage.RELEASE,
        OutcomeKind.FIT: Stage.FIT,
        OutcomeKind.DONOR: Stage.FIT,
        OutcomeKind.HOLD: Stage.DECIDE,
        OutcomeKind.RECYCLE: Stage.RECYCLED,
    }[outcome]


def after_work(outcome: OutcomeKind) -> Stage:
    """Where a finished work order sends the unit."""
    return Stage.PARTED if outcome is OutcomeKind.DONOR else Stage.RELEASE


def moved_on(
    outcome: OutcomeKind,
    stage: Stage,
    *,
    approved: bool,
    danger: bool,
    done: int | None,
    steps: int,
) -> str:
    """Where a unit is now, where it is not just where its plan has it; empty where it is.

    :param approved: its outcome was; else it waits to be decided.
    :param done: steps done at the bench; None where nobody began its order.
    """
    if danger:
        return "a danger stops it"
    if stage is (after_decision(outcome) if approved else Stage.DECIDE):
        at_bench = stage is Stage.FIT and done is not None
        return f"at the bench, {done} of {steps} steps done" if at_bench else ""
    match stage:
        case Stage.ARRIVE | Stage.INSPECT:
            return "back at Inspect"
        case Stage.DECIDE:
            return "waits for the next plan"
        case Stage.FIT:
            return "at Fit by another plan"
        case Stage.RELEASE:
            fitted = outcome is OutcomeKind.FIT and approved
            return "fitted, at its last check" if fitted else "at its last check"
        case Stage.RELEASED | Stage.SOLD | Stage.PARTED | Stage.RECYCLED:
            return stage.label
        case _:
            assert_never(stage)
