"""Everything in which a plan of the days breaks its case; shares nothing with the solver."""

import itertools
from collections import defaultdict
from collections.abc import Iterator

from sortis_core.day.case import DayCase
from sortis_core.day.plan import DayPlan, Slot


def day_faults(case: DayCase, plan: DayPlan) -> list[str]:
    """The faults in words; empty where the plan holds."""
    return list(_faults(case, plan))


def _faults(case: DayCase, plan: DayPlan) -> Iterator[str]:
    jobs = {job.tag: job for job in case.jobs}
    people = {technician.key: technician for technician in case.technicians}
    planned = {slot.tag: slot for slot in plan.slots}
    told = [*planned, *(wait.tag for wait in plan.waits)]
    if sorted(told) != sorted(jobs) or len(planned) != len(plan.slots):
        yield "Not every order is planned or waits exactly once."
        return
    for slot in plan.slots:
        job, person = jobs[slot.tag], people[slot.technician]
        if not case.can_do(job, person):
            yield f"{person.name} cannot do {slot.tag}."
        if slot.end - slot.start != case.minutes_with(job, person):
            yield f"{slot.tag} has another length than {person.name} takes."
        if not any(free.start <= slot.start and slot.end <= free.end for free in person.free):
            yield f"{slot.tag} lies outside the hours of {person.name}."
        if slot.start < job.ready:
            yield f"{slot.tag} begins before its parts are here."
        for giver in job.after:
            if giver in jobs and (giver not in planned or planned[giver].end > slot.start):
                yield f"{slot.tag} begins before {giver} has given its part."
    yield from _overlaps(plan, "technician")
    yield from _overlaps(plan, "bench")
    if any(not 1 <= slot.bench <= case.benches for slot in plan.slots):
        yield "A bench is used that is not there."
    for pin in case.pins:
        at = planned.get(pin.tag)
        if at and pin.technician and at.technician != pin.technician:
            yield f"{pin.tag} was put to {pin.technician}."
        if at and pin.stretch is not None:
            free = next(f for f in people[at.technician].free if f.start <= at.start < f.end)
            if free.start != pin.stretch:
                yield f"{pin.tag} was put to another stretch of work."
    late = {
        slot.tag
        for slot in plan.slots
        if (due := jobs[slot.tag].due) is not None and slot.end > due
    }
    if late != set(plan.late):
        yield "The late orders are not the ones that are told."


def _overlaps(plan: DayPlan, what: str) -> Iterator[str]:
    by: dict[object, list[Slot]] = defaultdict(list)
    for slot in plan.slots:
        by[getattr(slot, what)].append(slot)
    for slots in by.values():
        ordered = sorted(slots, key=lambda slot: slot.start)
        for one, other in itertools.pairwise(ordered):
            if other.start < one.end:
                yield f"{one.tag} and {other.tag} are at the same {what} at once."
