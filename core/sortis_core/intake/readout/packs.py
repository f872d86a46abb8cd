"""upower: the packs of a running unit."""

import re

from sortis_core.intake.readout.bundle import number, parsed, said
from sortis_core.intake.readout.seen import PackSeen
from sortis_core.intake.readout.soft import figure, table, word

SMALLEST_WH, LARGEST_WH = 2.0, 400.0
"""No pack of a portable lies outside."""
MOST_CHARGED = 1.1
"""Of the full charge; a gauge may lag, more it cannot hold."""


def read_upower(text: str) -> list[PackSeen]:
    """Packs that are in; mice, sums and empty bays are left out.

    Health is never taken from upower's own figure, which stops at 100 %.

    :raises ValueError: where the text is not upower's.
    """
    # jc drops the commas of other languages' decimal figures, so it is given points.
    if "native-path" not in text and "Device:" not in text:
        raise ValueError("not upower's")
    pointed = re.sub(r"(?<=\d),(?=\d+(?:\s*(?:Wh|W|V|%|mAh)|%))", ".", text)
    packs: list[PackSeen] = []
    for device in parsed("upower", pointed, raw=True):
        detail = table(device.get("detail"))
        name = word(device.get("native_path") or device.get("device_name"))
        if detail.get("type") != "battery" or word(device.get("power_supply")) != "yes":
            continue
        if "DisplayDevice" in word(device.get("device_name")):
            continue
        full = figure(number(detail.get("energy_full")), 0, LARGEST_WH)
        design = figure(number(detail.get("energy_full_design")), SMALLEST_WH, LARGEST_WH)
        if word(detail.get("present", "yes")) != "yes" or not full or not design:
            continue
        now = figure(number(detail.get("energy")), 0, LARGEST_WH)
        cycles = number(detail.get("charge_cycles"))
        packs.append(
            PackSeen(
                name=name,
                family=said(device.get("model")),
                full_wh=full,
                design_wh=design,
                now_wh=now if now is not None and now <= full * MOST_CHARGED else None,
                cycles=round(cycles) if cycles is not None and 0 <= cycles < 100_000 else None,
            )
        )
    return packs
