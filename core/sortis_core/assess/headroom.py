"""What the unit could still take, and how far each school would let its memory go."""

from sortis_core.base import Record
from sortis_core.facts.battery import DESIGN_TOLERANCE_PERCENT
from sortis_core.facts.memory import school_of
from sortis_core.findings import Findings, PlaceState
from sortis_core.policy import MemorySchool, Policy
from sortis_core.sheets import Connector, DrivePlace, FactSource, ModelSheet


class Room(Record):
    """Room at one place: ``words`` say what still goes in."""

    place: str
    words: str


class SchoolCeiling(Record):
    """The most memory by one school or source, and whether the policy plans with it."""

    school: str
    gb: int
    source: str
    counts: bool
    words: str


def ceilings(sheet: ModelSheet, policy: Policy) -> tuple[SchoolCeiling, ...]:
    """Stated, bench-proven and processor's ceiling, each with its source (docs/rules.md, Memory).

    Exactly one of them counts under the policy.
    """
    memory = sheet.memory
    proven_counts = school_of(sheet, policy) is MemorySchool.BENCH_PROVEN
    found = [
        SchoolCeiling(
            school=MemorySchool.STATED,
            gb=memory.stated.gb,
            source=memory.stated.source,
            counts=not proven_counts,
            words=f"{memory.stated.gb} GB stated ({memory.stated.source})",
        )
    ]
    if proven := memory.proven:
        units = proven.units_on_record
        found.append(
            SchoolCeiling(
                school=MemorySchool.BENCH_PROVEN,
                gb=proven.gb,
                source=proven.source,
                counts=proven_counts,
                words=f"{proven.gb} GB seen running on {units} {'unit' if units == 1 else 'units'}",
            )
        )
    if memory.cpu_gb:
        found.append(
            SchoolCeiling(
                school="processor",
                gb=memory.cpu_gb,
                source=FactSource.MANUAL,
                counts=False,
                words=f"{memory.cpu_gb} GB by the processor's data sheet",
            )
        )
    return tuple(found)


def memory_rooms(
    sheet: ModelSheet, findings: Findings, total_gb: int, ceiling_gb: int
) -> tuple[Room, ...]:
    """Slots that take more.

    :param total_gb: memory seen.
    :param ceiling_gb: ceiling that counts; what lies above it is no room.
    """
    rooms: list[Room] = []
    for slot in sheet.memory.slots:
        there = findings.module(slot.key)
        if there.state is PlaceState.UNSEEN:
            continue
        held = there.gb or 0 if there.state is PlaceState.PRESENT else 0
        most = min(slot.limit_gb, ceiling_gb - (total_gb - held))
        if most > held:
            now = f"holds {held}, " if held else ""
            rooms.append(Room(place=slot.key, words=f"{slot.label} {now}takes up to {most} GB"))
    return tuple(rooms)


def drive_rooms(sheet: ModelSheet, findings: Findings) -> tuple[Room, ...]:
    """Sockets and bays that are free, with what they take."""
    return tuple(
        Room(place=place.key, words=_free_socket(place))
        for place in sheet.drives_of(findings.trim)
        if findings.drive(place.key).state is PlaceState.EMPTY
    )


def pack_rooms(sheet: ModelSheet, findings: Findings) -> tuple[Room, ...]:
    """Packs that come larger than the one that is in."""
    rooms: list[Room] = []
    for place in sheet.packs_of(findings.trim):
        seen = findings.pack(place.key)
        if len(place.variants) < 2 or seen.state is PlaceState.UNSEEN:
            continue
        design = seen.in_wh(seen.design, place.variants[0].volts) or 0
        largest = place.largest
        if largest.design_wh > design * (1 + DESIGN_TOLERANCE_PERCENT / 100):
            wants = f" and wants {', '.join(largest.needs)}" if largest.needs else ""
            words = f"{place.label} comes up to {largest.design_wh:g} Wh{wants}"
            rooms.append(Room(place=place.key, words=words))
    return tuple(rooms)


def _free_socket(place: DrivePlace) -> str:
    spoken = " or ".join(place.interfaces)
    lengths = f" {' or '.join(map(str, place.lengths_mm))}" if place.lengths_mm else ""
    side = ", single-sided" if place.single_sided_only else ""
    radio = ", unless a radio card sits there" if place.shared_with_radio else ""
    shape = f"{place.height_mm:g} mm " if place.connector is Connector.BAY else ""
    return (
        f"{place.label} is free: {shape}{spoken}{lengths}{side} up to {place.limit_gb:,} GB{radio}"
    )
