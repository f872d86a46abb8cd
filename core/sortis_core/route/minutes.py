"""Minutes of a work order: set-up, the merged route both ways, work at the parts, the check."""

from collections.abc import Hashable
from functools import partial

from sortis_core.actions import Action, Verb, attempt_at
from sortis_core.base import Minutes, Record
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.policy import Policy
from sortis_core.route.graph import Depth, HandOver, RouteStep
from sortis_core.route.presence import absent
from sortis_core.route.way import Picks, Way, least_way
from sortis_core.sheets import BOARD, MachineForm, ModelSheet
from sortis_core.vocabulary.term import Term

PART_OUTSIDE_MINUTES = 0.5
"""For a part without a route of its own: a tray pushed in, a foot pressed on."""


class Skill(Term):
    """What a person must be able to do for the work."""

    BENCH = "bench", "bench", "Open, fit, close."
    BOARD = "board", "board work", "The whole opening, where the board is changed in it."
    SETUP = "setup", "setting up", "Install the operating system."
    CLEANING = "cleaning", "cleaning", "Clean the unit for sale."


class SkillMinutes(Record):
    """Minutes of work of one skill."""

    skill: Skill
    minutes: Minutes


def hand_overs(
    sheet: ModelSheet, findings: Findings, actions: tuple[Action, ...]
) -> tuple[HandOver, ...]:
    """What moves from the old board to the one that goes in.

    Places that hold nothing, and those that get another part in the same order, do not move.
    """
    board = sheet.route.reach(BOARD)
    if board is None or not any(action.place == BOARD for action in actions):
        return ()
    worked = {action.place for action in actions}
    has = {place.key for place in sheet.places_of(findings.trim)}
    return tuple(
        over
        for over in board.hands_over
        if not over.place
        or (over.place in has and over.place not in worked and _holds(findings, over.place))
    )


def _holds(findings: Findings, place: str) -> bool:
    """Whether something sits at a place, as far as anybody looked."""
    if place in findings.modules:
        return findings.module(place).state is PlaceState.PRESENT
    if place in findings.drives:
        return findings.drive(place).state is PlaceState.PRESENT
    if place in findings.tests:
        return not findings.test(place).bad
    return findings.part(place) is PartState.PRESENT


