"""Plan the days with CP-SAT: first as few orders late or left out as can be, then the rest.

Each order goes to one stretch of work of one person (the morning of Tomas); within a stretch orders
follow one another, those of a model together. The rest: few changes to what people go by, few
models a person and day, early beginnings, an even share. One thread and a limit in deterministic
time, so that the same case gives the same plan.
"""

from collections import defaultdict
from dataclasses import dataclass, field

from ortools.sat.python import cp_model

from sortis_core.base import listed
from sortis_core.day.case import DAY_MINUTES, DayCase, DayJob, FreeTime, Technician
from sortis_core.day.plan import DayPlan, DayProof, Slot, Waits
from sortis_core.route.minutes import Skill

LEFT_OUT = 20
"""Leaving an order out is as bad as so many late ones."""
OTHER_PERSON, OTHER_STRETCH = 240, 120
"""Minutes of waiting that a change to the plan before is worth."""
EVEN_WEIGHT = 3
"""Of each minute that whoever has most to do works on."""
MODEL_WEIGHT = 5
"""Laying out tools holds up the orders behind it too."""
EFFORT = 1.0
"""Deterministic time of each goal."""


@dataclass(frozen=True)
class _Stretch:
    """One stretch of work of one person."""

    technician: Technician
    free: FreeTime

    @property
    def key(self) -> tuple[str, int]:
        return self.technician.key, self.free.start


@dataclass
class _Model:
    """Variables of one case."""

    case: DayCase
    jobs: list[DayJob]
    stretches: list[_Stretch]
    model: cp_model.CpModel = field(default_factory=cp_model.CpModel)
    goes: dict[tuple[str, tuple[str, int]], cp_model.IntVar] = field(default_factory=dict)
    """(tag, stretch) -> whether the order is done there."""
    left: dict[str, cp_model.IntVar] = field(default_factory=dict)

    def of(self, job: DayJob) -> list[_Stretch]:
        """Stretches that an order may go to."""
        return [one for one in self.stretches if (job.tag, one.key) in self.goes]


Places = dict[str, tuple[str, int]]
"""Tag -> stretch."""


def plan_days(case: DayCase) -> DayPlan:
    """The best plan of the days that was found, with the bound."""
    able, waits = _who_can(case)
    if not able:
        return DayPlan(slots=(), late=(), waits=waits, proofs=(), gap_percent=0.0)
    built = _build(case, able)
    placed_before = _placed_before(built)
    unmet = sum(_unmet(built))
    first, places = _run(built, unmet, placed_before or _by_hand(built))
    built.model.add(unmet <= first.value)
    second, places = _run(built, _rest(built), places)
    slots = _in_turn(built, places)
    planned = {slot.tag for slot in slots}
    waits += tuple(
        Waits(tag=job.tag, reason="There is no free time left for it in these days.")
        for job in built.jobs
        if job.tag not in planned
    )
    due = {job.tag: job.due for job in case.jobs}
    gap = 100 * abs(second.value - second.bound) / max(1, abs(second.value))
    return DayPlan(
        slots=slots,
        late=tuple(s.tag for s in slots if (at := due[s.tag]) is not None and s.end > at),
        waits=waits,
        proofs=(
            first.model_copy(update={"goal": "orders late or left out"}),
            second.model_copy(
                update={"goal": "weighed minutes of waiting, longest day, tools and moves"}
            ),
        ),
        gap_percent=round(gap, 1),
    )


def _fits(case: DayCase, job: DayJob, stretch: _Stretch) -> bool:
    """Whether an order may go to a stretch, as if nothing else did."""
    pin = next((pin for pin in case.pins if pin.tag == job.tag), None)
    if pin and pin.technician not in ("", stretch.technician.key):
        return False
    if pin and pin.stretch not in (None, stretch.free.start):
        return False
    length = case.minutes_with(job, stretch.technician)
    return (
        case.can_do(job, stretch.technician)
        and job.ready <= stretch.free.start
        and length <= stretch.free.end - stretch.free.start
    )


def _stretches(case: DayCase) -> list[_Stretch]:
    return [_Stretch(person, free) for person in case.technicians for free in person.free]


