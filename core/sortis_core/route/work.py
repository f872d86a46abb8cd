"""The work order of one unit: the merged route down to the parts and back, with its screws."""

from typing import Literal

from sortis_core.actions import Action, Verb, action_words, after_actions, attempt_at
from sortis_core.base import Record, listed
from sortis_core.cautions import CAUTION_WORDS, Caution
from sortis_core.facts.memory import beyond_stated
from sortis_core.findings import Findings
from sortis_core.policy import Policy, PryingSchool
from sortis_core.route.graph import CableJoint, Depth, HandOver, Reach, RouteStep, Screws
from sortis_core.route.minutes import PART_OUTSIDE_MINUTES, RouteMinutes, hand_overs
from sortis_core.route.pace import AT, BACK, Pace, paced, range_of
from sortis_core.route.presence import absent
from sortis_core.route.sequence import HAND, fewest_tool_changes
from sortis_core.route.tray import ScrewTray, Well
from sortis_core.route.way import OVER, Way, has_own_work, least_way, work_key
from sortis_core.route.why import Reasons
from sortis_core.sheets import BOARD, MachineForm, ModelSheet
from sortis_core.stock import PackFacts, PartKind
from sortis_core.vocabulary.term import Term

DECIDED = "This is what the plan decided for this unit."


class StepKind(Term):
    """What a step of a work order is for."""

    PREPARE = "prepare"
    OPEN = "open"
    WORK = "work"
    HAND_OVER = "hand_over", "hand over"
    CLOSE = "close"
    INSTALL = "install"
    CHECK = "check"


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
    sheet_minutes: float = 0.0
    """What the sheet says, before any time was recorded."""
    screws: tuple[Screws, ...] = ()
    wells: tuple[int, ...] = ()
    """Numbers of the wells its screws go into or come from."""
    connector: CableJoint | None = None
    cautions: tuple[StepCaution, ...] = ()
    breaks: tuple[str, ...] = ()
    actions: tuple[Action, ...] = ()
    """Actions that are done with this step; their parts move in stock when it is ticked."""
    tray: tuple[Well, ...] = ()
    """Screws that are out once this step is done."""
    why: str = ""
    chain: tuple[str, ...] = ()
    """From this step to the part it is done for, in titles."""


class Begun(Record):
    """What is done already of a unit that lies open: a work order goes on from here."""

    opened: tuple[str, ...] = ()
    """Route steps that are out now, in the order they were opened."""
    closed: tuple[str, ...] = ()
    """Route steps that were opened and are closed again."""
    done: tuple[Action, ...] = ()
    installed: bool = False
    """The system that the actions done so far call for is on."""
    laid_aside: bool = False
    """It left the bench meanwhile; nobody knows whether something feeds it again."""


NOTHING_BEGUN = Begun()


class WorkOrder(Record):
    """Everything the technician needs for one unit."""

    format: Literal["sortis-work-order-4"] = "sortis-work-order-4"
    steps: tuple[WorkStep, ...]
    minutes: float
    low_minutes: float = 0.0
    high_minutes: float = 0.0
    """Eight orders in ten take between these."""
    times: int = 0
    """Recorded times behind the minutes; 0 means they are the sheet's."""
    minutes_apart: float
    """What the same actions would take one opening each."""
    tools: tuple[str, ...]
    lay_ready: tuple[str, ...] = ()
    """What else lies ready beforehand."""
    tool_changes: int
    donor: bool
    begun: Begun = NOTHING_BEGUN
    tray_before: tuple[Well, ...] = ()
    """Screws that are out before the first step, where the unit lies open."""

    def begun_after(self, done_steps: int) -> Begun:
        """What is done of the unit once so many steps are ticked."""
        opened, closed = list(self.begun.opened), list(self.begun.closed)
        ticked = self.steps[:done_steps]
        for step in ticked:
            if step.kind is StepKind.OPEN:
                opened.append(step.key)
            elif step.key.endswith(BACK) and step.key.removesuffix(BACK) in opened:
                opened.remove(step.key.removesuffix(BACK))
                closed.append(step.key.removesuffix(BACK))
        return Begun(
            opened=tuple(opened),
            closed=tuple(dict.fromkeys(closed)),
            done=(*self.begun.done, *(action for step in ticked for action in step.actions)),
            installed=self.begun.installed or any(s.kind is StepKind.INSTALL for s in ticked),
        )


