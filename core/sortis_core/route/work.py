"""The work order of one unit: the merged route down to the parts and back, with its screws."""

from enum import StrEnum

from sortis_core.actions import Action, action_words
from sortis_core.base import Record, listed
from sortis_core.cautions import CAUTION_WORDS, Caution
from sortis_core.findings import Findings
from sortis_core.route.graph import Depth, Reach, RouteStep, Screws
from sortis_core.route.minutes import PART_OUTSIDE_MINUTES, RouteMinutes
from sortis_core.route.order import HAND, fewest_tool_changes, jobs_for, steps_for, work_key
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Policy
from sortis_core.stock import PartKind


class StepKind(StrEnum):
    """What a step of a work order is for."""

    PREPARE = "prepare"
    OPEN = "open"
    WORK = "work"
    CLOSE = "close"
    INSTALL = "install"
    CHECK = "check"


class Well(Record):
    """Screws that are out now, in the numbered well they lie in."""

    number: int
    step: str
    screws: Screws


class StepCaution(Record):
    """A caution with its words, shown before the step and never hidden."""

    key: Caution
    words: str


def _words(cautions: tuple[Caution, ...]) -> tuple[StepCaution, ...]:
    return tuple(StepCaution(key=key, words=CAUTION_WORDS[key]) for key in cautions)


class WorkStep(Record):
    """One step as the technician sees it."""

    number: int
    key: str
    kind: StepKind
    title: str
    how: str
    depth: Depth
    tool: str
    minutes: float
    screws: tuple[Screws, ...] = ()
    cautions: tuple[StepCaution, ...] = ()
    breaks: tuple[str, ...] = ()
    actions: tuple[Action, ...] = ()
    """Actions that are done with this step; their parts move in stock when it is ticked."""
    tray: tuple[Well, ...] = ()
    """Screws that are out once this step is done."""
    why: str = ""


class WorkOrder(Record):
    """Everything the technician needs for one unit."""

    steps: tuple[WorkStep, ...]
    minutes: float
    minutes_apart: float
    """What the same actions would take one opening each."""
    tools: tuple[str, ...]
    tool_changes: int
    donor: bool


def plan_work(
    sheet: ModelSheet,
    findings: Findings,
    actions: tuple[Action, ...],
    kinds: dict[str, PartKind],
    policy: Policy,
    *,
    donor: bool = False,
) -> WorkOrder:
    """The shortest safe order of steps that does all actions under one opening.

    A donor is taken apart and not closed again.
    """
    builder = _Builder(sheet, findings, actions, kinds, policy, donor)
    return builder.order()


