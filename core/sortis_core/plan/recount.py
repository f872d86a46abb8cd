"""Minutes and consumables of a work order, counted again from the sheet's steps alone.

For :mod:`sortis_core.plan.verify`: shares nothing with the routes that options and orders are made
from. Rules: docs/rules.md, Route.
"""

from itertools import product

from sortis_core.actions import Action, Verb
from sortis_core.findings import Findings, PartState, PlaceState, TestState
from sortis_core.policy import IsolationSchool, Policy, SwitchOffSchool
from sortis_core.route.graph import Depth, HandOver, Reach, RouteStep
from sortis_core.route.minutes import PART_OUTSIDE_MINUTES
from sortis_core.sheets import BOARD, MachineForm, ModelSheet


class Recount:
    """One unit's work order, by every way there is to its parts."""

    def __init__(
        self, sheet: ModelSheet, findings: Findings, actions: tuple[Action, ...], policy: Policy
    ) -> None:
        steps = [(step.key, step.either) for step in sheet.route.steps if step.either]
        worked = {action.place for action in actions}
        # Of places, only what is worked on has to be reached at all; the rest as the sheet has it.
        steps += [
            (reach.place, reach.either if reach.place in worked else reach.either[:1])
            for reach in sheet.route.reaches
            if reach.either
        ]
        self._walks = [
            _Walk(sheet, findings, actions, policy, dict(zip(dict(steps), picks, strict=True)))
            for picks in product(*(options for _, options in steps))
        ]

    @property
    def done(self) -> list[RouteStep]:
        """The steps of the sheet's own way."""
        return self._walks[0].done

    def minutes(self, *, donor: bool) -> float:
        """Of the shortest way; a donor is taken apart by the sheet's own."""
        walks = self._walks[:1] if donor else self._walks
        return min(walk.minutes(donor=donor) for walk in walks)

    def consumables_cents(self) -> int:
        """Paste, pads and wipes of the shortest way."""
        return min(self._walks, key=lambda w: w.minutes(donor=False)).consumables_cents()