def plan_work(
    sheet: ModelSheet,
    findings: Findings,
    actions: tuple[Action, ...],
    kinds: dict[str, PartKind],
    policy: Policy,
    *,
    donor: bool = False,
    pace: Pace | None = None,
    begun: Begun = NOTHING_BEGUN,
    shelve: bool = False,
) -> WorkOrder:
    """The shortest safe order of steps that does all actions under one opening.

    A donor is taken apart and not closed again.

    :param pace: what recorded times say of the steps; the sheet's figures where None.
    :param begun: the unit lies open already; what is out is not opened again.
    :param shelve: only close what lies open, without seeing it work.
    """
    builder = _Builder(sheet, findings, actions, kinds, policy, donor, pace or Pace(), begun)
    return builder.order(shelve=shelve)


TRY_FIRST = "See whether it works now. If not, say so: not as written, and a part is planned."


def _with_their_kit(sheet: ModelSheet, places: tuple[str, ...]) -> tuple[str, ...]:
    """Places in their order, each followed by the kit that only a drive in it needs: what holds a
    drive down goes in while the hand is there."""
    of = {part.key: part.only_with_drive_in for part in sheet.parts}
    kit = {place for place in places if of.get(place) in places}
    return tuple(
        there
        for place in places
        if place not in kit
        for there in (place, *(part for part in places if part in kit and of[part] == place))
    )


def _from_within(actions: tuple[Action, ...]) -> tuple[tuple[str, str], ...]:
    """(place, place whose part goes in there) where a part moves within the unit."""
    givers = {action.takes_out: action.place for action in actions if not action.kind}
    found: list[tuple[str, str]] = []
    for action in actions:
        for _, kind in action.parts:
            giver = givers.pop(kind, "")
            if giver and giver != action.place:
                found.append((action.place, giver))
    return tuple(found)


