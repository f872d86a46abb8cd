"""The day at the benches: which order, by whom, when."""

from sortis_core.day.case import DayCase, DayJob, DayPin, FreeTime, Technician
from sortis_core.day.check import day_faults
from sortis_core.day.plan import DayPlan, Moved, Slot, Waits, what_moved
from sortis_core.day.solve import plan_days

__all__ = [
    "DayCase",
    "DayJob",
    "DayPin",
    "DayPlan",
    "FreeTime",
    "Moved",
    "Slot",
    "Technician",
    "Waits",
    "day_faults",
    "plan_days",
    "what_moved",
]
