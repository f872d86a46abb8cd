"""Ways to meet one gate: memory fillings, drives, packs, parts, repairs.

Each function returns the alternatives that meet its gate, every one a set of actions, or the
fact why there is none. Alternatives that need more parts than another and leave no other part
over are dropped: they can never be better.
"""

from collections import Counter
from itertools import product

from sortis_core.actions import Action, drive_kind, module_kind
from sortis_core.assess.completeness import lacking_parts
from sortis_core.assess.memory import ceiling, memory_facts
from sortis_core.assess.storage import is_solid, storage_facts
from sortis_core.assess.verdict import GateVerdict
from sortis_core.base import SortisError, listed
from sortis_core.findings import Findings, PlaceState, TestState
from sortis_core.sheets import DrivePlace, MemorySlot, ModelSheet
from sortis_core.standards import MemoryGate, PackGate, Policy, SolidDriveGate
from sortis_core.stock import DriveFacts, ModuleFacts, PackFacts, PartKind

Alternative = tuple[Action, ...]


class NoWay(SortisError):
    """No set of actions meets the gate; the sentence is the fact against it."""

    title = "The gate cannot be met"


class LookFirst(NoWay):
    """The gate hangs on something nobody looked at yet."""


def memory_fillings(
    sheet: ModelSheet,
    findings: Findings,
    gate: MemoryGate,
    kinds: dict[str, PartKind],
    obtainable: frozenset[str],
    policy: Policy,
) -> list[Alternative]:
    """Fillings of the slots that reach ``gate.min_gb`` within the policy's ceiling.

    :raises NoWay: with the fact (soldered only, ceiling too low, no module to be had).
    """
    facts = memory_facts(sheet, findings, policy)
    top = ceiling(sheet, policy)
    if not sheet.memory.slots:
        raise NoWay(f"Memory is soldered at {facts.total_gb} GB and there is no slot.")
    if top.gb < gate.min_gb:
        raise NoWay(f"The ceiling is {top.gb} GB ({top.source}); the gate wants {gate.min_gb} GB.")
    fixed = findings.soldered_gb or 0
    modules = {
        key: kind.facts
        for key, kind in sorted(kinds.items())
        if key in obtainable and isinstance(kind.facts, ModuleFacts)
    }
    fitting: dict[str, list[str]] = {}
    for slot in sheet.memory.slots:
        usable = findings.module(slot.key).state in (PlaceState.PRESENT, PlaceState.EMPTY)
        fitting[slot.key] = [
            key for key, part in modules.items() if usable and not part.refusal(sheet.memory, slot)
        ]
    choices = [["", *fitting[slot.key]] for slot in sheet.memory.slots]
    found: list[Alternative] = []
    reachable = 0
    for filling in product(*choices):
        total = fixed
        useless = False
        actions: list[Action] = []
        for slot, chosen in zip(sheet.memory.slots, filling, strict=True):
            there = findings.module(slot.key)
            held = there.gb or 0 if there.state is PlaceState.PRESENT else 0
            total += modules[chosen].gb if chosen else held
            if chosen:
                useless = useless or modules[chosen].gb <= held
                actions.append(_fit_module(sheet, findings, slot, chosen, kinds))
        if total <= top.gb:
            reachable = max(reachable, total)
            if actions and not useless and total >= gate.min_gb:
                found.append(tuple(actions))
    if not found:
        raise NoWay(
            f"With the modules that can be had the slots reach {reachable} GB; the gate wants "
            f"{gate.min_gb} GB."
        )
    return _undominated(found)


def _fit_module(
    sheet: ModelSheet, findings: Findings, slot: MemorySlot, kind: str, kinds: dict[str, PartKind]
) -> Action:
    there = findings.module(slot.key)
    displaced = there.state is PlaceState.PRESENT
    return Action(
        verb="fit",
        place=slot.key,
        kind=kind,
        takes_out=module_kind(there, sheet, kinds) if displaced else "",
        takes_out_label=f"{there.gb} GB {sheet.memory.generation}" if displaced else "",
    )


def _undominated(found: list[Alternative]) -> list[Alternative]:
    """Drop what uses a superset of another's parts and displaces nothing more."""
    kept: list[Alternative] = []
    counted = [
        (
            Counter(action.kind for action in actions),
            Counter(action.takes_out for action in actions if action.takes_out),
            actions,
        )
        for actions in found
    ]
    counted.sort(key=lambda item: (len(item[2]), [action.key for action in item[2]]))
    for uses, yields, actions in counted:
        beaten = any(
            other_uses <= uses and yields <= other_yields
            for other_uses, other_yields, other in counted
            if other in kept
        )
        if not beaten:
            kept.append(actions)
    return kept