class _Walk:
    """One unit's work order, step by step.

    :param picks: step or place -> which one of its ``either`` is done before it.
    """

    def __init__(
        self,
        sheet: ModelSheet,
        findings: Findings,
        actions: tuple[Action, ...],
        policy: Policy,
        picks: dict[str, str],
    ) -> None:
        self.sheet, self.findings, self.actions, self.policy = sheet, findings, actions, policy
        self.reaches = {
            reach.place: reach.model_copy(update={"after": (*reach.after, picks[reach.place])})
            if reach.place in picks
            else reach
            for reach in sheet.route.reaches
        }
        self.all_steps = {
            step.key: step.model_copy(update={"after": (*step.after, picks[step.key])})
            if step.key in picks
            else step
            for step in sheet.route.steps
        }
        self.done = self._done() if actions else []

    def _there(self, step: RouteStep) -> bool:
        """Whether units of this trim have the step, and the school walks it."""
        if step.trims and self.findings.trim not in step.trims:
            return False
        if step.firmware and self.policy.switch_off is SwitchOffSchool.UNPLUG:
            return False
        if step.only_with and not self._may_be_there(step.only_with):
            return False
        return not (step.only_without and self._may_be_there(step.only_without))

    def _may_be_there(self, place: str) -> bool:
        """Whether a place holds something, or nobody looked."""
        found = self.findings
        gone = found.parts.get(place) is PartState.MISSING
        for side in (found.modules, found.packs):
            gone = gone or (place in side and side[place].state is PlaceState.EMPTY)
        nothing = (PlaceState.EMPTY, PlaceState.DEAD, PlaceState.RADIO)
        gone = gone or (place in found.drives and found.drives[place].state in nothing)
        known = {one.key for one in self.sheet.places_of(found.trim)}
        goes_in = any(action.kind and action.place == place for action in self.actions)
        return place in known and (goes_in or not gone)

    def _under(self, keys: set[str]) -> set[str]:
        """The steps and everything they wait for, also by way of steps that are not there."""
        found: set[str] = set()
        for key in keys:
            if key in self.all_steps and key not in found:
                found |= {key} | self._under(set(self.all_steps[key].after))
        return found

    def _done(self) -> list[RouteStep]:
        reached = [self.reaches[a.place] for a in self.actions if a.place in self.reaches]
        needed: set[str] = set()
        for reach in reached:
            needed |= self._under({*reach.after, reach.carried_by})
        down = [s for s in self.all_steps.values() if self._there(s) and not s.back_only]
        if any(step.key in needed and step.depth is not Depth.OUTSIDE for step in down):
            needed |= self._under({step.key for step in down if step.isolates})
            if self._packs_out(needed, down, reached):
                packs = [pack.key for pack in self.sheet.packs if not pack.external]
                carriers = {self.reaches[key].carried_by for key in packs if key in self.reaches}
                needed |= self._under({step.key for step in down if step.key in carriers})
        return [step for step in down if step.key in needed]

    def _packs_out(self, needed: set[str], down: list[RouteStep], reached: list[Reach]) -> bool:
        over = any(step.over_pack for step in down if step.key in needed)
        over = over or any(reach.over_pack for reach in reached)
        match self.policy.isolation:
            case IsolationSchool.TAKE_OUT:
                return True
            case IsolationSchool.BY_ROUTE:
                return over
            case IsolationSchool.UNPLUG:
                return False

    @property
    def back_only(self) -> list[RouteStep]:
        """What only the way back has, once everything before it was opened."""
        opened = {step.key for step in self.done}
        return [
            step
            for step in self.sheet.route.steps
            if step.back_only and self._there(step) and self._nearest(step.after) <= opened
        ]

    def _nearest(self, keys: tuple[str, ...]) -> set[str]:
        found: set[str] = set()
        for key in keys:
            step = self.all_steps[key]
            found |= {key} if self._there(step) else self._nearest(step.after)
        return found

    def minutes(self, *, donor: bool) -> float:
        """Of the whole order; a donor is neither closed nor checked."""
        if not self.actions:
            return 0.0
        route = self.sheet.route
        total = route.setup_minutes
        for step in self.done:
            total += step.minutes_out if donor else step.minutes_out + step.minutes_back
        if not donor:
            total += route.check_minutes + sum(step.minutes_back for step in self.back_only)
        warm = self.sheet.form is MachineForm.LAPTOP
        if warm and any(step.depth is not Depth.OUTSIDE for step in self.done):
            total += self.policy.cooling_minutes
        attempts = {test.key: test.attempt for test in self.sheet.tests}
        for action in self.actions:
            reach = self.reaches.get(action.place)
            if action.verb is Verb.MEND:
                attempt = attempts.get(action.place)
                total += attempt.minutes if attempt else 0
            elif reach is None:
                total += PART_OUTSIDE_MINUTES
            else:
                total += reach.minutes_out if action.takes_out_label else 0
                total += reach.minutes_in if action.verb is Verb.FIT else 0
            total += self.policy.install_minutes if action.installs_system else 0
        return total + (0 if donor else sum(self._across(over) for over in self._handed_over()))

    def _handed_over(self) -> list[HandOver]:
        worked = {action.place for action in self.actions}
        if BOARD not in worked or BOARD not in self.reaches:
            return []
        trim = self.findings.trim
        known = {place.key for place in self.sheet.places_of(trim)}
        return [
            over
            for over in self.reaches[BOARD].hands_over
            if not over.place or (over.place in known - worked and self._sits_there(over.place))
        ]

    def _sits_there(self, place: str) -> bool:
        found = self.findings
        if place in found.modules:
            return found.modules[place].state is PlaceState.PRESENT
        if place in found.drives:
            return found.drives[place].state is PlaceState.PRESENT
        if place in found.tests:
            return found.tests[place] not in (TestState.FAILED, TestState.STILL_FAILS)
        return found.parts.get(place) is PartState.PRESENT

    def _across(self, over: HandOver) -> float:
        reach = self.reaches.get(over.place)
        return over.minutes if reach is None else reach.minutes_out + reach.minutes_in

    def consumables_cents(self) -> int:
        """Paste, pads and wipes of the steps that are done."""
        return sum(step.consumables_cents for step in (*self.done, *self.back_only))