def _who_can(case: DayCase) -> tuple[list[DayJob], tuple[Waits, ...]]:
    """Orders that somebody can do in one go, and why the others wait."""
    able: list[DayJob] = []
    waits: list[Waits] = []
    stretches = _stretches(case)
    for job in case.jobs:
        if any(_fits(case, job, stretch) for stretch in stretches):
            able.append(job)
            continue
        reason = "No stretch of work of whoever can do it is long enough once its parts are here."
        if not any(case.can_do(job, person) for person in case.technicians):
            skills = listed([skill.label for skill in job.skills or (Skill.BENCH,)])
            reason = f"Nobody here has the skill: {skills}."
            if job.holder:
                reason = "Whoever has begun it is not here in these days."
        waits.append(Waits(tag=job.tag, reason=reason))
    # Who waits for a part out of an order that is in no plan waits with it.
    known = {job.tag for job in case.jobs}
    tags = {job.tag for job in able}
    while stuck := [job for job in able if any(g in known - tags for g in job.after)]:
        for job in stuck:
            able.remove(job)
            tags.remove(job.tag)
            givers = " and ".join(giver for giver in job.after if giver in known - tags)
            waits.append(Waits(tag=job.tag, reason=f"It waits for a part out of {givers}."))
    return able, tuple(waits)


def _build(case: DayCase, jobs: list[DayJob]) -> _Model:
    built = _Model(case, jobs, _stretches(case))
    model = built.model
    load: dict[tuple[str, int], list[cp_model.LinearExpr]] = defaultdict(list)
    for job in jobs:
        left = built.left[job.tag] = model.new_bool_var(f"left {job.tag}")
        for stretch in built.stretches:
            if _fits(case, job, stretch):
                goes = model.new_bool_var(f"{job.tag} {stretch.key}")
                built.goes[job.tag, stretch.key] = goes
                load[stretch.key].append(case.minutes_with(job, stretch.technician) * goes)
        model.add_exactly_one([left, *(built.goes[job.tag, s.key] for s in built.of(job))])
    for stretch in built.stretches:
        if load[stretch.key]:
            minutes = stretch.free.end - stretch.free.start
            model.add(cp_model.LinearExpr.sum(load[stretch.key]) <= minutes)
    _benches(built)
    by_tag = {job.tag: job for job in jobs}
    for job in jobs:
        for giver in (by_tag[tag] for tag in job.after if tag in by_tag):
            # The giver ends before the taker's stretch begins, or the same person does both in it.
            for stretch in built.of(job):
                before = [
                    built.goes[giver.tag, other.key]
                    for other in built.of(giver)
                    if other.free.end <= stretch.free.start or other.key == stretch.key
                ]
                model.add_bool_or([built.goes[job.tag, stretch.key].Not(), *before])
    return built


def _benches(built: _Model) -> None:
    """No more people at once than there are benches."""
    if built.case.benches >= len(built.case.technicians):
        return
    works = {one.key: built.model.new_bool_var(f"works {one.key}") for one in built.stretches}
    for (_, key), goes in built.goes.items():
        built.model.add_implication(goes, works[key])
    for one in built.stretches:
        at_once = [
            works[other.key]
            for other in built.stretches
            if other.free.start <= one.free.start < other.free.end
        ]
        built.model.add(sum(at_once) <= built.case.benches)


def _unmet(built: _Model) -> list[cp_model.LinearExpr]:
    """Orders left out, and those in a stretch that ends after they are due."""
    terms: list[cp_model.LinearExpr] = [LEFT_OUT * left for left in built.left.values()]
    for job in built.jobs:
        if job.due is not None:
            terms += [built.goes[job.tag, s.key] for s in built.of(job) if s.free.end > job.due]
    return terms


