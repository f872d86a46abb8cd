"""Ways to fill places so that a gate is met: memory, drives, packs.

Each function returns the alternatives that meet its gate, every one a set of actions, or the
fact why there is none.
"""

from itertools import product

from sortis_core.actions import Action
from sortis_core.assess.battery import by_runtime
from sortis_core.assess.memory import ceiling
from sortis_core.assess.storage import is_solid, storage_facts
from sortis_core.assess.verdict import GateVerdict
from sortis_core.base import SortisError
from sortis_core.findings import Findings, ModuleFinding, PlaceState
from sortis_core.options.supply import Supply
from sortis_core.sheets import DrivePlace, MemorySlot, ModelSheet, PackPlace
from sortis_core.standards import MemoryGate, PackGate, Policy, SolidDriveGate

Alternative = tuple[Action, ...]


class NoWay(SortisError):
    """No set of actions meets the gate; the sentence is the fact against it."""

    title = "The gate cannot be met"


class LookFirst(NoWay):
    """The gate hangs on something nobody looked at yet."""


def memory_fillings(
    sheet: ModelSheet, findings: Findings, gate: MemoryGate, supply: Supply, policy: Policy
) -> list[Alternative]:
    """Fillings of the slots that reach ``gate.min_gb`` within the policy's ceiling.

    A module that sits in one slot may move to another: it comes out and serves the same unit.

    :raises NoWay: with the fact (soldered only, ceiling too low, no module to be had).
    """
    top = ceiling(sheet, policy)
    fixed = findings.soldered_gb or 0
    if not sheet.memory.slots:
        raise NoWay(f"Memory is soldered at {fixed} GB and there is no slot.")
    if top.gb < gate.min_gb:
        raise NoWay(f"The ceiling is {top.gb} GB ({top.source}); the gate wants {gate.min_gb} GB.")
    choices: list[list[tuple[str, int]]] = []
    for slot in sheet.memory.slots:
        there = findings.module(slot.key)
        usable = there.state in (PlaceState.PRESENT, PlaceState.EMPTY)
        held = there.gb or 0 if there.state is PlaceState.PRESENT else 0
        fitting = [
            (key, facts.gb)
            for key, facts in supply.modules
            if usable
            and supply.has(key)
            and facts.gb > held
            and not facts.refusal(sheet.memory, slot)
        ]
        choices.append([("", held), *fitting])
    found: list[Alternative] = []
    reachable = 0
    for filling in product(*choices):
        total = fixed + sum(gb for _, gb in filling)
        if total > top.gb:
            continue
        reachable = max(reachable, total)
        if total >= gate.min_gb and any(kind for kind, _ in filling):
            found.append(
                tuple(
                    _fit_module(sheet, findings.module(slot.key), slot, kind, supply)
                    for slot, (kind, _) in zip(sheet.memory.slots, filling, strict=True)
                    if kind
                )
            )
    if not found:
        raise NoWay(
            f"With the modules that can be had the slots reach {reachable} GB; the gate wants "
            f"{gate.min_gb} GB."
        )
    return found


def _fit_module(
    sheet: ModelSheet, there: ModuleFinding, slot: MemorySlot, kind: str, supply: Supply
) -> Action:
    displaced = there.state is PlaceState.PRESENT
    return Action(
        verb="fit",
        place=slot.key,
        kind=kind,
        takes_out=supply.module_kind(there, sheet) if displaced else "",
        takes_out_label=f"{there.gb} GB {sheet.memory.generation}" if displaced else "",
    )


def drive_fillings(
    sheet: ModelSheet,
    findings: Findings,
    gate: SolidDriveGate,
    supply: Supply,
    *,
    spinning_may_stay: bool,
) -> list[Alternative]:
    """Ways to give the unit a solid-state drive of at least ``gate.min_gb``.

    Faulty drives come out; a spinning disk comes out where a new drive carries the system, or,
    with ``spinning_may_stay``, may stay in its own bay as second drive.

    :raises NoWay: with the fact (no socket takes what can be had).
    """
    places = sheet.drives_of(findings.trim)
    faulty = [
        Action(verb="take out", place=place.key, takes_out_label="faulty drive")
        for place in places
        if findings.drive(place.key).state is PlaceState.FAULTY
    ]
    disks = [
        Action(
            verb="take out",
            place=place.key,
            takes_out=supply.drive_kind(there, place),
            takes_out_label=f"spinning {there.gb} GB disk",
        )
        for place in places
        for there in [findings.drive(place.key)]
        if there.state is PlaceState.PRESENT and there.spinning and not is_solid(there)
    ]
    if storage_facts(sheet, findings).solid_gb >= gate.min_gb:
        return [tuple(faulty)]
    found: list[Alternative] = []
    unfit: list[str] = []
    lacking: list[str] = []
    for place in places:
        if findings.drive(place.key).state is PlaceState.DEAD:
            unfit.append(f"{place.label} is dead.")
            continue
        for kind, drive in supply.drives:
            if drive.spinning or drive.gb < gate.min_gb:
                continue
            refusal = drive.refusal(place)
            bracket = supply.bracket_for(drive, place) if refusal else ""
            if refusal and not bracket:
                if supply.has(kind) and drive.connector is place.connector:
                    unfit.append(refusal)
                continue
            if not supply.has(kind):
                lacking.append(f"No {supply.label(kind)} in stock or on offer.")
                continue
            fitted = _fit_drive(findings, place, kind, bracket, supply)
            others = [action for action in faulty if action.place != place.key]
            elsewhere = [action for action in disks if action.place != place.key]
            found.append((fitted, *elsewhere, *others))
            if spinning_may_stay and elsewhere:
                found.append((fitted, *others))
    if not found:
        raise NoWay(
            [*unfit, *lacking][0]
            if unfit or lacking
            else f"No drive of {gate.min_gb} GB or more fits a socket of this model."
        )
    return found


