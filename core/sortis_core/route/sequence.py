"""The order of jobs with the fewest tool changes.

With a tool in hand, everything it can do now may be done now: it is never in the way of anything
later. So only the choice of the next tool branches, and the fewest changes are found exactly even
for a donor that is stripped to the frame.
"""

from sortis_core.base import Record

HAND = "hand"


class Job(Record):
    """One thing to do on the way down: a route step, or work at one place."""

    key: str
    after: tuple[str, ...]
    tool: str


def fewest_tool_changes(jobs: tuple[Job, ...]) -> tuple[tuple[str, ...], int]:
    """An order that obeys every ``after`` with the fewest tool changes.

    Bare hands need no tool and do not lay one down. Among equal orders the one nearest to the
    given order wins, so the result is the same each time.

    :returns: keys in order, and the number of tools taken up.
    :raises ValueError: where jobs wait for each other in a circle.
    """
    search = _Search(jobs)
    least = search.changes(0, "")
    path: list[str] = []
    done, tool, left = 0, "", least
    for _ in jobs:
        for number, job in enumerate(jobs):
            if not search.possible(number, done):
                continue
            taken = tool if job.tool == HAND else job.tool
            after = left - (taken != tool)
            if after >= 0 and search.changes(done | 1 << number, taken) <= after:
                path.append(job.key)
                done, tool, left = done | 1 << number, taken, after
                break
    return tuple(path), least


class _Search:
    """Sets of jobs as bits; the answer for a set and a tool is worked out once."""

    def __init__(self, jobs: tuple[Job, ...]) -> None:
        index = {job.key: number for number, job in enumerate(jobs)}
        self._needs = [sum(1 << index[key] for key in job.after) for job in jobs]
        self._tools = [job.tool for job in jobs]
        self._everything = (1 << len(jobs)) - 1
        self._known: dict[tuple[int, str], int] = {}

    def possible(self, number: int, done: int) -> bool:
        """Whether a job is not done yet and nothing it waits for is left."""
        return not done >> number & 1 and not self._needs[number] & ~done

    def changes(self, done: int, tool: str) -> int:
        """Fewest tools still to be taken up from here: breadth first over the choice of tool."""
        start = self._with(done, tool)
        if (start, tool) not in self._known:
            self._known[start, tool] = self._fewest(start, tool)
        return self._known[start, tool]

    def _fewest(self, start: int, tool: str) -> int:
        reached = {(start, tool)}
        taken_up = 0
        seen: set[tuple[int, str]] = set()
        while reached:
            if any(done == self._everything for done, _ in reached):
                return taken_up
            seen |= reached
            ahead: set[tuple[int, str]] = set()
            for done, _ in reached:
                for other in self._next_tools(done):
                    ahead.add((self._with(done, other), other))
            reached = _not_behind(ahead) - seen
            taken_up += 1
        raise ValueError("the jobs wait for each other in a circle")

    def _with(self, done: int, tool: str) -> int:
        """Everything that bare hands and this tool can do from here."""
        waiting = [n for n in range(len(self._tools)) if not done >> n & 1]
        going = True
        while going:
            going = False
            for number in waiting:
                if self._tools[number] in (HAND, tool) and self.possible(number, done):
                    done |= 1 << number
                    going = True
        return done

    def _next_tools(self, done: int) -> list[str]:
        free = (n for n in range(len(self._tools)) if self.possible(n, done))
        return sorted({self._tools[n] for n in free} - {HAND})


def _not_behind(states: set[tuple[int, str]]) -> set[tuple[int, str]]:
    """States that have done more than every other with the same number of changes.

    All that a state could do with its tool is done, so what it holds does not matter.
    """
    ordered = sorted(states, key=lambda state: (-state[0].bit_count(), state))
    kept: list[tuple[int, str]] = []
    for state in ordered:
        if not any(state[0] | done == done for done, _ in kept):
            kept.append(state)
    return set(kept)
