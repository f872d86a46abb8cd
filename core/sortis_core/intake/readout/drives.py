"""lsblk and smartctl: the drives of a running unit, matched by serial number."""

import re
from typing import Any

from sortis_core.intake.readout.bundle import read_json, said
from sortis_core.intake.readout.seen import DriveSeen
from sortis_core.intake.readout.soft import figure, table, tables, true, whole, word
from sortis_core.sheets import Interface

MARKET_GB = (
    16, 32, 60, 64, 120, 128, 160, 240, 250, 256, 320, 480, 500, 512, 750, 960, 1000, 1024, 2000,
)  # fmt: skip
"""Sizes drives are sold as; what tools print lies within three percent of one of them."""
NEAR = 0.03
SMALLEST_GB = 7
LARGEST_BYTES = 2e14
"""No drive of a portable or a mini PC holds 200 TB."""
MOST_HOURS = 500_000
VIRTUAL = re.compile(r"\b(qemu|vbox|vmware|virtual|virtio|msft)", re.IGNORECASE)
NOTHING_READ = 0b11
"""Bits of smartctl's exit status that say the drive gave nothing."""
FAILING = 0b1000
NVME_NOT_ENDED = (1, 2, 3, 4, 8, 9, 15)
"""Results of an NVMe drive's own test that say nothing: broken off, or none."""
ATA_NOT_ENDED = (1, 2, 15)
"""Likewise in the upper half of the status byte of an ATA drive."""
UNITS = {"": 1, "B": 1, "K": 2**10, "M": 2**20, "G": 2**30, "T": 2**40}


def market_gb(size_bytes: float) -> int:
    """The size a drive of so many bytes is sold as."""
    gb = size_bytes / 1e9
    nearest = min(MARKET_GB, key=lambda size: abs(size - gb))
    return nearest if abs(nearest - gb) <= NEAR * gb else round(gb)


def bytes_of(size: Any) -> float | None:
    """Bytes of what lsblk prints: ``256060514304``, ``"238,5G"``."""
    if isinstance(size, int | float):
        return figure(size, 0, LARGEST_BYTES)
    pattern = r"\s*(\d{1,15}(?:[.,]\d{1,6})?)\s*([BKMGT]?)i?B?\s*"
    match = re.fullmatch(pattern, word(size), re.IGNORECASE)
    if not match:
        return None
    return figure(float(match[1].replace(",", ".")) * UNITS[match[2].upper()], 0, LARGEST_BYTES)


def read_lsblk(text: str) -> list[DriveSeen]:
    """Whole drives; boot parts of eMMC, memory disks, sticks, optical drives and disks of a
    virtual machine are left out.

    :raises ValueError: where the text is no JSON, or another tool's.
    """
    tree = table(read_json(text))
    if not isinstance(tree.get("blockdevices"), list):
        raise ValueError("not lsblk's")
    drives: list[DriveSeen] = []
    for device in tables(tree["blockdevices"]):
        name = word(device.get("name"))
        transport = word(device.get("tran")).lower()
        kind = word(device.get("type", "disk"))
        size = bytes_of(device.get("size"))
        if kind != "disk" or transport == "usb" or size is None or size < SMALLEST_GB * 1e9:
            continue
        if re.match(r"zram|loop|ram|sr\d|fd\d", name) or "boot" in name or true(device.get("rm")):
            continue
        if re.match(r"vd[a-z]|xvd", name) or VIRTUAL.search(word(device.get("model"))):
            continue
        interface = (
            Interface.EMMC
            if name.startswith("mmcblk")
            else Interface.NVME
            if name.startswith("nvme") or transport == "nvme"
            else Interface.SATA
        )
        drives.append(
            DriveSeen(
                name=name,
                model=said(device.get("model")),
                serial=said(device.get("serial")),
                gb=market_gb(size),
                interface=interface,
                spinning=true(device.get("rota")) and interface is Interface.SATA,
            )
        )
    return drives


