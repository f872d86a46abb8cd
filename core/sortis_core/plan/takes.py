"""Whether a place takes a part, judged again from the sheet alone.

For :mod:`sortis_core.plan.verify`: shares nothing with what options are made from. Rules:
docs/rules.md, Memory, Storage, Pack.
"""

from typing import assert_never

from sortis_core.actions import Action
from sortis_core.findings import Findings, PlaceState
from sortis_core.policy import MemorySchool, PairSchool, Policy
from sortis_core.sheets import BOARD, ModelSheet
from sortis_core.stock import (
    BracketFacts,
    DriveFacts,
    ModuleFacts,
    OtherFacts,
    PackFacts,
    PartKind,
)


def misfit(sheet: ModelSheet, action: Action, kinds: dict[str, PartKind]) -> str:
    """Why the part of an action does not go where it is said to go; empty where it does."""
    part = kinds.get(action.kind)
    if part is None:
        return "nobody knows this kind of part"
    match part.facts:
        case ModuleFacts() as module:
            return _module(sheet, action.place, module)
        case DriveFacts() as drive:
            extras = [kinds[key].facts for key in action.extras if key in kinds]
            held = [e for e in extras if isinstance(e, BracketFacts)]
            standoffs = {e.standoff_mm for e in held if e.drive_mm == drive.length_mm}
            return _drive(sheet, action.place, drive, standoffs)
        case PackFacts() as pack:
            families = {v.family for p in sheet.packs if p.key == action.place for v in p.variants}
            return "" if pack.family in families else "the pack is of another family"
        case OtherFacts():
            named = _wanted(sheet, action.place)
            good = action.kind in named or set(part.instead_of) & named
            return "" if good else "another kind belongs there"
        case BracketFacts():
            return "a bracket alone is no part of a unit"
        case _:
            assert_never(part.facts)


def _module(sheet: ModelSheet, place: str, module: ModuleFacts) -> str:
    memory = sheet.memory
    for slot in memory.slots:
        if slot.key == place:
            good = module.generation is memory.generation and module.gb <= slot.limit_gb
            good = good and memory.form in (None, module.form)
            good = good and (module.low_voltage or not memory.low_voltage_only)
            return "" if good else "the slot cannot take such a module"
    return "there is no such slot"


def _drive(sheet: ModelSheet, place: str, drive: DriveFacts, standoffs: set[int]) -> str:
    for socket in sheet.drives:
        if socket.key == place:
            held = {drive.length_mm, *standoffs} & set(socket.lengths_mm)
            tall = socket.height_mm and drive.height_mm and drive.height_mm > socket.height_mm
            good = drive.connector is socket.connector and drive.interface in socket.interfaces
            good = good and (bool(held) or not socket.lengths_mm) and not tall
            good = good and not (drive.double_sided and socket.single_sided_only)
            return "" if good and drive.gb <= socket.limit_gb else "the socket cannot take it"
    return "there is no such socket"


def _wanted(sheet: ModelSheet, place: str) -> set[str]:
    """Kinds that the sheet itself names for a place."""
    named = {part.kind for part in sheet.parts if part.key == place}
    named |= {test.repair.kind for test in sheet.tests if test.key == place and test.repair}
    named |= {c.kind for b in sheet.built_with for c in b.choices if c.place == place}
    if place == BOARD:
        named |= {board.kind for board in sheet.boards if board.kind}
    return named


def memory_fault(sheet: ModelSheet, after: Findings, policy: Policy) -> str:
    """Whether the modules that a plan leaves in the unit break its schools; empty where not."""
    memory = sheet.memory
    most = memory.stated.gb
    if policy.memory_ceiling is MemorySchool.BENCH_PROVEN and memory.proven:
        if memory.proven.units_on_record >= policy.bench_proven_from_units:
            most = max(most, memory.proven.gb)
    working = [m for m in after.modules.values() if m.state is PlaceState.PRESENT]
    total = (after.soldered_gb or 0) + sum(m.gb or 0 for m in working)
    if total > most:
        return f"{total} GB are more than the ceiling of {most} GB"
    first = working[0].maker if working else ""
    agree = bool(first) and all(module.maker == first for module in working)
    if policy.pair is PairSchool.ONE_MAKER and len(working) > 1 and not agree:
        return "its modules are not of one known maker"
    return ""
