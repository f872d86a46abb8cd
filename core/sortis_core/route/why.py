"""Why a step is there: the chain from it to the part it is done for."""

from collections import deque

from sortis_core.base import listed
from sortis_core.route.graph import RouteStep
from sortis_core.route.way import Way

NO_POWER = "No pack may feed the board while anything inside is touched."


class Reasons:
    """Reasons of the steps that reach some places."""

    def __init__(self, way: Way, places: tuple[str, ...]) -> None:
        self._way = way
        self._steps = way.steps_for(places)
        self._behind: dict[str, list[str]] = {}
        for place in places:
            if reach := way.reach(place):
                # What a step carries lies behind that step alone; the rest is on the way to it.
                for key in [reach.carried_by] if reach.carried_by else reach.after:
                    self._behind.setdefault(key, []).append(place)

    def chain(self, step: RouteStep) -> tuple[str, ...]:
        """Titles from this step down to the one before the part, then the part.

        ``("Lift the cooler", "Lift the board out", "Keyboard")``: the cooler comes off for the
        keyboard. Ends with the step that isolates, or takes the pack out, where that is the reason.
        """
        path = self._path(step)
        titles = [self._way.steps[key].title for key in path]
        places = self._behind.get(path[-1], [])
        return (
            *titles,
            *([listed([self._way.sheet.label_of(p) for p in places])] if places else []),
        )

    def sentence(self, step: RouteStep) -> str:
        """The chain as a sentence."""
        if step.isolates:
            return NO_POWER
        path = self._path(step)
        places = self._behind.get(path[-1], [])
        labels = [self._way.sheet.label_of(place) for place in places]
        if len(path) == 1:
            if labels:
                said = f"{listed(labels)} {'lies' if len(labels) == 1 else 'lie'} behind it."
                return said[0].upper() + said[1:]
            if step.key in self._way.pack_steps:
                return "The work passes over the pack, so it comes out and is not only unplugged."
            return ""
        following = f"It comes before “{self._way.steps[path[1]].title}”"
        if labels:
            return f"{following}, on the way to {listed(labels)}."
        if self._way.steps[path[-1]].isolates:
            return f"{following}: {NO_POWER[0].lower()}{NO_POWER[1:]}"
        return f"{following}."

    def _path(self, step: RouteStep) -> list[str]:
        """Shortest way from a step to one that a part lies behind."""
        waiting = deque([[step.key]])
        seen = {step.key}
        longest = [step.key]
        while waiting:
            path = waiting.popleft()
            if self._behind.get(path[-1]):
                return path
            longest = path
            for later in self._steps:
                if path[-1] in later.after and later.key not in seen:
                    seen.add(later.key)
                    waiting.append([*path, later.key])
        return longest