def drive_fillings(
    sheet: ModelSheet,
    findings: Findings,
    gate: SolidDriveGate,
    kinds: dict[str, PartKind],
    obtainable: frozenset[str],
) -> list[Alternative]:
    """Ways to give the unit a solid-state drive of at least ``gate.min_gb``.

    Faulty drives come out; a spinning disk comes out where a new drive carries the system.

    :raises NoWay: with the fact (no socket takes what can be had).
    """
    facts = storage_facts(sheet, findings)
    fits_already = facts.solid_gb >= gate.min_gb
    found: list[Alternative] = []
    unfit: list[str] = []
    lacking: list[str] = []
    places = sheet.drives_of(findings.trim)
    out = [
        Action(verb="take out", place=place.key, takes_out_label="faulty drive")
        for place in places
        if findings.drive(place.key).state is PlaceState.FAULTY
    ]
    if fits_already:
        return [tuple(out)]
    for place in places:
        for key, kind in sorted(kinds.items()):
            drive = kind.facts
            if not isinstance(drive, DriveFacts) or drive.spinning or drive.gb < gate.min_gb:
                continue
            if refusal := drive.refusal(place):
                if key in obtainable and drive.connector is place.connector:
                    unfit.append(refusal)
                continue
            if key not in obtainable:
                lacking.append(f"No {kind.label} in stock or on offer.")
                continue
            found.append(_fit_drive(sheet, findings, place, key, kinds, out, places))
    if not found:
        raise NoWay(
            [*unfit, *lacking][0]
            if unfit or lacking
            else f"No drive of {gate.min_gb} GB or more fits a socket of this model."
        )
    return found


def _fit_drive(
    sheet: ModelSheet,
    findings: Findings,
    place: DrivePlace,
    kind: str,
    kinds: dict[str, PartKind],
    out: list[Action],
    places: tuple[DrivePlace, ...],
) -> Alternative:
    actions: list[Action] = []
    for other in places:
        there = findings.drive(other.key)
        held = there.state is PlaceState.PRESENT
        if other.key == place.key:
            label = f"{there.interface} {there.gb} GB drive" if held else ""
            if there.state is PlaceState.FAULTY:
                label = "faulty drive"
            actions.append(
                Action(
                    verb="fit",
                    place=place.key,
                    kind=kind,
                    takes_out=drive_kind(there, place.key, sheet, kinds) if held else "",
                    takes_out_label=label,
                    installs_system=True,
                )
            )
        elif held and not is_solid(there) and there.spinning:
            actions.append(
                Action(
                    verb="take out",
                    place=other.key,
                    takes_out=drive_kind(there, other.key, sheet, kinds),
                    takes_out_label=f"spinning {there.gb} GB disk",
                )
            )
    actions += [action for action in out if action.place != place.key]
    return tuple(actions)


def pack_fillings(
    sheet: ModelSheet,
    findings: Findings,
    gate: PackGate,
    verdict: GateVerdict,
    kinds: dict[str, PartKind],
    obtainable: frozenset[str],
) -> list[Alternative]:
    """Ways to replace every pack that is short; each place may take any variant of the sheet.

    :raises NoWay: where no fitting pack can be had.
    """
    choices: list[list[Action]] = []
    for place in sheet.packs_of(findings.trim):
        if place.key not in verdict.places:
            continue
        there = findings.pack(place.key).state is not PlaceState.EMPTY
        fitting = [
            Action(
                verb="fit",
                place=place.key,
                kind=key,
                takes_out_label="worn pack" if there else "",
            )
            for key, kind in sorted(kinds.items())
            if key in obtainable
            and isinstance(kind.facts, PackFacts)
            and not kind.facts.refusal(place)
        ]
        if not fitting:
            families = ", ".join(variant.family for variant in place.variants)
            raise NoWay(f"No pack of family {families} in stock or on offer.")
        choices.append(fitting)
    return [tuple(chosen) for chosen in product(*choices)]


def missing_parts(
    sheet: ModelSheet,
    findings: Findings,
    filled: frozenset[str],
    obtainable: frozenset[str],
    kinds: dict[str, PartKind],
) -> Alternative:
    """Actions that complete the unit once the drive places ``filled`` hold drives.

    :raises NoWay: where a missing part can neither be taken from stock nor bought nor harvested.
    """
    actions: list[Action] = []
    for part in lacking_parts(sheet, findings, filled):
        if part.kind not in obtainable:
            raise NoWay(f"{part.label} is missing and there is none in stock or on offer.")
        broken = findings.part(part.key) == "broken"
        actions.append(
            Action(
                verb="fit",
                place=part.key,
                kind=part.kind,
                takes_out_label=f"broken {part.label}" if broken else "",
            )
        )
    return tuple(actions)


def repairs(
    sheet: ModelSheet,
    findings: Findings,
    obtainable: frozenset[str],
    kinds: dict[str, PartKind],
) -> Alternative:
    """Actions for every failed function test.

    :raises NoWay: where the sheet says a repair is not worth it, or its part cannot be had.
    """
    actions: list[Action] = []
    lost: list[str] = []
    for test in sheet.tests_of(findings.trim):
        if findings.test(test.key) is not TestState.FAILED:
            continue
        if test.repair is None:
            lost.append(test.label)
            continue
        if test.repair.kind not in obtainable:
            label = kinds[test.repair.kind].label if test.repair.kind in kinds else "repair part"
            raise NoWay(f"{test.label} failed and no {label} is in stock or on offer.")
        actions.append(
            Action(
                verb="fit",
                place=test.key,
                kind=test.repair.kind,
                takes_out_label=f"old {test.label.lower()}",
            )
        )
    if lost:
        raise NoWay(f"{listed(lost)} failed; the sheet says a repair is not worth it.")
    return tuple(actions)
