"""How units of one trim are opened under one policy: the steps they have, and the least of them.

A step that this trim lacks, or that the school leaves out, is passed over: what waited for it
waits for what it waited for, so that nothing is reached before what covers it.
"""

from collections.abc import Callable
from functools import cached_property
from itertools import product

from sortis_core.cautions import Caution
from sortis_core.policy import IsolationSchool, Policy, SwitchOffSchool
from sortis_core.route.graph import Depth, Reach, Route, RouteStep
from sortis_core.route.sequence import HAND, Job
from sortis_core.sheets import BOARD, ModelSheet

Picks = tuple[tuple[str, str], ...]
"""(step or place, which one of its ``either`` is done before it)."""


class Way:
    """The route of a sheet as one trim has it and one policy walks it.

    :param absent: places that steps ask about and that hold nothing in the unit.
    :param picked: step or place -> which one of its ``either`` is done before it; by default the
        sheet's first.
    """

    def __init__(
        self,
        sheet: ModelSheet,
        trim: str,
        policy: Policy,
        absent: frozenset[str] = frozenset(),
        picked: Picks = (),
    ) -> None:
        self.sheet = sheet
        self.isolation = policy.isolation
        route = sheet.route
        first = {key: options[0] for key, options in route.choices}
        picks = first | dict(picked)

        def before(key: str, after: tuple[str, ...]) -> tuple[str, ...]:
            return (*after, picks[key]) if key in picks else after

        all_steps = {
            step.key: step.model_copy(update={"after": before(step.key, step.after)})
            if step.key in picks
            else step
            for step in route.steps
        }
        kept = {
            step.key
            for step in route.steps
            if (not step.trims or trim in step.trims)
            and not (step.firmware and policy.switch_off is SwitchOffSchool.UNPLUG)
            and step.only_with not in absent
            and (not step.only_without or step.only_without in absent)
        }

        def nearest(keys: tuple[str, ...]) -> tuple[str, ...]:
            found: dict[str, None] = {}
            seen: set[str] = set()
            waiting = list(keys)
            while waiting:
                key = waiting.pop(0)
                if key in kept:
                    found[key] = None
                elif key in all_steps and key not in seen:
                    seen.add(key)
                    waiting += all_steps[key].after
            return tuple(found)

        steps = [
            step
            if set(step.after) <= kept
            else step.model_copy(update={"after": nearest(step.after)})
            for step in all_steps.values()
            if step.key in kept
        ]
        self.steps = {step.key: step for step in steps if not step.back_only}
        self.back_only = tuple(step for step in steps if step.back_only)
        self._reaches: dict[str, Reach] = {}
        for reach in route.reaches:
            carried = reach.carried_by if reach.carried_by in kept else ""
            over = (reach.carried_by,) if reach.carried_by and not carried else ()
            after = nearest((*before(reach.place, reach.after), *over))
            same = after == reach.after and carried == reach.carried_by
            self._reaches[reach.place] = (
                reach if same else reach.model_copy(update={"after": after, "carried_by": carried})
            )

    def reach(self, place: str) -> Reach | None:
        """How ``place`` is reached; None where it lies outside."""
        return self._reaches.get(place)

    @cached_property
    def powering_down(self) -> frozenset[str]:
        """Steps that take the power away, with what comes before them: all of them outside."""
        outside = {key: s for key, s in self.steps.items() if s.depth is Depth.OUTSIDE}
        off = [
            key
            for key, step in outside.items()
            if step.firmware or not step.after or Caution.ISOLATE in step.cautions
        ]
        return frozenset(self.closure(off)) & frozenset(outside)

    @cached_property
    def isolating(self) -> frozenset[str]:
        """Steps after which no pack feeds the board."""
        return frozenset(key for key, step in self.steps.items() if step.isolates)

    @cached_property
    def pack_steps(self) -> frozenset[str]:
        """Steps that take a built-in pack out."""
        carriers = [
            reach.carried_by
            for pack in self.sheet.packs
            if not pack.external and (reach := self.reach(pack.key))
        ]
        return frozenset(carriers) & frozenset(self.steps)

    def closure(self, wanted: list[str]) -> set[str]:
        """The steps and all that must be done before them."""
        closed: set[str] = set()
        waiting = [key for key in wanted if key in self.steps]
        while waiting:
            key = waiting.pop()
            if key not in closed:
                closed.add(key)
                waiting += self.steps[key].after
        return closed

    def steps_for(self, places: tuple[str, ...]) -> tuple[RouteStep, ...]:
        """The least set of steps that reaches all places, in the sheet's order.

        Once the cover comes off, the steps that isolate the board are part of it; by the school of
        isolation the pack comes out too.
        """
        reaches = [reach for place in places if (reach := self.reach(place))]
        closed = self.closure(
            [key for reach in reaches for key in (*reach.after, reach.carried_by)]
        )
        if any(self.steps[key].depth is not Depth.OUTSIDE for key in closed):
            closed |= self.closure(sorted(self.isolating))
            over = any(self.steps[key].over_pack for key in closed) or any(
                reach.over_pack for reach in reaches
            )
            if self.isolation is IsolationSchool.TAKE_OUT or (
                over and self.isolation is IsolationSchool.BY_ROUTE
            ):
                closed |= self.closure(sorted(self.pack_steps))
        return tuple(step for key, step in self.steps.items() if key in closed)

    def minutes_to(self, places: tuple[str, ...]) -> float:
        """Minutes of all steps on the way to places and back, apart from the work there."""
        steps = self.steps_for(places)
        keys = {step.key for step in steps}
        back = [step.minutes_back for step in self.back_only if set(step.after) <= keys]
        return sum(step.minutes_out + step.minutes_back for step in steps) + sum(back)

    def jobs_for(
        self,
        places: tuple[str, ...],
        handed_over: tuple[str, ...] = (),
        opened: frozenset[str] = frozenset(),
        from_within: tuple[tuple[str, str], ...] = (),
    ) -> tuple[Job, ...]:
        """Steps and work at places as one set of jobs with what each must wait for.

        :param handed_over: keys of the hand-overs that a new board brings.
        :param opened: steps that are done already.
        :param from_within: (place, place whose part goes in there), which must come out first.
        """
        steps = self.steps_for(places)
        keys = {step.key for step in steps}
        to_isolate = self.closure(sorted(self.isolating & keys))
        packs = self.pack_steps & keys
        to_packs = self.closure(sorted(packs))
        swap = self._swap_step(places)
        on_board = self.on_board if swap else frozenset()

        def gates(key: str, over_pack: bool) -> set[str]:
            """What comes first whatever the part: isolation, and the pack where work is over it."""
            first = set() if key in to_isolate else set(self.isolating)
            taken_out = over_pack or self.isolation is IsolationSchool.TAKE_OUT
            if taken_out and self.isolation is not IsolationSchool.UNPLUG and key not in to_packs:
                first |= packs
            return first & keys

        jobs: list[Job] = []
        for step in steps:
            if step.key not in opened:
                after = (set(step.after) & keys) | gates(step.key, step.over_pack)
                jobs.append(Job(key=step.key, after=_sorted(after - opened), tool=step.tool))
        for place in places:
            reach = self.reach(place)
            if reach is None or not has_own_work(reach):
                continue
            inside = any(self.steps[key].depth is not Depth.OUTSIDE for key in reach.after)
            after = (set(reach.after) & keys) | (gates("", reach.over_pack) if inside else set())
            after |= {reach.carried_by} - {""}
            if place in on_board:
                after.add(swap)
            for taker, giver in from_within:
                there = self.reach(giver) if taker == place else None
                if there:
                    after.add(work_key(there) if has_own_work(there) else there.carried_by)
            jobs.append(Job(key=work_key(reach), after=_sorted(after - opened), tool=reach.tool))
        for key in handed_over:
            reach = self.reach(key.removeprefix(OVER))
            after = {swap} - opened
            jobs.append(Job(key=key, after=_sorted(after), tool=reach.tool if reach else "hand"))
        return tuple(jobs)

    def _swap_step(self, places: tuple[str, ...]) -> str:
        """The step that lifts the old board, where the board is exchanged."""
        board = self.reach(BOARD)
        return board.carried_by if board and BOARD in places else ""

    @cached_property
    def on_board(self) -> frozenset[str]:
        """Places that move with the board."""
        board = self.reach(BOARD)
        return frozenset(over.place for over in board.hands_over) if board else frozenset()