class _Builder:
    def __init__(
        self,
        sheet: ModelSheet,
        findings: Findings,
        actions: tuple[Action, ...],
        kinds: dict[str, PartKind],
        policy: Policy,
        donor: bool,
        pace: Pace,
        begun: Begun,
    ) -> None:
        self.sheet, self.findings, self.trim = sheet, findings, findings.trim
        self.actions, self.kinds, self.policy, self.donor = actions, kinds, policy, donor
        self.pace, self.begun = pace, begun
        self.places = _with_their_kit(sheet, tuple(dict.fromkeys(a.place for a in actions)))
        gone = absent(sheet, findings, actions)
        self.way = (
            Way(sheet, self.trim, policy, absent(sheet, findings))
            if donor
            else least_way(
                sheet.route,
                self.places,
                lambda picks: Way(sheet, self.trim, policy, gone, picks),
            )
        )
        self.reasons = Reasons(self.way, self.places)
        needed = {step.key for step in self.way.steps_for(self.places)}
        self.opened = tuple(
            step for key, step in self.way.steps.items() if key in needed or key in begun.opened
        )
        self.by_place: dict[str, tuple[Action, ...]] = {
            place: tuple(a for a in actions if a.place == place) for place in self.places
        }
        self.carried: dict[str, tuple[Action, ...]] = {}
        for place, there in self.by_place.items():
            reach = self.way.reach(place)
            if reach and not has_own_work(reach):
                self.carried[reach.carried_by] = self.carried.get(reach.carried_by, ()) + there
        across = () if donor else hand_overs(sheet, findings, actions)
        self.moved = {OVER + (over.place or over.what): over for over in across}
        self.steps: list[WorkStep] = []
        self.tray = ScrewTray(policy.screws, self.opened)

    def order(self, *, shelve: bool) -> WorkOrder:
        opened = {step.key: step for step in self.opened}
        for key in self.begun.opened:
            self.tray.take(opened[key])
        before = self.tray.out()
        jobs = self.way.jobs_for(
            self.places,
            tuple(self.moved),
            frozenset(self.begun.opened),
            _from_within(self.actions),
        )
        keys, changes = fewest_tool_changes(jobs)
        self._prepare()
        fresh = not self.begun.opened
        for key in self.begun.opened:
            self._lies_open(opened[key])
        down = self.way.powering_down
        for key in keys:
            if fresh and key not in down:
                self._cool()
                fresh = False
            if key in opened:
                self._open(opened[key])
            elif key in self.moved:
                self._move_across(self.moved[key])
            else:
                self._work(key)
        if not self.donor:
            for key in reversed([*self.begun.opened, *keys]):
                if key in opened:
                    self._close(opened[key])
        self._outside()
        if not self.donor:
            self._finish(shelve=shelve)
        return self._finished(changes, before)

    def _finished(self, changes: int, tray_before: tuple[Well, ...]) -> WorkOrder:
        reckon = RouteMinutes(paced(self.sheet, self.pace), self.policy)
        apart = sum(
            reckon.of(self.findings, there, donor=self.donor) for there in self.by_place.values()
        )
        spread = range_of(
            [
                ("setup", self.sheet.route.setup_minutes),
                *((step.key, step.minutes) for step in self.steps),
            ],
            self.pace,
        )
        return WorkOrder(
            steps=tuple(self.steps),
            minutes=spread.minutes,
            low_minutes=spread.low,
            high_minutes=spread.high,
            times=spread.times,
            minutes_apart=round(apart, 2),
            tools=tuple(dict.fromkeys(s.tool for s in self.steps if s.tool != HAND)),
            lay_ready=self._lay_ready(),
            tool_changes=changes,
            donor=self.donor,
            begun=self.begun,
            tray_before=tray_before,
        )

    def _lay_ready(self) -> tuple[str, ...]:
        wells = {
            well.number for step in self.steps for well in step.tray if not well.screws.captive
        }
        ready: list[str] = []
        if wells:
            ready.append(f"screw tray, {len(wells)} {'well' if len(wells) == 1 else 'wells'}")
        cautions = {caution.key for step in self.steps for caution in step.cautions}
        if Caution.STATIC in cautions:
            ready.append("wrist strap")
        if Caution.ALCOHOL in cautions:
            ready.append("alcohol, wipes, gloves, fresh paste and pads")
        if any(step.kind is StepKind.INSTALL for step in self.steps):
            ready.append("install stick")
        return tuple(ready)

    def _add(
        self,
        key: str,
        kind: StepKind,
        title: str,
        how: str,
        depth: Depth,
        *,
        sums: tuple[tuple[str, float], ...] = (),
        tool: str = HAND,
        screws: tuple[Screws, ...] = (),
        wells: tuple[int, ...] = (),
        connector: CableJoint | None = None,
        cautions: tuple[StepCaution, ...] = (),
        breaks: tuple[str, ...] = (),
        actions: tuple[Action, ...] = (),
        why: str = "",
        chain: tuple[str, ...] = (),
    ) -> None:
        """Add a step.

        :param sums: (key of the pace, minutes by the sheet) of all that it holds.
        """
        self.steps.append(
            WorkStep(
                number=len(self.steps) + 1,
                key=key,
                kind=kind,
                title=title,
                how=how,
                depth=depth,
                tool=tool,
                minutes=sum(self.pace.minutes(at, minutes) for at, minutes in sums),
                sheet_minutes=sum(minutes for _, minutes in sums),
                screws=screws,
                wells=wells,
                connector=connector,
                cautions=cautions,
                breaks=breaks,
                actions=actions,
                tray=self.tray.out(),
                why=why,
                chain=chain,
            )
        )

    def _prepare(self) -> None:
        if self.begun.opened and self.begun.laid_aside:
            self._add(
                "isolated",
                StepKind.PREPARE,
                "See that nothing feeds it",
                "It lies open from before. Adapter out, external pack out, the pack's plug out; no "
                "light shows and no fan turns.",
                Depth.OUTSIDE,
                cautions=_words((Caution.ISOLATE, Caution.LITHIUM, Caution.STATIC)),
            )

    def _cool(self) -> None:
        """Once it is off and before it is opened."""
        deep = any(step.depth is not Depth.OUTSIDE for step in self.opened)
        wait = self.policy.cooling_minutes
        if deep and self.sheet.form is MachineForm.LAPTOP and wait:
            self._add(
                "cool",
                StepKind.PREPARE,
                "Let it cool",
                f"Wait {wait:g} minutes if the unit was running.",
                Depth.OUTSIDE,
                sums=(("", wait),),
                cautions=_words((Caution.HOT,)),
            )

    def _at_parts(self, actions: tuple[Action, ...]) -> tuple[tuple[str, float], ...]:
        """Minutes of work at the parts themselves, apart from the way there."""
        sums: list[tuple[str, float]] = []
        for action in actions:
            if action.verb is Verb.MEND:
                attempt = attempt_at(self.sheet, action.place)
                sums.append((AT + action.place, attempt.minutes if attempt else 0.0))
            elif reach := self.way.reach(action.place):
                seated = action.verb is Verb.SEAT
                out = reach.minutes_out if action.takes_out_label or seated else 0
                goes_in = seated or action.verb is Verb.FIT
                minutes = out + (reach.minutes_in if goes_in else 0)
                sums.append((AT + action.place, minutes))
        return tuple(sums)

    def _how_to_open(self, step: RouteStep) -> str:
        """The step's words, begun where the school of prying begins."""
        if not step.pries:
            return step.how
        school = self.policy.prying
        by_school = [pry for pry in step.pries if pry.start.value == school.value]
        pry = by_school[0] if by_school else step.pries[0]
        lacks = school is not PryingSchool.SHEET and not by_school
        note = f"The sheet knows no way from the {school}." if lacks else ""
        return " ".join(words for words in (pry.how, step.how, note) if words)

    def _open(self, step: RouteStep) -> None:
        wells = self.tray.take(step)
        carried = self.carried.get(step.key, ())
        out_only = tuple(a for a in carried if a.verb is not Verb.FIT or self.donor)
        tried = TRY_FIRST if any(a.verb is Verb.MEND for a in out_only) else ""
        # What comes off with the step is told by its title; what is done to it there is not.
        done = [
            action_words(self.sheet, a, self.kinds)
            for a in out_only
            if a.verb in (Verb.MEND, Verb.SEAT)
        ]
        self._add(
            step.key,
            StepKind.OPEN,
            "; ".join([step.title, *done]),
            " ".join(words for words in (self._how_to_open(step), tried) if words),
            step.depth,
            sums=((step.key, step.minutes_out), *self._at_parts(out_only)),
            tool=step.tool,
            screws=step.screws,
            wells=wells,
            connector=step.connector,
            cautions=_words(step.cautions),
            breaks=step.breaks,
            actions=out_only,
            why=self.reasons.sentence(step),
            chain=self.reasons.chain(step),
        )

    def _lies_open(self, step: RouteStep) -> None:
        """What a step took out before, and is now wanted as a part, is only put aside."""
        carried = self.carried.get(step.key, ())
        out_only = tuple(a for a in carried if a.verb is not Verb.FIT or self.donor)
        if out_only:
            tried = TRY_FIRST if any(a.verb is Verb.MEND for a in out_only) else ""
            said = listed([action_words(self.sheet, a, self.kinds) for a in out_only])
            self._add(
                f"{AT}{out_only[0].place}",
                StepKind.WORK,
                said[0].upper() + said[1:],
                f"It lies on the bench already. {tried}".strip(),
                step.depth,
                sums=self._at_parts(out_only),
                actions=out_only,
                why=DECIDED,
            )

    def _work(self, key: str) -> None:
        reach = next(
            reach
            for place in self.places
            if (reach := self.way.reach(place)) and work_key(reach) == key
        )
        there = self.by_place[reach.place]
        title = listed([action_words(self.sheet, action, self.kinds) for action in there])
        hows: list[str] = []
        for action in there:
            if action.takes_out_label:
                hows.append(f"{action.takes_out_label} comes out. {reach.take_out}".strip())
            if action.verb is Verb.FIT:
                hows.append(reach.put_in)
                hows.append(self._own_screws(action))
            if action.verb is Verb.MEND:
                hows.append(TRY_FIRST)
            if action.verb is Verb.SEAT:
                hows += [reach.take_out, reach.put_in]
        if BOARD in self.places and reach.place in self.way.on_board:
            hows.append("It goes into the other board.")
        self._add(
            key,
            StepKind.WORK,
            title[0].upper() + title[1:],
            " ".join(how for how in hows if how),
            Depth.PART,
            sums=self._at_parts(there),
            tool=reach.tool,
            screws=reach.screws,
            cautions=_words(tuple(c for c in reach.cautions if self._applies(c, there))),
            actions=there,
            why=DECIDED,
        )

    def _own_screws(self, action: Action) -> str:
        """What is said of a pack that brings its own captive screws."""
        facts = self.kinds[action.kind].facts if action.kind in self.kinds else None
        brings = isinstance(facts, PackFacts) and any(
            variant.family == facts.family and variant.screws_included
            for pack in self.sheet.packs
            if pack.key == action.place
            for variant in pack.variants
        )
        return "It brings its own captive screws." if brings else ""

    def _applies(self, caution: Caution, actions: tuple[Action, ...]) -> bool:
        """Only a drive that comes out held somebody's data."""
        return caution is not Caution.PERSONAL_DATA or any(a.takes_out_label for a in actions)

    def _move_across(self, over: HandOver) -> None:
        reach: Reach | None = self.way.reach(over.place) if over.place else None
        what = self.sheet.label_of(over.place) if over.place else over.what
        how = f"{reach.take_out} {reach.put_in}".strip() if reach else over.how
        minutes = reach.minutes_out + reach.minutes_in if reach else over.minutes
        if over.place in self.findings.modules:
            what = f"the module in {what}"
        elif over.place in self.findings.drives:
            what = f"the drive in {what}"
        self._add(
            OVER + (over.place or over.what),
            StepKind.HAND_OVER,
            f"Move {what} to the other board",
            how,
            Depth.PART,
            sums=((AT + over.place if over.place else "", minutes),),
            tool=reach.tool if reach else HAND,
            screws=reach.screws if reach else (),
            cautions=_words(reach.cautions) if reach else (),
            why="The other board comes bare; this belongs to the unit.",
        )

    def _close(self, step: RouteStep) -> None:
        keys = {other.key for other in self.opened}
        for extra in self.way.back_only:
            if extra.depth is not Depth.OUTSIDE and step.key in extra.after:
                if set(extra.after) <= keys and not any(s.key == extra.key for s in self.steps):
                    self._back_only(extra)
        fitted = tuple(a for a in self.carried.get(step.key, ()) if a.verb is Verb.FIT)
        wells = self.tray.put_back(step)
        if not step.back_title and not fitted:
            return
        title, how = step.back_title, step.back_how
        if fitted:
            said = listed([action_words(self.sheet, a, self.kinds) for a in fitted])
            title = said[0].upper() + said[1:]
            hows = [reach.put_in for a in fitted if (reach := self.way.reach(a.place))]
            hows += [self._own_screws(action) for action in fitted]
            how = " ".join(said for said in (*hows, step.back_how) if said)
        self._add(
            step.key + BACK,
            StepKind.CLOSE,
            title,
            how,
            step.depth,
            sums=((step.key + BACK, step.minutes_back), *self._at_parts(fitted)),
            tool=step.tool,
            screws=step.screws,
            wells=wells,
            connector=step.connector,
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
            sums=((step.key, step.minutes_back),),
            tool=step.tool,
            cautions=_words(step.cautions),
        )

    def _outside(self) -> None:
        for place, there in self.by_place.items():
            if self.way.reach(place) is not None:
                continue
            said = listed([action_words(self.sheet, action, self.kinds) for action in there])
            self._add(
                AT + place,
                StepKind.WORK,
                said[0].upper() + said[1:],
                self._from_outside(there),
                Depth.OUTSIDE,
                sums=(("", sum(self._outside_minutes(action) for action in there)),),
                actions=there,
                why=DECIDED,
            )

    def _shows(self, claims: list[str]) -> str:
        if not claims:
            return "Start the unit and see that it runs."
        said = f"Start the unit. It must show: {listed(claims)}."
        after = after_actions(self.sheet, self.findings, self.actions, self.kinds)
        risk = beyond_stated(self.sheet, after)
        return f"{said} {risk}".strip()

    def _own_test(self) -> str:
        test = self.sheet.built_in_test
        return f"The model's own hardware test: {test}" if test else ""

    def _from_outside(self, there: tuple[Action, ...]) -> str:
        if all(action.verb is Verb.MEND for action in there):
            return TRY_FIRST
        return "It comes off from outside." if self.donor else "It goes in from outside."

    def _outside_minutes(self, action: Action) -> float:
        if action.verb is Verb.MEND:
            attempt = attempt_at(self.sheet, action.place)
            return attempt.minutes if attempt else 0.0
        return PART_OUTSIDE_MINUTES

    def _finish(self, *, shelve: bool) -> None:
        keys = {step.key for step in self.opened} | set(self.begun.closed)
        for extra in self.way.back_only:
            if extra.depth is Depth.OUTSIDE and set(extra.after) <= keys:
                self._back_only(extra)
        every = (*self.begun.done, *self.actions)
        if shelve:
            return
        installs = sum(action.installs_system for action in every)
        if installs and not self.begun.installed:
            self._add(
                "install",
                StepKind.INSTALL,
                "Install the operating system",
                "Start from the workshop's install stick; go on when it runs by itself.",
                Depth.OUTSIDE,
                sums=(("", installs * self.policy.install_minutes),),
            )
        claims = [action_words(self.sheet, a, self.kinds) for a in every if a.verb is Verb.FIT]
        claims += [
            f"{self.sheet.label_of(a.place)} working"
            for a in every
            if a.verb in (Verb.MEND, Verb.SEAT)
        ]
        self._add(
            "check",
            StepKind.CHECK,
            "See it work",
            " ".join(said for said in (self._shows(claims), self._own_test()) if said),
            Depth.OUTSIDE,
            sums=(("check", self.sheet.route.check_minutes),),
        )
