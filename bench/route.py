"""Routes: tool changes found against the optimum, merged work against separate openings.

The optimum of tool changes is worked out over all sets of jobs, which shares nothing with the
search; it is done for every set of up to three parts of every sheet, and for a donor that gives
all that the sets can be searched for.
"""

import heapq
from itertools import combinations, islice
from statistics import median

from bench.report import Report, seconds
from demo.generator import demo_sheets, demo_stock
from sortis_core.actions import Action, Verb
from sortis_core.findings import Findings
from sortis_core.policy import Policy
from sortis_core.route.minutes import RouteMinutes
from sortis_core.route.sequence import HAND, Job, fewest_tool_changes
from sortis_core.route.way import Way

POLICY = Policy()
SETS = 60
"""Sets of parts of each size and sheet."""
MOST_JOBS = 16
"""Sets of more jobs are too many to search through."""


def optimum(jobs: tuple[Job, ...]) -> int:
    """Fewest tool changes, by shortest path over all sets of jobs already done."""
    index = {job.key: number for number, job in enumerate(jobs)}
    needs = [sum(1 << index[key] for key in job.after) for job in jobs]
    heap: list[tuple[int, int, str]] = [(0, 0, "")]
    best: set[tuple[int, str]] = set()
    while heap:
        changes, done, tool = heapq.heappop(heap)
        if done == (1 << len(jobs)) - 1:
            return changes
        if (done, tool) in best:
            continue
        best.add((done, tool))
        for number, job in enumerate(jobs):
            if not done >> number & 1 and not needs[number] & ~done:
                taken = tool if job.tool == HAND else job.tool
                heapq.heappush(heap, (changes + (taken != tool), done | 1 << number, taken))
    raise ValueError("the jobs wait for each other in a circle")


def main() -> None:
    """Print every target."""
    report = Report()
    kinds = {kind.key: kind for kind in demo_stock()[0]}
    ratios: list[float] = []
    saved: list[float] = []
    largest: tuple[Job, ...] = ()
    for sheet in demo_sheets():
        trim = sheet.trims[0].key
        way = Way(sheet, trim, POLICY)
        reckon = RouteMinutes(sheet, POLICY)
        findings = Findings(sheet=sheet.key, trim=trim)
        places = [place.key for place in sheet.places_of(trim) if way.reach(place.key)]
        for size in (1, 2, 3, len(places)):
            for chosen in islice(combinations(places, size), SETS):
                jobs = way.jobs_for(chosen)
                largest = max(largest, jobs, key=len)
                found = fewest_tool_changes(jobs)[1]
                if len(jobs) <= MOST_JOBS:
                    ratios.append(found / max(1, optimum(jobs)))
                actions = tuple(
                    Action(verb=Verb.FIT, place=place, kind=next(iter(kinds))) for place in chosen
                )
                apart = sum(reckon.of(findings, (action,)) for action in actions)
                saved.append(reckon.of(findings, actions) / apart)
    report.shown("sets of parts", f"{len(saved)}, {len(ratios)} of them against the optimum")
    report.at_most("tool changes found against the optimum, worst", max(ratios), 1.0)
    report.at_most("merged minutes against separate openings, worst", max(saved), 1.0)
    report.shown("merged minutes against separate openings, median", f"{median(saved):.3f}")
    small = largest[:MOST_JOBS]
    known = {job.key for job in small}
    small = tuple(
        job.model_copy(update={"after": tuple(k for k in job.after if k in known)}) for job in small
    )
    faster = seconds(lambda: optimum(small)) / seconds(lambda: fewest_tool_changes(small))
    report.shown(f"search through all sets against ours, {len(small)} jobs, time", f"{faster:.0f}x")
    report.end()


if __name__ == "__main__":
    main()
