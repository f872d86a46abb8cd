"""Release: every gate of the standard with the evidence that it is met (docs/rules.md, Release)."""

from collections.abc import Collection, Mapping
from types import MappingProxyType
from typing import assert_never

from sortis_core.assess import assess
from sortis_core.base import SortisError, listed
from sortis_core.facts.configuration import configuration_words
from sortis_core.facts.figures import at_least
from sortis_core.findings import Findings
from sortis_core.gates.proof import ReleaseGate, Signature
from sortis_core.gates.verdict import GateState
from sortis_core.policy import Policy, ReleaseSchool
from sortis_core.reasons import says_something
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard
from sortis_core.waivers import Waiver, as_waived


class NotReleasable(SortisError):
    """A gate is not met; the sentence names it."""

    title = "The unit cannot be released yet"


class NotSignable(SortisError):
    """The gate is not signed by hand, or the signature lacks what it must say."""

    title = "That cannot be signed"


def release_gates(
    sheet: ModelSheet,
    standard: Standard,
    findings: Findings,
    seen: Signature,
    signed: dict[str, Signature],
    policy: Policy,
    waivers: Mapping[str, Waiver] = MappingProxyType({}),
) -> tuple[ReleaseGate, ...]:
    """All gates of the standard with their evidence.

    :param findings: as they are after the work order, with where each part came from.
    :param seen: who made the newest findings.
    :param signed: name of a gate -> its newest signature.
    :param waivers: name of a gate -> its newest waiver.
    """
    found: list[ReleaseGate] = []
    for gate in standard.gates:
        proof = gate.proof(sheet, findings, policy, seen, signed.get(gate.name))
        # What nobody looked at is not let go, it is looked at.
        known = gate.verdict(sheet, findings, policy).state is not GateState.UNKNOWN
        may = gate.may_be_waived and known and not proof.met
        proof = proof.model_copy(update={"waivable": may})
        found.append(as_waived(proof, waivers.get(gate.name)))
    return tuple(found)


def signature_words(gates: tuple[ReleaseGate, ...], gate: str, words: str) -> str:
    """What a signature of the gate says; a closing check that was seen needs no words.

    :raises NotSignable: where findings alone meet the gate, or the record says too little.
    """
    found = next((one for one in gates if one.gate == gate), None)
    if found is None or not found.signable:
        raise NotSignable("This gate is not signed by hand; what was seen speaks for it.")
    if found.wants_words and not says_something(words):
        raise NotSignable(found.asks)
    return words.strip() or "seen"


def require_another(by: str, hands: Collection[str], tag: str, policy: Policy) -> None:
    """Where the policy wants it, nobody checks and releases what they fitted.

    :param by: name of who signs or releases. :param hands: names of who did its steps.
    :raises NotReleasable: where that is one of them.
    """
    match policy.release:
        case ReleaseSchool.ANYBODY:
            return
        case ReleaseSchool.ANOTHER:
            if by in hands:
                raise NotReleasable(
                    f"{by} fitted {tag}, and this workshop wants another releaser to check and "
                    "release it. Let somebody else look."
                )
        case _:
            assert_never(policy.release)


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
    """What the label claims, each line something that was seen.

    Memory, drive, what it is built with, packs, what works poorly, standard and grade.
    """
    facts = assess(sheet, findings, (standard,), policy)
    stated = sheet.memory.stated.gb
    beyond = f" (maker states {stated} GB)" if facts.memory.total_gb > stated else ""
    lines = [f"{facts.memory.total_gb} GB {sheet.memory.generation}{beyond}"]
    if facts.storage.solid_gb:
        lines.append(f"{facts.storage.solid_gb} GB solid-state drive")
    if built := configuration_words(sheet, findings):
        lines.append(", ".join(built))
    packs = [
        (f"{at_least(pack.full_wh):.0f}", f"{at_least(pack.health_percent):.0f}")
        for pack in facts.battery.packs
        if pack.health_percent is not None and pack.full_wh is not None
    ]
    if packs:
        held, healthy = (listed(figures) for figures in zip(*packs, strict=True))
        lines.append(f"Pack{'s'[: len(packs) - 1]} {held} Wh, {healthy} % healthy")
    if findings.remarks:
        said = [f"{sheet.label_of(key).lower()} {how}" for key, how in findings.remarks.items()]
        lines.append(f"Works poorly: {listed(said)}")
    lines.append(f"{standard.name}, grade {findings.grade}")
    return tuple(lines)