OVER = "over:"
"""Prefix of the keys of hand-overs."""


def least_way(route: Route, places: tuple[str, ...], make: Callable[[Picks], Way]) -> Way:
    """The way to all places that takes fewest minutes, where some can be reached two ways.

    Only choices on the way to these places are tried, the others stay as the sheet has them.

    :param make: gives the way that picks so; may remember it.
    """
    asked = _asked_on_the_way(route, places)
    ways = [
        make(tuple(zip(asked, picks, strict=True)))
        for picks in product(*(options for key, options in route.choices if key in asked))
    ]
    return min(ways, key=lambda way: way.minutes_to(places)) if len(ways) > 1 else ways[0]


def _asked_on_the_way(route: Route, places: tuple[str, ...]) -> tuple[str, ...]:
    """Steps and places with a choice that any way to these places could come by."""
    if not route.choices:
        return ()
    steps = {step.key: step for step in route.steps}
    waiting = [key for step in route.steps if step.isolates for key in (step.key,)]
    for place in places:
        if reach := route.reach(place):
            waiting += [*reach.after, *reach.either, reach.carried_by]
    seen: set[str] = set()
    while waiting:
        key = waiting.pop()
        if key in steps and key not in seen:
            seen.add(key)
            waiting += [*steps[key].after, *steps[key].either]
    return tuple(key for key, _ in route.choices if key in seen or key in places)


def has_own_work(reach: Reach) -> bool:
    """Whether a place is worked at by itself, and not only by what carries it in and out."""
    own = bool(reach.take_out or reach.screws) or reach.tool != HAND
    return own or not reach.carried_by


def work_key(reach: Reach) -> str:
    """Key of the job of working at a place, apart from the keys of steps."""
    return f"at:{reach.place}"


def _sorted(keys: set[str]) -> tuple[str, ...]:
    return tuple(sorted(keys))
