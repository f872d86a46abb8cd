"""Which steps reach a set of parts, and the order with the fewest tool changes.

The least set of steps is the closure over "what must come off first". Isolation comes before
anything else inside. Among all orders that obey, the one with the fewest tool changes is found
exactly, by shortest path over the sets of steps already done.
"""

import heapq

from sortis_core.base import Record
from sortis_core.route.graph import Depth, Reach, Route, RouteStep

HAND = "hand"


class Job(Record):
    """One thing to do on the way down: a route step, or work at one place."""

    key: str
    after: tuple[str, ...]
    tool: str


def steps_for(route: Route, places: tuple[str, ...], trim: str) -> tuple[RouteStep, ...]:
    """The least set of steps that reaches all places, in the sheet's order.

    Once the cover comes off, the steps that isolate the board are part of it.
    """
    steps = {
        step.key: step
        for step in route.steps
        if not step.back_only and (not step.trims or trim in step.trims)
    }
    wanted: list[str] = []
    for place in places:
        if reach := route.reach(place):
            wanted += [*reach.after, reach.carried_by]
    closed = _closure(steps, wanted)
    if any(steps[key].depth is not Depth.OUTSIDE for key in closed):
        closed |= _closure(steps, [key for key, step in steps.items() if step.isolates])
    return tuple(step for step in route.steps if step.key in closed)


def _closure(steps: dict[str, RouteStep], wanted: list[str]) -> set[str]:
    closed: set[str] = set()
    waiting = [key for key in wanted if key in steps]
    while waiting:
        key = waiting.pop()
        if key not in closed:
            closed.add(key)
            waiting += [before for before in steps[key].after if before in steps]
    return closed


def jobs_for(route: Route, places: tuple[str, ...], trim: str) -> tuple[Job, ...]:
    """Steps and work at places as one set of jobs with what each must wait for."""
    steps = steps_for(route, places, trim)
    keys = {step.key for step in steps}
    isolating = {step.key for step in steps if step.isolates}
    by_key = {step.key: step for step in steps}
    before_isolation = _closure(by_key, sorted(isolating))
    jobs = [
        Job(
            key=step.key,
            after=tuple(
                sorted(
                    (set(step.after) & keys)
                    | (isolating if step.key not in before_isolation else set())
                )
            ),
            tool=step.tool,
        )
        for step in steps
    ]
    for place in places:
        reach = route.reach(place)
        if reach and not reach.carried_by:
            inside = any(by_key[k].depth is not Depth.OUTSIDE for k in reach.after if k in by_key)
            after = (set(reach.after) & keys) | (isolating if inside else set())
            jobs.append(Job(key=work_key(reach), after=tuple(sorted(after)), tool=reach.tool))
    return tuple(jobs)


def work_key(reach: Reach) -> str:
    """Key of the job of working at a place, apart from the keys of steps."""
    return f"at:{reach.place}"


def fewest_tool_changes(jobs: tuple[Job, ...]) -> tuple[tuple[str, ...], int]:
    """An order that obeys every ``after`` with the fewest tool changes.

    Bare hands need no tool and do not lay one down. Among equal orders the one nearest to the
    given order wins, so the result is the same each time.

    :returns: keys in order, and the number of tools taken up.
    """
    index = {job.key: number for number, job in enumerate(jobs)}
    needs = [sum(1 << index[key] for key in job.after) for job in jobs]
    everything = (1 << len(jobs)) - 1
    heap: list[tuple[int, tuple[int, ...], int, str]] = [(0, (), 0, "")]
    best: set[tuple[int, str]] = set()
    while heap:
        changes, path, done, tool = heapq.heappop(heap)
        if done == everything:
            return tuple(jobs[number].key for number in path), changes
        if (done, tool) in best:
            continue
        best.add((done, tool))
        for number, job in enumerate(jobs):
            if done >> number & 1 or needs[number] & ~done:
                continue
            taken = tool if job.tool == HAND else job.tool
            heapq.heappush(
                heap,
                (
                    changes + (taken != tool),
                    (*path, number),
                    done | 1 << number,
                    taken,
                ),
            )
    raise ValueError("the jobs wait for each other in a circle")
