"""What read-outs prove of a running unit (docs/rules.md, Proven by use).

Simple means: charge that packs lose between two readings, the log that a drive keeps of its own
test, heat and fans while the processor works. The record of a gate is these figures; nobody types
them.
"""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple, assert_never

from sortis_core.base import SortisError, listed
from sortis_core.gates.proven import ProvenGate, Proving
from sortis_core.intake.readout import ReadOut

LEAST_MINUTES = 10
"""Between two readings of the packs; less is noise."""
MOST_MINUTES = 24 * 60
"""Further apart by the unit's clock, it was set meanwhile, or they belong to different days."""
LEAST_WATTS = 1.5
"""No laptop that runs draws less: then it slept, or its clock was set."""
LEAST_SHARE = 0.01
"""Of the full charge must be gone, so that the step of the gauge does not decide."""
AT_WORK = 1.0
"""Load average over five minutes from which on one core was at work all the time."""
FRESH_HOURS = 24
"""A drive's own test counts for so many hours of its running."""


class NotProven(SortisError):
    """The read-outs do not show what the gate asks for."""

    title = "That is not proven yet"


class Reading(NamedTuple):
    """A read-out and when it was taken in (UTC)."""

    at: datetime
    readout: ReadOut


def proven_words(gate: ProvenGate, readings: Sequence[Reading]) -> str:
    """The record that read-outs make for a gate.

    :param readings: since the last look at the unit, oldest first; the newest is of this unit, and
        of those before it only what calls itself the same counts.
    :raises NotProven: with what is missing, or what speaks against it, and what to do.
    """
    if not readings:
        raise NotProven("It was not read out since the work was done. Read it out first.")
    called = readings[-1].readout.machine.serial
    same = [one for one in readings if one.readout.machine.serial == called]
    match gate.what:
        case Proving.RUNTIME:
            return _runtime(same, gate.min_hours or 0.0)
        case Proving.SELF_TEST:
            return _self_test(readings[-1].readout)
        case Proving.LOAD:
            return _load(readings[-1].readout, gate.max_celsius or 0)
        case Proving.OWN_TEST:
            raise NotProven("No read-out tells what the model's own test says. Write it down.")
        case _:
            assert_never(gate.what)


def _runtime(readings: Sequence[Reading], wanted: float) -> str:
    full_readings = [one for one in readings if _charge(one.readout) is not None]
    if not full_readings:
        raise NotProven("No read-out says how much charge its packs hold. Read it out running.")
    last = full_readings[-1]
    begun = [one for one in full_readings if LEAST_MINUTES <= _minutes(one, last) <= MOST_MINUTES]
    if not begun:
        raise NotProven(
            "There is one reading of its packs so far, or they lie too near. Let it run on its "
            f"packs for {LEAST_MINUTES} minutes, then read it out again."
        )
    first = begun[-1]
    before, now = _charge(first.readout) or 0.0, _charge(last.readout) or 0.0
    full = sum(pack.full_wh for pack in last.readout.packs)
    if before - now < LEAST_SHARE * full:
        raise NotProven(
            f"Its packs hold {now:.1f} Wh and held {before:.1f} Wh before: they lost too little to "
            "tell. Take the adapter out, let it run longer, and read it out again."
        )
    minutes = _minutes(first, last)
    watts = (before - now) / (minutes / 60)
    if watts < LEAST_WATTS:
        raise NotProven(
            f"It drew {watts:.1f} W, less than a unit that runs: it slept, or its clock was set "
            "between the readings. Let it run on its packs, and read it out twice again."
        )
    hours = full / watts
    said = f"{before:.1f} to {now:.1f} Wh in {minutes:.0f} min, {watts:.1f} W, so {hours:.1f} h"
    if hours < wanted:
        raise NotProven(f"{said}; {wanted:g} h are asked for. Look at its packs and what it draws.")
    return said


def _charge(readout: ReadOut) -> float | None:
    """Wh in all packs together; None where one of them does not say."""
    held = [pack.now_wh for pack in readout.packs]
    known = [wh for wh in held if wh is not None]
    return sum(known) if known and len(known) == len(held) else None


def _minutes(first: Reading, last: Reading) -> float:
    """Between two readings, by the unit's own clock where both tell it."""
    if first.readout.clock and last.readout.clock:
        return (last.readout.clock - first.readout.clock).total_seconds() / 60
    return (last.at - first.at).total_seconds() / 60


def _self_test(readout: ReadOut) -> str:
    if not readout.drives:
        raise NotProven("The newest read-out shows no drive. Read it out again.")
    said: list[str] = []
    for drive in readout.drives:
        name = drive.model or drive.name
        if drive.self_test_passed is None:
            raise NotProven(
                f"{name} tells of no test of its own. Start the short one, wait until it is done, "
                "and read the unit out again."
            )
        if not drive.self_test_passed:
            raise NotProven(f"{name} failed its own test. Send the unit back to inspection.")
        if drive.hours is None or drive.self_test_hours is None:
            raise NotProven(
                f"{name} passed a test of its own and does not say when. Start it anew and read "
                "the unit out again."
            )
        old = drive.hours - drive.self_test_hours
        if not 0 <= old <= FRESH_HOURS:
            when = f"{old} running hours ago" if old > 0 else "at hours that it has not run yet"
            raise NotProven(
                f"{name} passed its own test {when}. Start it anew and read the unit out again."
            )
        said.append(f"{name} passed at {drive.self_test_hours} h")
    return listed(said)


def _load(readout: ReadOut, most: int) -> str:
    heat = readout.hottest_celsius
    if heat is None or readout.load is None:
        raise NotProven(
            "The newest read-out does not say how hot it is, or how hard it works. Read it out "
            "while it works."
        )
    if readout.load < AT_WORK:
        raise NotProven(
            f"It hardly worked in the last five minutes (load {readout.load:.1f}). Let it work "
            "hard, and read it out while it does."
        )
    turning = max(readout.fans_rpm or (), default=0)
    if readout.fans_rpm and not turning:
        raise NotProven(f"At {heat:.0f} °C no fan turns. Look at its plug.")
    fan = f", fan {turning} turns a minute" if turning else ""
    said = f"{heat:.0f} °C at load {readout.load:.1f}{fan}"
    if heat > most:
        raise NotProven(f"{said}; at most {most} °C are asked for. Look at fan, paste and pads.")
    return said
