"""A probe bundle as one read-out: every tool as far as it goes, disagreements as questions."""

from datetime import datetime

from sortis_core.facts.figures import exact
from sortis_core.intake.readout.bundle import Bundle, open_bundle
from sortis_core.intake.readout.drives import merge_drives, read_lsblk, read_smartctl
from sortis_core.intake.readout.firmware import (
    Firmware,
    lshw_disks,
    read_dmidecode,
    read_lshw,
)
from sortis_core.intake.readout.living import read_clock, read_load, read_sensors
from sortis_core.intake.readout.packs import read_upower
from sortis_core.intake.readout.seen import DriveSeen, MachineSeen, PackSeen, ReadOut

DESIGN_NEAR = 0.05
UNREADABLE = (ValueError, TypeError, LookupError, AttributeError, ArithmeticError, RecursionError)
"""Whatever a reader stumbles over in one tool's text: that tool is named, the others are read."""


def read_bundle(data: bytes) -> ReadOut:
    """Read a bundle.

    :raises BundleRefused: where it is no bundle at all; a broken part of one is only named.
    """
    bundle = open_bundle(data)
    not_read = list(bundle.not_read)
    firmware = _firmware(bundle, not_read)
    questions: list[str] = []
    memory = next((f for f in firmware if f.listed_memory), Firmware())
    totals = {sum(m.gb or 0 for m in f.modules) for f in firmware if f.listed_memory}
    if len(totals) > 1:
        questions.append(
            f"dmidecode lists {_total(firmware[0])} GB of memory, lshw {_total(firmware[1])} GB. "
            "Look at the modules."
        )
    drives, drives_read = _drives(bundle, not_read, questions)
    packs, packs_read = _packs(bundle, not_read)
    designs = [wh for f in firmware for wh in f.pack_designs_wh]
    questions += _pack_questions(packs, designs)
    if designs and not packs:
        # upower sees no pack that the firmware lists: a dead pack is not an empty bay.
        packs_read = False
        known = ", ".join(f"{wh:.0f}" for wh in designs)
        questions.append(
            f"The firmware lists a pack of {known} Wh by design, upower reads none. Look at it."
        )
    machine = _machine(firmware)
    fans, heat, clock = _living(bundle, not_read)
    load = _load(bundle, not_read)
    radios = [f.radios for f in firmware if f.radios is not None]
    if machine.virtual:
        not_read.append(
            "This was read in a virtual machine; it says nothing of the hardware. Run the script "
            "on the unit itself."
        )
    return ReadOut(
        machine=machine,
        memory=() if machine.virtual else tuple(memory.modules),
        memory_read=memory.listed_memory and not machine.virtual,
        ceiling_gb=memory.ceiling_gb,
        drives=() if machine.virtual else tuple(drives),
        drives_read=drives_read and not machine.virtual,
        packs=() if machine.virtual else tuple(packs),
        packs_read=packs_read and not machine.virtual,
        radios=None if machine.virtual else max(radios, default=None),
        fans_rpm=None if machine.virtual else fans,
        hottest_celsius=None if machine.virtual else heat,
        load=None if machine.virtual else load,
        clock=None if machine.virtual else clock,
        not_read=tuple(not_read),
        questions=tuple(questions),
    )


def _living(
    bundle: Bundle, not_read: list[str]
) -> tuple[tuple[int, ...] | None, float | None, datetime | None]:
    """Fans, heat and clock; bundles of before have none, and nobody misses them."""
    fans: tuple[int, ...] | None = None
    heat: float | None = None
    clock: datetime | None = None
    if text := bundle.first("sensors"):
        try:
            fans, heat = read_sensors(text)
        except UNREADABLE:
            not_read.append("sensors printed something that Sortis does not know.")
    if text := bundle.first("hwclock"):
        try:
            clock = read_clock(text)
        except UNREADABLE:
            not_read.append("hwclock does not say the time.")
    return fans, heat, clock


def _load(bundle: Bundle, not_read: list[str]) -> float | None:
    if text := bundle.first("loadavg"):
        try:
            return read_load(text)
        except UNREADABLE:
            not_read.append("loadavg does not say how hard the unit works.")
    return None


def _total(firmware: Firmware) -> int:
    return sum(module.gb or 0 for module in firmware.modules)


def _firmware(bundle: Bundle, not_read: list[str]) -> list[Firmware]:
    found: list[Firmware] = []
    for tool, reader in (("dmidecode", read_dmidecode), ("lshw", read_lshw)):
        text = bundle.first(tool)
        if not text:
            not_read.append(f"The bundle has no output of {tool}.")
            continue
        try:
            one = reader(text)
        except UNREADABLE:
            not_read.append(f"{tool} printed something that Sortis does not know.")
            continue
        if one.fault:
            not_read.append(one.fault)
        found.append(one)
    return found


def _machine(firmware: list[Firmware]) -> MachineSeen:
    machine = MachineSeen()
    for one in firmware:
        machine = MachineSeen(
            maker=machine.maker or one.machine.maker,
            product=machine.product or one.machine.product,
            serial=machine.serial or one.machine.serial,
            processor=machine.processor or one.machine.processor,
            virtual=machine.virtual or one.machine.virtual,
        )
    return machine


def _drives(
    bundle: Bundle, not_read: list[str], questions: list[str]
) -> tuple[list[DriveSeen], bool]:
    listed: list[DriveSeen] = []
    read = False
    if text := bundle.first("lsblk"):
        try:
            listed = read_lsblk(text)
            read = True
        except UNREADABLE:
            not_read.append("lsblk's output is cut off, not JSON, or another tool's.")
    else:
        not_read.append("The bundle has no output of lsblk.")
    healths: list[DriveSeen] = []
    for name, text in bundle.texts["smartctl"]:
        try:
            drive, fault = read_smartctl(text)
        except UNREADABLE:
            drive, fault = None, "holds something that Sortis does not know"
        if drive:
            healths.append(drive)
        else:
            not_read.append(f"{name} {fault}.")
    if not bundle.texts["smartctl"]:
        not_read.append("The bundle has no output of smartctl, so no drive's health is known.")
    drives, asked = merge_drives(listed, healths)
    questions += asked
    if not drives and not read:
        disks = lshw_disks(bundle.first("lshw")) if bundle.first("lshw") else []
        drives = [
            DriveSeen(name=f"disk {number}", model=product, gb=gb)
            for number, (product, gb) in enumerate(disks, start=1)
        ]
    return drives, read or bool(drives)


def _packs(bundle: Bundle, not_read: list[str]) -> tuple[list[PackSeen], bool]:
    text = bundle.first("upower")
    if not text:
        not_read.append("The bundle has no output of upower, so no pack was read.")
        return [], False
    try:
        return read_upower(text), True
    except UNREADABLE:
        not_read.append("upower's output cannot be read.")
        return [], False


def _pack_questions(packs: list[PackSeen], designs_wh: list[float]) -> list[str]:
    """A firmware figure that none of the packs agrees with; it can be wrong by a factor of ten."""
    asked: list[str] = []
    for pack in packs:
        off = [abs(exact(wh) / exact(pack.design_wh) - 1) for wh in designs_wh]
        if off and min(off) > exact(DESIGN_NEAR):
            asked.append(
                f"Pack {pack.name}: upower says {pack.design_wh:g} Wh by design, the firmware "
                f"{designs_wh[off.index(min(off))]:g} Wh. Read its label."
            )
    return asked