def read_smartctl(text: str) -> tuple[DriveSeen | None, str]:
    """One drive's health, and why it could not be read where it is None."""
    try:
        said_ = read_json(text)
    except ValueError:
        return None, "is cut off or not JSON"
    if not isinstance(said_, dict) or not ({"smartctl", "device", "model_name"} & set(said_)):
        return None, "is not the output for one drive"
    status = whole(table(said_.get("smartctl")).get("exit_status", 0), 0, 255)
    device = table(said_.get("device"))
    model = said(said_.get("model_name"))
    if status is None or status & NOTHING_READ or not model:
        return None, "holds nothing: the drive did not answer"
    if VIRTUAL.search(model):
        return None, "is of a virtual machine's disk"
    nvme = "nvme" in word(device.get("protocol", device.get("type", ""))).lower()
    capacity = table(said_.get("user_capacity")).get("bytes") or said_.get("nvme_total_capacity")
    size = figure(capacity, SMALLEST_GB * 1e9, LARGEST_BYTES)
    rotation = whole(said_.get("rotation_rate"), 1, 20_000)
    form = word(table(said_.get("form_factor")).get("name")).lower()
    hours = whole(table(said_.get("power_on_time")).get("hours"), 0, MOST_HOURS)
    passed = table(said_.get("smart_status")).get("passed")
    tested = _self_test(said_)
    return (
        DriveSeen(
            name=word(device.get("name")).removeprefix("/dev/"),
            model=model,
            serial=said(said_.get("serial_number")),
            gb=market_gb(size) if size else None,
            interface=Interface.NVME if nvme else Interface.SATA,
            spinning=rotation is not None,
            in_bay=True if "2.5" in form else False if "m.2" in form or nvme else None,
            life_percent=_life(said_),
            hours=hours,
            failing=passed is False or bool(status & FAILING),
            self_test_passed=tested[0],
            self_test_hours=tested[1],
        ),
        "",
    )


def _life(said_: dict[str, Any]) -> int | None:
    """Life left in percent: what NVMe drives say was used may pass 100, up to a byte's 255."""
    used = table(said_.get("nvme_smart_health_information_log")).get("percentage_used")
    if used is None:
        for page in tables(table(said_.get("ata_device_statistics")).get("pages")):
            for row in tables(page.get("table")):
                if "percentage used" in word(row.get("name")).lower():
                    used = row.get("value")
    found = figure(used, 0, 255)
    return None if found is None else max(0, 100 - round(found))


def _self_test(said_: dict[str, Any]) -> tuple[bool | None, int | None]:
    """(How the newest test of its own that was ended came out, hours the drive had run by then)."""
    nvme = tables(table(said_.get("nvme_self_test_log")).get("table"))
    for row in nvme:
        result = whole(table(row.get("self_test_result")).get("value"), 0, 15)
        if result is not None and result not in NVME_NOT_ENDED:
            return result == 0, whole(row.get("power_on_hours"), 0, MOST_HOURS)
    log = table(said_.get("ata_smart_self_test_log"))
    for kind in ("extended", "standard"):
        for row in tables(table(log.get(kind)).get("table")):
            status = table(row.get("status"))
            value = whole(status.get("value"), 0, 255)
            ended = None if value is None else value >> 4
            if ended is not None and ended not in ATA_NOT_ENDED:
                return ended == 0, whole(row.get("lifetime_hours"), 0, MOST_HOURS)
    return None, None


def _same_serial(one: str, other: str) -> bool:
    """Tools write one serial number with blanks, dashes and case of their own."""
    plain = [re.sub(r"[^0-9A-Za-z]+", "", serial).upper() for serial in (one, other)]
    return bool(plain[0]) and plain[0] == plain[1]


def _same_name(one: str, other: str) -> bool:
    """``nvme0`` and ``nvme0n1`` are one drive."""
    return bool(one) and bool(other) and (one.startswith(other) or other.startswith(one))


def merge_drives(
    listed: list[DriveSeen], healths: list[DriveSeen]
) -> tuple[list[DriveSeen], list[str]]:
    """Drives of lsblk with the health smartctl read, and where the two disagree."""
    if not listed:
        return healths, []
    merged: list[DriveSeen] = []
    questions: list[str] = []
    left = list(healths)
    for drive in listed:
        match = next((h for h in left if _same_serial(drive.serial, h.serial)), None)
        match = match or next(
            (h for h in left if _same_name(drive.name, h.name) and not (drive.serial and h.serial)),
            None,
        )
        if match is None:
            merged.append(drive)
            continue
        left.remove(match)
        if match.gb and drive.gb and match.gb != drive.gb:
            questions.append(
                f"Drive {drive.name}: lsblk says {drive.gb} GB, smartctl says {match.gb} GB. Read "
                "its label."
            )
        merged.append(
            drive.model_copy(
                update={
                    "model": match.model or drive.model,
                    "serial": drive.serial or match.serial,
                    "spinning": match.spinning or (drive.spinning and match.life_percent is None),
                    "in_bay": match.in_bay,
                    "life_percent": match.life_percent,
                    "hours": match.hours,
                    "failing": match.failing,
                    "self_test_passed": match.self_test_passed,
                    "self_test_hours": match.self_test_hours,
                }
            )
        )
    for lone in left:
        questions.append(
            f"smartctl read a drive {lone.model} ({lone.serial or lone.name}) that lsblk does not "
            "list. Look which drives are in."
        )
    return merged, questions