def _fit_drive(
    findings: Findings, place: DrivePlace, kind: str, bracket: str, supply: Supply
) -> Action:
    there = findings.drive(place.key)
    held = there.state is PlaceState.PRESENT
    label = f"{there.interface} {there.gb} GB drive" if held else ""
    if there.state is PlaceState.FAULTY:
        label = "faulty drive"
    return Action(
        verb="fit",
        place=place.key,
        kind=kind,
        takes_out=supply.drive_kind(there, place) if held else "",
        takes_out_label=label,
        installs_system=True,
        extras=(bracket,) if bracket else (),
    )


def pack_fillings(
    sheet: ModelSheet,
    findings: Findings,
    gate: PackGate,
    verdict: GateVerdict,
    supply: Supply,
    policy: Policy,
) -> list[Alternative]:
    """Ways to replace every pack that is short; each place may take any variant of the sheet.

    By runtime, packs are replaced until all of them together last long enough.

    :raises NoWay: where no fitting pack can be had.
    """
    lasting = by_runtime(sheet, gate, policy)
    places = sheet.packs_of(findings.trim)
    choices: list[list[tuple[Action | None, float]]] = []
    for place in places:
        there = findings.pack(place.key)
        kept = there.in_wh(there.full, place.variants[0].volts)
        present = there.state is PlaceState.PRESENT
        choice: list[tuple[Action | None, float]] = []
        if place.key not in verdict.places or (lasting and present):
            choice.append((None, kept or 0.0))
        if place.key in verdict.places:
            choice += _variants(place, present or there.state is PlaceState.FAULTY, supply)
        if not choice:
            families = ", ".join(variant.family for variant in place.variants)
            raise NoWay(f"No pack of family {families} in stock or on offer.")
        choices.append(choice)
    found = [
        (tuple(action for action, _ in chosen if action), sum(wh for _, wh in chosen))
        for chosen in product(*choices)
    ]
    if lasting and gate.min_runtime_hours is not None:
        needed = gate.min_runtime_hours * sheet.draw[0].watts
        most = max(wh for _, wh in found)
        found = [(actions, wh) for actions, wh in found if wh >= needed]
        if not found:
            raise NoWay(
                f"With the packs that can be had it lasts {most / sheet.draw[0].watts:.1f} h; the "
                f"gate wants {gate.min_runtime_hours:g} h."
            )
    return [actions for actions, _ in found if actions]


def _variants(
    place: PackPlace, takes_out: bool, supply: Supply
) -> list[tuple[Action | None, float]]:
    needs = {variant.family: variant.needs_kinds for variant in place.variants}
    return [
        (
            Action(
                verb="fit",
                place=place.key,
                kind=key,
                takes_out_label="worn pack" if takes_out else "",
                extras=needs[facts.family],
            ),
            facts.design_wh,
        )
        for key, facts in supply.packs
        if supply.has(key)
        and not facts.refusal(place)
        and all(supply.has(kind) for kind in needs[facts.family])
    ]


def refused_parts(
    sheet: ModelSheet, findings: Findings, supply: Supply
) -> tuple[tuple[str, str], ...]:
    """(label, fact) of every module, drive and pack to be had that this unit cannot take."""
    facts: dict[str, list[str]] = {}
    for kind, module in supply.modules:
        refusals = [module.refusal(sheet.memory, slot) for slot in sheet.memory.slots]
        if supply.has(kind):
            facts[kind] = refusals or ["There is no slot; memory is soldered."]
    for kind, drive in supply.drives:
        if supply.has(kind):
            facts[kind] = [
                "" if supply.bracket_for(drive, place) else drive.refusal(place)
                for place in sheet.drives_of(findings.trim)
            ]
    for kind, pack in supply.packs:
        if supply.has(kind):
            facts[kind] = [pack.refusal(place) for place in sheet.packs_of(findings.trim)]
    return tuple(
        (supply.label(kind), " ".join(dict.fromkeys(refusals)) or "There is no place for it.")
        for kind, refusals in facts.items()
        if all(refusals)
    )
