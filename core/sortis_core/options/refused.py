"""Parts to be had that one unit cannot take, and the facts against them."""

from sortis_core.findings import Findings
from sortis_core.sheets import ModelSheet
from sortis_core.supply import Supply


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
