"""What a route finds in a unit and what not: a step is there only when its thing is there."""

from sortis_core.actions import Action
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.sheets import ModelSheet


def absent(
    sheet: ModelSheet, findings: Findings, actions: tuple[Action, ...] = ()
) -> frozenset[str]:
    """Places that steps of the route ask about and that hold nothing, as far as anybody looked.

    What nobody looked at may be there, and its step is done; so is that of a part which goes in.
    """
    fitted = {action.place for action in actions if action.kind}
    asked = sheet.route.asked_about - fitted
    return frozenset([key for key in asked if not _there(sheet, findings, key)])


def _there(sheet: ModelSheet, findings: Findings, key: str) -> bool:
    places = sheet.of_trim(findings.trim)
    if any(slot.key == key for slot in sheet.memory.slots):
        return findings.module(key).state is not PlaceState.EMPTY
    if any(drive.key == key for drive in places.drives):
        return findings.drive(key).state.held
    if any(pack.key == key for pack in places.packs):
        return findings.pack(key).state is not PlaceState.EMPTY
    if any(part.key == key for part in places.parts):
        return findings.part(key) is not PartState.MISSING
    return False
