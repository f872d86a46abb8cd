"""Storage: which drive carries the unit (docs/rules.md, Storage)."""

from collections.abc import Iterable

from sortis_core.base import Record
from sortis_core.facts.question import Question
from sortis_core.findings import ARRAY, DriveFinding, Findings, PlaceState
from sortis_core.sheets import Interface, ModelSheet


class StorageFacts(Record):
    """The drives of one unit."""

    solid_gb: int
    """Largest solid-state drive in GB; eMMC and spinning disks do not count. 0: none."""
    spinning: tuple[str, ...]
    emmc: tuple[str, ...]
    faulty: tuple[str, ...]
    unseen: tuple[str, ...]
    free: tuple[str, ...]
    sentence: str


def is_solid(drive: DriveFinding) -> bool:
    """A working solid-state drive that can carry the system."""
    return (
        drive.state is PlaceState.PRESENT
        and not drive.spinning
        and drive.interface is not Interface.EMMC
    )


def storage_facts(sheet: ModelSheet, findings: Findings) -> StorageFacts:
    """What the unit's drive places hold."""
    by_state: dict[PlaceState, list[str]] = {state: [] for state in PlaceState}
    solid = 0
    spinning: list[str] = []
    emmc: list[str] = []
    said: list[str] = []
    for place in sheet.drives_of(findings.trim):
        drive = findings.drive(place.key)
        by_state[drive.state].append(place.key)
        if drive.state is not PlaceState.PRESENT:
            continue
        if drive.spinning:
            spinning.append(place.key)
            said.append(f"{place.label}: spinning {drive.gb} GB")
        elif drive.interface is Interface.EMMC:
            emmc.append(place.key)
            said.append(f"{place.label}: eMMC {drive.gb} GB")
        else:
            solid = max(solid, drive.gb or 0)
            life = f", {drive.life_percent} % life" if drive.life_percent is not None else ""
            said.append(f"{place.label}: {drive.interface} {drive.gb} GB{life}")
    if not said:
        unlooked = {state for state, places in by_state.items() if places} == {PlaceState.UNSEEN}
        said.append("Drives not looked at" if unlooked else "No drive seen")
    if spinning and not solid:
        said.append("a spinning disk alone is not sellable, a solid-state drive must go in")
    if emmc and not solid:
        said.append("eMMC does not count as a solid-state drive")
    return StorageFacts(
        solid_gb=solid,
        spinning=tuple(spinning),
        emmc=tuple(emmc),
        faulty=tuple(by_state[PlaceState.FAULTY]),
        unseen=tuple(by_state[PlaceState.UNSEEN]),
        free=tuple(by_state[PlaceState.EMPTY]),
        sentence="; ".join(said) + ".",
    )


def array_question(sheet: ModelSheet, findings: Findings, places: Iterable[str]) -> str:
    """Why a drive may not be pulled yet: the firmware binds it to others; empty where it may.

    :param places: what is to be worked on.
    """
    if not findings.drive_array:
        return ""
    held = {d.key for d in sheet.drives if findings.drive(d.key).state.held}
    if held.isdisjoint(places):
        return ""
    return (
        "The firmware binds its drives to an array: ask whoever owns the data before one is "
        "pulled, then note that there is none."
    )


def storage_questions(sheet: ModelSheet, findings: Findings) -> list[Question]:
    """A drive larger than its place is said to take: read it again, or it is a new proof."""
    asked: list[Question] = []
    if findings.drive_array:
        asked.append(
            Question(
                place=ARRAY,
                sentence="The firmware binds the drives to an array. Stop, touch none of them, and "
                "ask whoever brought the batch what is to become of the data.",
            )
        )
    for place in sheet.drives_of(findings.trim):
        gb = findings.drive(place.key).gb
        if gb is None or gb <= place.limit_gb:
            continue
        asked.append(
            Question(
                place=place.key,
                sentence=f"{place.label}: {gb} GB is more than the {place.limit_gb} GB that the "
                f"sheet knows of ({place.source}). Does the machine itself show the whole size? If "
                "so keep it: it then counts as seen running.",
            )
        )
    return asked