def _rest(built: _Model) -> cp_model.LinearExpr:
    """Changes, models laid out, and waiting, all in minutes."""
    case, model = built.case, built.model
    placed_before = _placed_before(built)
    terms: list[cp_model.LinearExpr] = []
    laid: dict[tuple[str, str, int], cp_model.IntVar] = {}
    # Until somebody is at a bench at all nothing waits that could be done: a week end is no delay.
    first = min((stretch.free.start for stretch in built.stretches), default=0)
    for job in built.jobs:
        for stretch in built.of(job):
            goes = built.goes[job.tag, stretch.key]
            cost = max(0, stretch.free.start - max(job.ready, first))
            if job.tag in placed_before:
                cost += OTHER_PERSON * (placed_before[job.tag][0] != stretch.technician.key)
                cost += OTHER_STRETCH * (placed_before[job.tag][1] != stretch.free.start)
            terms.append(cost * goes)
            model_there = (stretch.technician.key, job.sheet, stretch.free.start // DAY_MINUTES)
            if model_there not in laid:
                laid[model_there] = model.new_bool_var(f"laid {model_there}")
            model.add_implication(goes, laid[model_there])
    terms += [case.new_model_minutes * MODEL_WEIGHT * one for one in laid.values()]
    terms += [EVEN_WEIGHT * longest for longest in _longest(built)]
    return cp_model.LinearExpr.sum(terms)


def _longest(built: _Model) -> list[cp_model.IntVar]:
    """For every half day the minutes of whoever has most to do in it."""
    halves: dict[int, list[_Stretch]] = defaultdict(list)
    for stretch in built.stretches:
        halves[stretch.free.start // (DAY_MINUTES // 2)].append(stretch)
    found: list[cp_model.IntVar] = []
    for half, stretches in sorted(halves.items()):
        longest = built.model.new_int_var(0, DAY_MINUTES, f"longest {half}")
        found.append(longest)
        for stretch in stretches:
            load = [
                built.case.minutes_with(job, stretch.technician) * built.goes[job.tag, stretch.key]
                for job in built.jobs
                if (job.tag, stretch.key) in built.goes
            ]
            built.model.add(longest >= cp_model.LinearExpr.sum(load))
    return found


def _run(built: _Model, goal: cp_model.LinearExprT, hint: Places) -> tuple[DayProof, Places]:
    built.model.minimize(goal)
    built.model.clear_hints()  # type: ignore[no-untyped-call]
    for (tag, key), goes in built.goes.items():
        built.model.add_hint(goes, hint.get(tag) == key)
    for tag, left in built.left.items():
        built.model.add_hint(left, tag not in hint)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 7
    solver.parameters.max_deterministic_time = EFFORT
    status = solver.solve(built.model)
    assert status in (cp_model.OPTIMAL, cp_model.FEASIBLE), "leaving all out is always a plan"
    proof = DayProof(
        goal="", value=round(solver.objective_value), bound=round(solver.best_objective_bound)
    )
    return proof, {
        tag: key for (tag, key), goes in built.goes.items() if solver.boolean_value(goes)
    }


def _placed_before(built: _Model) -> Places:
    """Stretches of the plan before, as far as its orders may still go there."""
    found: Places = {}
    for slot in built.case.before:
        for stretch in built.stretches:
            there = stretch.free.start <= slot.start < stretch.free.end
            if there and stretch.technician.key == slot.technician:
                if (slot.tag, stretch.key) in built.goes:
                    found[slot.tag] = stretch.key
    return found


def _by_hand(built: _Model) -> Places:
    """A plan as a person would begin: the most urgent order to the first stretch with room."""
    room = {one.key: one.free.end - one.free.start for one in built.stretches}
    found: Places = {}
    urgent = sorted(built.jobs, key=lambda j: (j.due is None, j.due or 0, j.ready, j.sheet, j.tag))
    for job in urgent:
        for stretch in sorted(built.of(job), key=lambda s: (s.free.start, s.technician.key)):
            length = built.case.minutes_with(job, stretch.technician)
            if length <= room[stretch.key]:
                room[stretch.key] -= length
                found[job.tag] = stretch.key
                break
    return found


def _in_turn(built: _Model, places: Places) -> tuple[Slot, ...]:
    """Orders of each stretch one after another: what is begun first, then model by model."""
    case = built.case
    before = {slot.tag: slot.start for slot in case.before}
    found: list[tuple[int, int, str, str]] = []
    for stretch in built.stretches:
        waiting = [job for job in built.jobs if places.get(job.tag) == stretch.key]
        at, sheet = stretch.free.start, ""
        while waiting:
            here = {job.tag for job in waiting}
            free = [job for job in waiting if not any(g in here for g in job.after)]
            job = min(
                free,
                key=lambda j: (
                    not j.holder,
                    j.sheet != sheet,
                    before.get(j.tag, DAY_MINUTES * 99),
                    j.due is None,
                    j.due or 0,
                    j.sheet,
                    j.tag,
                ),
            )
            waiting.remove(job)
            end = at + case.minutes_with(job, stretch.technician)
            found.append((at, end, job.tag, stretch.technician.key))
            at, sheet = end, job.sheet
    return _at_benches(case, found)


def _at_benches(case: DayCase, found: list[tuple[int, int, str, str]]) -> tuple[Slot, ...]:
    """Everybody keeps a bench while they work; who comes takes the lowest that is free."""
    free_from: dict[int, int] = dict.fromkeys(range(1, case.benches + 1), 0)
    held: dict[str, int] = {}
    slots: list[Slot] = []
    for begin, close, tag, person in sorted(found):
        free = [bench for bench, since in free_from.items() if since <= begin]
        bench = held[person] if held.get(person) in free else free[0]
        free_from[bench], held[person] = close, bench
        slots.append(Slot(tag=tag, technician=person, bench=bench, start=begin, end=close))
    return tuple(slots)
