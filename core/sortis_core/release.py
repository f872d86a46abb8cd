"""Release: every gate of the standard with the evidence that it is met (docs/rules.md, Release)."""

from sortis_core.assess import assess
from sortis_core.assess.storage import storage_facts
from sortis_core.assess.verdict import GateState
from sortis_core.base import Record, SortisError, listed
from sortis_core.findings import Findings, PlaceState
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Policy, Standard


class NotReleasable(SortisError):
    """A gate is not met; the sentence names it."""

    title = "The unit cannot be released yet"


class Signature(Record):
    """Who saw what, and when (ISO 8601, UTC)."""

    by: str
    at: str
    words: str


class ReleaseGate(Record):
    """One gate at the last check."""

    gate: str
    sentence: str
    met: bool
    evidence: str
    """Who saw it, when; empty where nobody has yet."""
    asks: str
    """What is still to be done about it, in words; empty where nothing."""
    signable: bool = False
    """Open, and met by a person's signature; measured gates are met by findings alone."""


def drives_with_data(first: Findings, now: Findings) -> tuple[str, ...]:
    """Places whose drive was in the unit when it came and is still in it."""
    return tuple(
        place
        for place, drive in sorted(now.drives.items())
        if drive.state is PlaceState.PRESENT and first.drive(place) == drive
    )


def release_gates(
    sheet: ModelSheet,
    standard: Standard,
    first: Findings,
    now: Findings,
    seen: Signature,
    signed: dict[str, Signature],
    policy: Policy,
) -> tuple[ReleaseGate, ...]:
    """All gates of the standard with their evidence.

    :param first: findings of the first inspection; what drives the unit came with.
    :param now: findings after the work order.
    :param seen: who made the newest findings.
    :param signed: gate -> who signed it at release (sanitising, closing checks).
    """
    verdict = assess(sheet, now, (standard,), policy).verdicts[0]
    gates: list[ReleaseGate] = []
    with_data = drives_with_data(first, now)
    for gate in verdict.gates:
        if gate.state is not GateState.AT_RELEASE:
            met = gate.state is GateState.MET
            gates.append(
                ReleaseGate(
                    gate=gate.gate,
                    sentence=gate.sentence,
                    met=met,
                    evidence=f"{seen.words}, {seen.by}" if met else "",
                    asks="" if met else "Back to inspection: this gate is not met.",
                )
            )
            continue
        signature = signed.get(gate.gate)
        sentence, asks = gate.sentence, "See it and sign."
        if gate.gate == "sanitised":
            if not with_data:
                gates.append(
                    ReleaseGate(
                        gate=gate.gate,
                        sentence="No drive in it held anybody's data",
                        met=True,
                        evidence="All drives in it were fitted new here",
                        asks="",
                    )
                )
                continue
            labels = listed([sheet.label_of(place) for place in with_data])
            sentence = f"Drive in {labels} sanitised"
            asks = "Record how it was sanitised, or that it was destroyed."
        gates.append(
            ReleaseGate(
                gate=gate.gate,
                sentence=sentence,
                met=signature is not None,
                evidence=f"{signature.words}, {signature.by}" if signature else "",
                asks="" if signature else asks,
                signable=signature is None,
            )
        )
    return tuple(gates)


def require_all(gates: tuple[ReleaseGate, ...]) -> None:
    """Refuse a release while any gate is open.

    :raises NotReleasable: with the open gates.
    """
    open_gates = [gate for gate in gates if not gate.met]
    if open_gates:
        raise NotReleasable(
            f"Not met yet: {listed([gate.sentence for gate in open_gates])}. " + open_gates[0].asks,
            gates=[gate.gate for gate in open_gates],
        )


def label_lines(
    sheet: ModelSheet, findings: Findings, standard: Standard, policy: Policy
) -> tuple[str, ...]:
    """What the label claims, each line something that was seen: memory, drive, pack, grade."""
    facts = assess(sheet, findings, (standard,), policy)
    lines = [f"{facts.memory.total_gb} GB {sheet.memory.generation}"]
    storage = storage_facts(sheet, findings)
    if storage.solid_gb:
        lines.append(f"{storage.solid_gb} GB solid-state drive")
    for pack in facts.battery.packs:
        if pack.health_percent is not None and pack.full_wh is not None:
            lines.append(f"Pack {pack.full_wh:.0f} Wh, {pack.health_percent:.0f} % healthy")
    lines.append(f"{standard.name}, grade {findings.grade}")
    return tuple(lines)