class RouteMinutes:
    """Minutes for sets of actions on one sheet; what was reckoned once is kept."""

    def __init__(self, sheet: ModelSheet, policy: Policy) -> None:
        self._sheet = sheet
        self._policy = policy
        self._kept: dict[tuple[object, ...], float] = {}
        self._layers: dict[
            tuple[Way, tuple[str, ...]], tuple[tuple[tuple[int, ...], float], ...]
        ] = {}
        self._by_picks: dict[tuple[str, frozenset[str], Picks], Way] = {}
        self._ways: dict[tuple[str, frozenset[str], tuple[str, ...]], Way] = {}
        self._steps: dict[tuple[Way, frozenset[str]], tuple[RouteStep, ...]] = {}
        self._gone: tuple[Findings | None, frozenset[str]] = None, frozenset()

    def sees(self, findings: Findings) -> Hashable:
        """All of the findings that minutes depend on, whatever is done to the unit."""
        board = self._sheet.route.reach(BOARD)
        moved = [over.place for over in board.hands_over if over.place] if board else []
        there = tuple([_holds(findings, place) for place in moved])
        return findings.trim, there, self._absent(findings)

    def _absent(self, findings: Findings) -> frozenset[str]:
        """What the route finds missing in a unit as it came; one unit is asked of many times."""
        if self._gone[0] is not findings:
            self._gone = findings, absent(self._sheet, findings)
        return self._gone[1]

    def of(self, findings: Findings, actions: tuple[Action, ...], *, donor: bool = False) -> float:
        """Minutes of the work order for all actions under one opening.

        A donor is not closed again. Cleaning is apart, it is done before the sale.
        """
        installs = sum(action.installs_system for action in actions)
        moved = () if donor else hand_overs(self._sheet, findings, actions)
        way = self.way(findings) if donor else self.way(findings, actions)
        key = (
            way,
            frozenset((a.place, a.verb, bool(a.takes_out_label)) for a in actions),
            tuple(over.place for over in moved),
            installs,
            donor,
        )
        if key not in self._kept:
            self._kept[key] = self._reckon(way, actions, moved, installs, donor)
        return self._kept[key]

    def layers(
        self, findings: Findings, places: tuple[str, ...]
    ) -> tuple[tuple[tuple[int, ...], float], ...]:
        """Work on the way to places of a donor: (which of the places need it, minutes).

        What opens the unit for several of them is told once; the sum over the layers of any of
        the places is what :meth:`of` reckons for them, apart from the work at the places.
        """
        key = self.way(findings), places
        if key not in self._layers:
            self._layers[key] = self._layered(*key)
        return self._layers[key]

    def _layered(
        self, way: Way, places: tuple[str, ...]
    ) -> tuple[tuple[tuple[int, ...], float], ...]:
        under: dict[str, list[int]] = {}
        opened: list[int] = []
        outs: dict[str, float] = {}
        for number, place in enumerate(places):
            steps = self.steps(way, frozenset((place,)))
            for step in steps:
                under.setdefault(step.key, []).append(number)
                outs[step.key] = step.minutes_out
            if any(step.depth is not Depth.OUTSIDE for step in steps):
                opened.append(number)
        found: dict[tuple[int, ...], float] = {
            tuple(range(len(places))): self._sheet.route.setup_minutes
        }
        cooling = self._policy.cooling_minutes
        if opened and self._sheet.form is MachineForm.LAPTOP and cooling:
            found[tuple(opened)] = found.get(tuple(opened), 0.0) + cooling
        for key, numbers in under.items():
            over = tuple(numbers)
            found[over] = found.get(over, 0.0) + outs[key]
        return tuple((over, round(work, 2)) for over, work in sorted(found.items()) if work)

    def by_skill(
        self, findings: Findings, actions: tuple[Action, ...], *, donor: bool = False
    ) -> tuple[SkillMinutes, ...]:
        """The same minutes by who can do them; an opening that changes the board is board work."""
        total = self.of(findings, actions, donor=donor)
        setup = sum(action.installs_system for action in actions) * self._policy.install_minutes
        board = any(action.place == BOARD for action in actions)
        found = {Skill.BOARD if board else Skill.BENCH: round(total - setup, 2), Skill.SETUP: setup}
        return tuple(SkillMinutes(skill=skill, minutes=m) for skill, m in found.items() if m)

    def consumables_cents(self, findings: Findings, actions: tuple[Action, ...]) -> int:
        """Paste, pads and wipes that the route of these actions uses up, in cents."""
        way = self.way(findings, actions)
        steps = self.steps(way, frozenset(action.place for action in actions))
        return sum(step.consumables_cents for step in (*steps, *self._back_only(way, steps)))

    def way(self, findings: Findings, actions: tuple[Action, ...] = ()) -> Way:
        """The route as this unit has it under the policy, the shortest to all actions.

        Without actions, and for a donor, the sheet's own choice of ways: what a donor gives is only
        settled with the batch.
        """
        gone = self._absent(findings).difference([a.place for a in actions if a.kind])
        places = tuple(sorted({a.place for a in actions})) if self._sheet.route.choices else ()
        key = findings.trim, gone, places
        if key not in self._ways:
            self._ways[key] = least_way(
                self._sheet.route, places, partial(self._picked, findings.trim, gone)
            )
        return self._ways[key]

    def _picked(self, trim: str, gone: frozenset[str], picks: Picks) -> Way:
        """The way that picks so; many sets of places share one."""
        key = trim, gone, picks
        if key not in self._by_picks:
            self._by_picks[key] = Way(self._sheet, trim, self._policy, gone, picks)
        return self._by_picks[key]

    def steps(self, way: Way, places: frozenset[str]) -> tuple[RouteStep, ...]:
        """The steps that reach all places, in the sheet's order."""
        found = self._steps.get((way, places))
        if found is None:
            found = self._steps[way, places] = way.steps_for(tuple(sorted(places)))
        return found

    def at_part(self, action: Action) -> float:
        """Minutes at the part itself, apart from the way there."""
        if action.verb is Verb.MEND:
            attempt = attempt_at(self._sheet, action.place)
            return attempt.minutes if attempt else 0.0
        reach = self._sheet.route.reach(action.place)
        if reach is None:
            return PART_OUTSIDE_MINUTES
        out = reach.minutes_out if action.takes_out_label or action.verb is Verb.SEAT else 0.0
        return out + (reach.minutes_in if action.verb in (Verb.FIT, Verb.SEAT) else 0.0)

    def of_hand_over(self, over: HandOver) -> float:
        """Minutes to move one thing across: out of the old board and into the other."""
        reach = self._sheet.route.reach(over.place) if over.place else None
        return reach.minutes_out + reach.minutes_in if reach else over.minutes

    def _back_only(self, way: Way, steps: tuple[RouteStep, ...]) -> tuple[RouteStep, ...]:
        keys = {step.key for step in steps}
        return tuple(step for step in way.back_only if set(step.after) <= keys)

    def _reckon(
        self,
        way: Way,
        actions: tuple[Action, ...],
        moved: tuple[HandOver, ...],
        installs: int,
        donor: bool,
    ) -> float:
        if not actions:
            return 0.0
        route = self._sheet.route
        steps = self.steps(way, frozenset(action.place for action in actions))
        total = route.setup_minutes + sum(step.minutes_out for step in steps)
        opened = any(step.depth is not Depth.OUTSIDE for step in steps)
        if opened and self._sheet.form is MachineForm.LAPTOP:
            total += self._policy.cooling_minutes
        if not donor:
            total += route.check_minutes + sum(step.minutes_back for step in steps)
            total += sum(step.minutes_back for step in self._back_only(way, steps))
        total += sum(self.at_part(action) for action in actions)
        total += sum(self.of_hand_over(over) for over in moved)
        return round(total + installs * self._policy.install_minutes, 2)