class _Builder:
    def __init__(
        self,
        sheet: ModelSheet,
        findings: Findings,
        actions: tuple[Action, ...],
        kinds: dict[str, PartKind],
        policy: Policy,
        donor: bool,
    ) -> None:
        self.sheet, self.route, self.trim = sheet, sheet.route, findings.trim
        self.actions, self.kinds, self.policy, self.donor = actions, kinds, policy, donor
        self.places = tuple(dict.fromkeys(action.place for action in actions))
        self.opened = steps_for(self.route, self.places, self.trim)
        self.by_place: dict[str, tuple[Action, ...]] = {
            place: tuple(a for a in actions if a.place == place) for place in self.places
        }
        self.carried: dict[str, tuple[Action, ...]] = {}
        for place, there in self.by_place.items():
            reach = self.route.reach(place)
            if reach and reach.carried_by:
                self.carried[reach.carried_by] = self.carried.get(reach.carried_by, ()) + there
        self.steps: list[WorkStep] = []
        self.wells: dict[str, tuple[Well, ...]] = {}
        self.next_well = 1

    def order(self) -> WorkOrder:
        keys, changes = fewest_tool_changes(jobs_for(self.route, self.places, self.trim))
        reaches = {
            work_key(reach): reach for reach in self.route.reaches if reach.place in self.by_place
        }
        opened = {step.key: step for step in self.opened}
        deep = any(step.depth is not Depth.OUTSIDE for step in self.opened)
        if deep and self.sheet.form == "laptop" and self.policy.cooling_minutes:
            self._add(
                "cool",
                StepKind.PREPARE,
                "Let it cool",
                f"Wait {self.policy.cooling_minutes:g} minutes if the unit was running.",
                Depth.OUTSIDE,
                minutes=self.policy.cooling_minutes,
                cautions=_words((Caution.HOT,)),
            )
        for key in keys:
            if key in opened:
                self._open(opened[key])
            else:
                self._work(reaches[key])
        if not self.donor:
            for key in reversed(keys):
                if key in opened:
                    self._close(opened[key])
        self._outside()
        if not self.donor:
            self._finish()
        setup = self.route.setup_minutes
        reckon = RouteMinutes(self.sheet, self.policy)
        apart = sum(
            reckon.of(self.trim, there, donor=self.donor) for there in self.by_place.values()
        )
        tools = tuple(dict.fromkeys(s.tool for s in self.steps if s.tool != HAND))
        return WorkOrder(
            steps=tuple(self.steps),
            minutes=round(setup + sum(step.minutes for step in self.steps), 2),
            minutes_apart=round(apart, 2),
            tools=tools,
            tool_changes=changes,
            donor=self.donor,
        )

    def _add(
        self,
        key: str,
        kind: StepKind,
        title: str,
        how: str,
        depth: Depth,
        *,
        tool: str = HAND,
        minutes: float = 0.0,
        screws: tuple[Screws, ...] = (),
        cautions: tuple[StepCaution, ...] = (),
        breaks: tuple[str, ...] = (),
        actions: tuple[Action, ...] = (),
        why: str = "",
    ) -> None:
        self.steps.append(
            WorkStep(
                number=len(self.steps) + 1,
                key=key,
                kind=kind,
                title=title,
                how=how,
                depth=depth,
                tool=tool,
                minutes=minutes,
                screws=screws,
                cautions=cautions,
                breaks=breaks,
                actions=actions,
                tray=tuple(well for wells in self.wells.values() for well in wells),
                why=why,
            )
        )

    def _why(self, step: RouteStep) -> str:
        """The chain from this step to the part it is done for."""
        below = [other.title.lower() for other in self.opened if step.key in other.after]
        parts: list[str] = []
        for place in self.places:
            reach = self.route.reach(place)
            if reach and (step.key in reach.after or reach.carried_by == step.key):
                parts.append(self.sheet.label_of(place))
        if step.isolates:
            return "No pack may feed the board while anything inside is touched."
        if parts:
            return f"{listed(parts)} {'lies' if len(parts) == 1 else 'lie'} behind it."
        return f"It must be done before: {listed(below)}." if below else ""

    def _reach_minutes(self, actions: tuple[Action, ...]) -> float:
        """Minutes of work at the parts themselves, apart from the way there."""
        total = 0.0
        for action in actions:
            if reach := self.route.reach(action.place):
                total += reach.minutes_out if action.takes_out_label else 0
                total += reach.minutes_in if action.verb == "fit" else 0
        return total

    def _open(self, step: RouteStep) -> None:
        wells = tuple(
            Well(number=self.next_well + offset, step=step.key, screws=screws)
            for offset, screws in enumerate(step.screws)
        )
        self.next_well += len(wells)
        if wells:
            self.wells[step.key] = wells
        carried = self.carried.get(step.key, ())
        out_only = tuple(a for a in carried if a.verb == "take out" or self.donor)
        self._add(
            step.key,
            StepKind.OPEN,
            step.title,
            step.how,
            step.depth,
            tool=step.tool,
            minutes=step.minutes_out + self._reach_minutes(out_only),
            screws=step.screws,
            cautions=_words(step.cautions),
            breaks=step.breaks,
            actions=out_only,
            why=self._why(step),
        )

    def _work(self, reach: Reach) -> None:
        there = self.by_place[reach.place]
        said = [action_words(self.sheet, action, self.kinds) for action in there]
        title = listed(said)
        hows: list[str] = []
        for action in there:
            if action.takes_out_label:
                hows.append(f"{action.takes_out_label} comes out. {reach.take_out}".strip())
            if action.verb == "fit":
                hows.append(reach.put_in)
        self._add(
            work_key(reach),
            StepKind.WORK,
            title[0].upper() + title[1:],
            " ".join(hows),
            Depth.PART,
            tool=reach.tool,
            minutes=self._reach_minutes(there),
            screws=reach.screws,
            cautions=_words(reach.cautions),
            actions=there,
            why="This is what the plan decided for this unit.",
        )

    def _close(self, step: RouteStep) -> None:
        keys = {other.key for other in self.opened}
        for extra in self.route.steps:
            if extra.back_only and extra.depth is not Depth.OUTSIDE and step.key in extra.after:
                if set(extra.after) <= keys and not any(s.key == extra.key for s in self.steps):
                    self._back_only(extra)
        fitted = tuple(a for a in self.carried.get(step.key, ()) if a.verb == "fit")
        self.wells.pop(step.key, None)
        if not step.back_title and not fitted:
            return
        title, how, minutes = step.back_title, step.back_how, step.minutes_back
        if fitted:
            said = listed([action_words(self.sheet, a, self.kinds) for a in fitted])
            title = said[0].upper() + said[1:]
            hows = [reach.put_in for a in fitted if (reach := self.route.reach(a.place))]
            how = " ".join([*hows, step.back_how]).strip()
            minutes += self._reach_minutes(fitted)
        self._add(
            f"{step.key}:back",
            StepKind.CLOSE,
            title,
            how,
            step.depth,
            tool=step.tool,
            minutes=minutes,
            screws=step.screws,
            cautions=_words(step.back_cautions),
            breaks=step.breaks,
            actions=fitted,
        )

    def _back_only(self, step: RouteStep) -> None:
        self._add(
            step.key,
            StepKind.CLOSE,
            step.title,
            step.how,
            step.depth,
            tool=step.tool,
            minutes=step.minutes_back,
            cautions=_words(step.cautions),
        )

    def _outside(self) -> None:
        for place, there in self.by_place.items():
            if self.route.reach(place) is not None:
                continue
            said = listed([action_words(self.sheet, action, self.kinds) for action in there])
            self._add(
                f"at:{place}",
                StepKind.WORK,
                said[0].upper() + said[1:],
                "It goes in from outside." if not self.donor else "It comes off from outside.",
                Depth.OUTSIDE,
                minutes=PART_OUTSIDE_MINUTES * len(there),
                actions=there,
                why="This is what the plan decided for this unit.",
            )

    def _finish(self) -> None:
        keys = {step.key for step in self.opened}
        for extra in self.route.steps:
            if extra.back_only and extra.depth is Depth.OUTSIDE and set(extra.after) <= keys:
                self._back_only(extra)
        installs = sum(action.installs_system for action in self.actions)
        if installs:
            self._add(
                "install",
                StepKind.INSTALL,
                "Install the operating system",
                "Start from the workshop's install stick; go on when it runs by itself.",
                Depth.OUTSIDE,
                minutes=installs * self.policy.install_minutes,
            )
        claims = [action_words(self.sheet, a, self.kinds) for a in self.actions if a.verb == "fit"]
        self._add(
            "check",
            StepKind.CHECK,
            "See it work",
            "Start the unit. It must show: " + listed(claims) + "."
            if claims
            else "Start the unit and see that it runs.",
            Depth.OUTSIDE,
            minutes=self.route.check_minutes,
        )
