"""A gate that is not met may be waived with a reason (docs/rules.md, Waivers).

Never waived are data on drives and what does not work; nor is what nobody looked at. A waiver is
given for what the gate said then: where it says something else since, it does not count.
"""

from sortis_core.base import Record, SortisError
from sortis_core.gates.proof import ReleaseGate
from sortis_core.reasons import says_something

LONGEST_ABOUT = 300


def about(gate: ReleaseGate) -> str:
    """What a waiver of the gate is given for, as far as it is kept."""
    return gate.sentence[:LONGEST_ABOUT]


class NotWaivable(SortisError):
    """The gate cannot be waived, or not with these words."""

    title = "That was not waived"


class Waiver(Record):
    """Who let a unit leave without a gate, why, and whether its buyer is told."""

    by: str
    reason: str
    told: bool
    """The buyer reads it on the spec sheet."""
    about: str
    """What the gate said then."""


def as_waived(gate: ReleaseGate, waiver: Waiver | None) -> ReleaseGate:
    """The gate with its waiver, where one was given for just what it says."""
    if gate.met or not gate.waivable or waiver is None or waiver.about != about(gate):
        return gate
    return gate.model_copy(
        update={
            "met": True,
            "waived": True,
            "told": waiver.told,
            "evidence": f"waived: {waiver.reason}, {waiver.by}",
            "record": waiver.reason,
            "asks": "",
            "signable": False,
        }
    )


def require_waivable(gates: tuple[ReleaseGate, ...], name: str, reason: str) -> ReleaseGate:
    """The open gate that a waiver is asked for.

    :raises NotWaivable: where it is met, may never be waived, or the reason says too little.
    """
    gate = next((one for one in gates if one.gate == name), None)
    if gate is None:
        raise NotWaivable("The standard of this unit has no such gate.")
    if gate.met:
        raise NotWaivable(f"{gate.sentence}: it is met, so there is nothing to waive.")
    if not gate.waivable:
        raise NotWaivable(
            f"{gate.sentence}: nobody waives this. {gate.asks or 'Look at it first.'}"
        )
    if not says_something(reason):
        raise NotWaivable("Say in a few words why the unit may leave without it.")
    return gate
