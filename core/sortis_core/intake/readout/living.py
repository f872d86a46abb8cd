"""What turns and ticks in a running unit: fans and heat by ``sensors -j``, the hardware clock."""

import re
from datetime import UTC, datetime

from sortis_core.intake.readout.bundle import read_json
from sortis_core.intake.readout.soft import figure, table

MOST_RPM = 20_000
LEAST_CELSIUS, MOST_CELSIUS = -20, 130
FAN = re.compile(r"fan\d{1,2}_input")
HEAT = re.compile(r"temp\d{1,2}_input")
LOAD = re.compile(r"\s*\d{1,5}\.\d{2} (\d{1,5}\.\d{2}) \d{1,5}\.\d{2} \d{1,6}/\d{1,7} \d{1,10}\s*$")
MOST_LOAD = 10_000
CLOCK = re.compile(
    r"^\s*(\d{4})-(\d{2})-(\d{2})[ T](\d{2}):(\d{2}):(\d{2})(?:[.,]\d+)?\s*([+-]\d{2}:?\d{2}|Z)?",
    re.MULTILINE,
)


def read_sensors(text: str) -> tuple[tuple[int, ...], float | None]:
    """(Turns a minute of every fan, the hottest place in °C).

    :raises ValueError: where it is not the output of ``sensors -j``.
    """
    chips = read_json(text)
    if not isinstance(chips, dict):
        raise ValueError("not the output of sensors")
    fans: list[int] = []
    heats: list[float] = []
    for chip in list(chips.values())[:100]:
        for feature in list(table(chip).values())[:100]:
            for name, value in list(table(feature).items())[:100]:
                turns = figure(value, 0, MOST_RPM) if FAN.fullmatch(name) else None
                if turns is not None:
                    fans.append(round(turns))
                heat = figure(value, LEAST_CELSIUS, MOST_CELSIUS) if HEAT.fullmatch(name) else None
                if heat is not None:
                    heats.append(heat)
    return tuple(fans), max(heats, default=None)


def read_load(text: str) -> float:
    """Load average of the last five minutes, by ``/proc/loadavg``.

    :raises ValueError: where it is something else.
    """
    match = LOAD.match(text)
    load = figure(float(match[1]), 0, MOST_LOAD) if match else None
    if load is None:
        raise ValueError("no load average")
    return load


def read_clock(text: str) -> datetime:
    """The hardware clock by ``hwclock --show``; without a zone it is taken as UTC.

    :raises ValueError: where no time stands there.
    """
    match = CLOCK.search(text)
    if match is None:
        raise ValueError("no time")
    zone = (match[7] or "+00:00").replace("Z", "+00:00")
    zone = zone if ":" in zone else f"{zone[:3]}:{zone[3:]}"
    said = datetime.fromisoformat(
        f"{match[1]}-{match[2]}-{match[3]}T{match[4]}:{match[5]}:{match[6]}{zone}"
    )
    return said.astimezone(UTC)
