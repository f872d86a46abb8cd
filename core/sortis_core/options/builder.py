"""Builds the options of one model's units."""

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace
from itertools import product

from sortis_core.actions import Action, after_actions
from sortis_core.base import listed
from sortis_core.facts.configuration import built_with, with_board
from sortis_core.facts.memory import channel_amounts, even_channels
from sortis_core.facts.storage import array_question
from sortis_core.findings import Findings
from sortis_core.gates.gate import Eye, GateBase, Phase
from sortis_core.gates.verdict import GateState
from sortis_core.gates.ways import Alternative, Asked, LookFirst, NeedsBoard, NoPrice, NoWay
from sortis_core.options.boards import board_swaps
from sortis_core.options.dominance import undominated
from sortis_core.options.harvest import donor
from sortis_core.options.job import Job, added_up, work_of
from sortis_core.options.option import (
    Dominated,
    Option,
    OutcomeKind,
    Rejection,
    UnitOptions,
)
from sortis_core.options.sought import parts_cents, sought_for
from sortis_core.policy import FillingSchool, HarvestSchool, Policy
from sortis_core.route.check import has_way_to
from sortis_core.route.minutes import RouteMinutes, SkillMinutes
from sortis_core.sheets import BoardVariant, ModelSheet
from sortis_core.standards import (
    PriceStep,
    Standard,
    asked_aspects,
    is_sold,
)
from sortis_core.supply import Supply


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Side:
    """What one type of gate looks at, and what more is paid for there."""

    gates: tuple[GateBase, ...]
    steps: tuple[PriceStep, ...]
    eyes: tuple[int, ...]
    """Units that look the same through them have the same ways on this side."""
    kind: type[GateBase]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Asks:
    """What a standard asks of a model, with the number of the eye that each gate looks through."""

    sides: tuple[_Side, ...]
    gates: tuple[tuple[GateBase, int], ...]
    complete: tuple[tuple[GateBase, int], ...]
    """Gates that are asked once the sides are filled: of what is faulty, then of the rest."""
    completes: tuple[int, ...]
    """Their eyes: standards that have the same share their ways."""
    eyes: tuple[int, ...]
    """All of them, those of its steps as well."""
    work: tuple[SkillMinutes, ...]
    """That it wants done to every unit, apart from the work order."""
    new_only: bool


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Unit:
    """A unit under the builder's eyes, as it came or with another board in it."""

    findings: Findings
    board: tuple[Job, ...]
    """What puts that board in; nothing in a unit as it came."""
    looks: tuple[int, ...]
    """What each eye sees, by number of the eye; equal where it sees the same."""
    slots: int
    """Equal where the same sits in the slots, to the speed and the maker."""
    route: int
    """Equal where minutes are, whatever is done to it."""
    seen: int
    """Equal where all is that a question about an array of drives depends on; 0 without one."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Labour:
    """The work of an option."""

    skills: tuple[SkillMinutes, ...]
    minutes: float
    cents: int
    consumables_cents: int


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Found:
    """The options toward one standard, and what they beat."""

    kept: tuple[Option, ...]
    beaten: tuple[Dominated, ...]
    beaten_uses: frozenset[str]


_NOWHERE: frozenset[str] = frozenset()


class OptionBuilder:
    """Builds the options of all units of one model.

    :param prune: drop dominated options; the optimum is the same without.
    :param beaten: tell which they are, and by what.
    """

    def __init__(
        self,
        sheet: ModelSheet,
        supply: Supply,
        standards: tuple[Standard, ...],
        policy: Policy,
        *,
        prune: bool = True,
        beaten: bool = False,
    ) -> None:
        self.sheet = sheet
        self.supply = supply
        self.standards = standards
        self.policy = policy
        self.prune = prune
        self.beaten = beaten
        self.minutes = RouteMinutes(sheet, policy)
        self._slots = [slot.key for slot in sheet.memory.slots]
        self._packs = {place.key for place in sheet.packs}
        self._bays = {place.key for place in sheet.drives}
        self._kit = {part.kind for part in sheet.parts if part.only_with_drive_in}
        self._parts = {part.key for part in sheet.parts}
        self._mended_by = {
            test.key: test.repair.kind for test in sheet.tests if test.repair and test.repair.kind
        }
        ranks = [standard.rank for standard in standards]
        self._asked = asked_aspects(standards, sheet)
        self._lowest, self._top = min(ranks, default=0), max(ranks, default=0)
        self._eyes: list[Eye] = []
        self._eye_numbers: dict[tuple[GateBase, Policy], int] = {}
        self._asks = {standard.key: self._asks_of(standard) for standard in standards}
        self._alike: dict[Hashable, tuple[Job, ...]] = {}
        self._filled: dict[Hashable, tuple[Option, ...] | NoWay] = {}
        self._found: dict[tuple[tuple[int, ...], int], _Found] = {}
        self._started: tuple[_Unit, list[_Unit]] | None = None
        self._ways_of_sides: dict[Hashable, tuple[Job, ...] | NoWay] = {}
        self._completed: dict[Hashable, list[tuple[Job, ...]] | NoWay] = {}
        self._heeded: dict[int, frozenset[str]] = {}
        self._by_one_gate: dict[Hashable, tuple[Job, ...] | NoWay] = {}
        self._numbers: dict[Hashable, int] = {}
        self._unseen: dict[int, str] = {}
        self._orders: dict[Hashable, tuple[tuple[SkillMinutes, ...], int]] = {}
        self._labours: dict[Hashable, _Labour] = {}

    def forget(self) -> None:
        """Let go of all that was worked out; no more is asked of the builder.

        A refusal knows where it was raised, and by that the builder that remembers it: without this
        only the collector would part them.
        """
        for known in vars(self).values():
            if isinstance(known, dict):
                known.clear()
        self._started = None

    def _asks_of(self, standard: Standard) -> _Asks:
        """What a standard asks: its sides in the order of its gates, and what is asked last."""
        steps = standard.steps_for(self.sheet)
        gates = [(gate, self._eye_of(gate, self.policy)) for gate in standard.gates]
        fill: list[GateBase] = [gate for gate in standard.gates if gate.phase is Phase.FILL]
        every: list[GateBase] = [*fill, *(step.gate for step in steps)]
        sides: list[_Side] = []
        for side in dict.fromkeys(gate.side for gate in every):
            alike = tuple(gate for gate in fill if gate.side == side)
            paid = tuple(step for step in steps if step.gate.side == side)
            looks = [self._eye_of(gate, self.policy) for gate in alike]
            looks += [self._eye_of(step.gate, step.reckoned(self.policy)) for step in paid]
            kind = type((*alike, *(step.gate for step in paid))[0])
            sides.append(_Side(gates=alike, steps=paid, eyes=tuple(looks), kind=kind))
        school = self.policy.harvest
        top = school is HarvestSchool.NEW_FOR_TOP and standard.rank == self._top
        return _Asks(
            sides=tuple(sides),
            gates=tuple(gates),
            complete=tuple((gate, n) for gate, n in gates if gate.phase is not Phase.FILL),
            completes=tuple(n for gate, n in gates if gate.phase is not Phase.FILL),
            eyes=tuple(
                dict.fromkeys([*(n for _, n in gates), *(n for s in sides for n in s.eyes)])
            ),
            work=tuple(one for gate in standard.gates for one in gate.work(self.policy)),
            new_only=school is HarvestSchool.NEW_ONLY or top,
        )

    def _eye_of(self, gate: GateBase, policy: Policy) -> int:
        """The number of the eye that a gate looks through under a policy."""
        number = self._eye_numbers.get((gate, policy))
        if number is None:
            number = self._eye_numbers[gate, policy] = len(self._eyes)
            self._eyes.append(type(gate).sees((gate,), self.sheet, policy))
        return number

    def _looked_at(self, findings: Findings, *board: Job) -> _Unit:
        number = self._number
        return _Unit(
            findings=findings,
            board=board,
            looks=tuple([number((n, eye(findings))) for n, eye in enumerate(self._eyes)]),
            slots=number(tuple([findings.module(key) for key in self._slots])),
            route=number(self.minutes.sees(findings)),
            seen=number(self.sees(findings)) if findings.drive_array else 0,
        )

    def _number(self, of: Hashable) -> int:
        """A number for something: equal for what is equal, and quick to look things up by."""
        return self._numbers.setdefault(of, len(self._numbers))

    def toward_standards(
        self, findings: Findings, spare: frozenset[str] = frozenset()
    ) -> UnitOptions:
        """Release and fit options, with the fact against every standard that has none.

        :param spare: part kinds that other units want; what is not needed may come out for those.
        """
        options: list[Option] = []
        rejections: list[Rejection] = []
        beaten: list[Dominated] = []
        beaten_uses: set[str] = set()
        unit = self._looked_at(findings)
        for standard in self.standards:
            try:
                found = self._toward(standard, unit, spare)
            except NoWay as refusal:
                rejections.append(
                    Rejection(
                        outcome=OutcomeKind.FIT,
                        standard=standard.key,
                        fact=refusal.sentence,
                        look_first=isinstance(refusal, LookFirst),
                        no_price=isinstance(refusal, NoPrice),
                    )
                )
                continue
            options += found.kept
            beaten += found.beaten
            beaten_uses |= found.beaten_uses
        return UnitOptions(
            options=tuple(options),
            rejections=tuple(rejections),
            dominated=tuple(beaten) if self.beaten else (),
            beaten_uses=frozenset(beaten_uses),
        )

    def _toward(self, standard: Standard, unit: _Unit, spare: frozenset[str]) -> _Found:
        """The options toward one standard.

        :raises NoWay: with the fact why there is none.
        """
        findings = unit.findings
        if findings.grade is None:
            raise LookFirst("The cosmetic grade was not looked at, so there is no price.")
        price = standard.price_cents(self.sheet.key, findings)
        if price is None and is_sold(self.standards, self.sheet.key, findings):
            raise NoWay(f"{standard.name} has no price for this model in grade {findings.grade}.")
        asks = self._asks[standard.key]
        if unseen := [words for gate, n in asks.gates if (words := self._not_seen(gate, n, unit))]:
            for gate, _ in asks.gates:
                if fact := gate.rules_out(self.sheet, findings, self.policy):
                    raise NoWay(f"Whatever is found, {fact}.")
            raise LookFirst(listed(unseen) + ": look first.")
        try:
            starts = self._starts(unit)
        except NoWay as refusal:
            raise self._for_good(standard, findings, spare) or refusal from None
        found: list[tuple[Option, ...]] = []
        refusals: list[NoWay] = []
        for start in starts:
            try:
                found.append(self._fillings(standard, start, spare))
            except NoWay as refusal:
                refusals.append(refusal)
        if not found:
            # That a board is needed is no fact against it while there is one.
            said = next((r for r in refusals if not isinstance(r, NeedsBoard)), refusals[0])
            raise self._for_good(standard, findings, spare) or said
        if price is None:
            raise NoPrice(f"No price for this model in grade {findings.grade}.")
        return self._at_price(found, price)

    def _starts(self, unit: _Unit) -> list[_Unit]:
        """The unit as it came, and with each board that may go in; the last one is remembered.

        :raises NoWay: where the board failed and none may or can go in.
        """
        if self._started is None or self._started[0] is not unit:
            swaps = board_swaps(self.sheet, unit.findings, self.supply, self.policy, self._asked)
            found = [unit]
            for board, action in swaps:
                on_it = _on_board(self.sheet, unit.findings, board)
                found.append(self._looked_at(on_it, self._job(unit.findings, (action,))))
            self._started = unit, found
        return self._started[1]

    def _at_price(self, fillings: list[tuple[Option, ...]], price: int) -> _Found:
        """The fillings that no other beats, at a price; which beats which no price changes."""
        # What fillings were found is kept, so that no id of theirs is given anew.
        key = tuple([id(one) for one in fillings])
        free = self._found.get((key, 0))
        if free is None:
            options = self._evenly([option for some in fillings for option in some])
            kept, beaten = undominated(options) if self.prune else (options, [])
            free = self._found[key, 0] = _Found(
                kept=tuple(kept),
                beaten=tuple(beaten),
                beaten_uses=frozenset(part.kind for one in beaten for part in one.option.uses),
            )
        known = self._found.get((key, price))
        if known is None:
            beaten_now = [
                Dominated(option=one.option.sold_for(price), by=one.by.sold_for(price))
                for one in (free.beaten if self.beaten else ())
            ]
            known = self._found[key, price] = _Found(
                kept=tuple([option.sold_for(price) for option in free.kept]),
                beaten=tuple(beaten_now),
                beaten_uses=free.beaten_uses,
            )
        return known

    def _not_seen(self, gate: GateBase, eye: int, unit: _Unit) -> str:
        """What nobody saw that a gate asks about, in words; empty where all was seen."""
        look = unit.looks[eye]
        if look not in self._unseen:
            verdict = gate.verdict(self.sheet, unit.findings, self.policy)
            self._unseen[look] = verdict.sentence if verdict.unseen else ""
        return self._unseen[look]

    def _for_good(
        self, standard: Standard, findings: Findings, spare: frozenset[str]
    ) -> NoWay | None:
        """What rules a standard out whatever parts there are: a better fact than a part that lacks.

        None where only parts are lacking.
        """
        for gate in standard.gates:
            if gate.rules_out(self.sheet, findings, self.policy):
                try:
                    gate.ways(self._asked_of(standard, findings, spare, board=True))
                except NoWay as refusal:
                    return refusal
        return None

    def _asked_of(
        self, standard: Standard, findings: Findings, spare: frozenset[str], *, board: bool
    ) -> Asked:
        return Asked(
            sheet=self.sheet,
            findings=findings,
            supply=self.supply,
            policy=self.policy,
            lowest=standard.rank == self._lowest,
            board=board,
            spare=spare,
        )

    def _fillings(
        self, standard: Standard, unit: _Unit, spare: frozenset[str]
    ) -> tuple[Option, ...]:
        """All ways to close the gates of one standard with the board settled, before its price.

        Units share them where each side has the same ways, whatever it looked like before.

        :raises NoWay: where there is none.
        """
        asks = self._asks[standard.key]
        asked = self._asked_of(standard, unit.findings, spare, board=bool(unit.board))
        fill = [self._side(side, standard, unit, asked) for side in asks.sides]
        key = (
            standard.key,
            tuple([job.work for job in unit.board]),
            tuple([job.actions for job in unit.board]),
            tuple([id(ways) for ways in fill]),
            tuple([unit.looks[n] for n in asks.completes]),
            unit.route,
            spare & self._kit,
            unit.seen,
        )
        known = self._filled.get(key)
        if known is None:
            try:
                known = tuple(self._filled_so(standard, unit, asked, fill))
            except NoWay as refusal:
                known = refusal
            self._filled[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _filled_so(
        self, standard: Standard, unit: _Unit, asked: Asked, fill: list[tuple[Job, ...]]
    ) -> list[Option]:
        """All combinations of one way of each side, each with what completes the unit then."""
        asks = self._asks[standard.key]
        heeded = _NOWHERE.union(*[self._heeds(gate, unit, n) for gate, n in asks.complete])
        completed: dict[tuple[frozenset[str], frozenset[str]], list[tuple[Job, ...]]] = {}
        options: list[Option] = []
        refusal: NoWay | None = None
        for chosen in product(*fill):
            filled = heeded & _NOWHERE.union(*[job.filled for job in chosen])
            emptied = heeded & _NOWHERE.union(*[job.emptied for job in chosen])
            try:
                rests = completed.get((filled, emptied))
                if rests is None:
                    rests = self._completing(asks, unit, asked, filled, emptied)
                    completed[filled, emptied] = rests
                for jobs in self._once(unit, [(*chosen, *rest) for rest in rests]):
                    self._reached(unit.findings, jobs)
                    options.append(self._option(standard, unit, jobs))
            except NoWay as reason:
                refusal = reason
        if not options and refusal:
            raise refusal
        return options

    def _side(self, side: _Side, standard: Standard, unit: _Unit, asked: Asked) -> tuple[Job, ...]:
        """The ways of one side to meet its gate and to reach what more is paid for.

        Gates of one type look at one side, which no other type changes, so that a way is judged
        once and not once for every combination; units that look the same share them.

        :raises NoWay: where its gate cannot be met.
        """
        seen = tuple([unit.looks[n] for n in side.eyes])
        # What comes out is told apart by more than what its gate looks at: its speed, its maker.
        out = (unit.slots, asked.spare) if side.kind.frees else ()
        key = standard.key, id(side), asked.board, seen, out
        known = self._ways_of_sides.get(key)
        if known is None:
            try:
                found = self._worked_out(side, asked)
                alike = tuple([(job.actions, job.adds_cents, job.uneven) for job in found])
                known = self._alike.setdefault(alike, found)
            except NoWay as refusal:
                known = refusal
            self._ways_of_sides[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _completing(
        self,
        asks: _Asks,
        unit: _Unit,
        asked: Asked,
        filled: frozenset[str],
        emptied: frozenset[str],
    ) -> list[tuple[Job, ...]]:
        """The ways of the gates that are asked last; units that look the same to them share them.

        :param filled: places that the other gates fill, of those that one of these heeds.
        :param emptied: places that they empty.
        :raises NoWay: where one cannot be met.
        """
        looks = tuple([unit.looks[n] for _, n in asks.complete])
        key = asks.completes, looks, asked.board, asked.lowest, filled, emptied, asked.spare
        known = self._completed.get(key)
        if known is None:
            last = replace(asked, filled=filled, emptied=emptied)
            try:
                known = self._cleared(asks, unit, last)
            except NoWay as refusal:
                known = refusal
            self._completed[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _cleared(self, asks: _Asks, unit: _Unit, asked: Asked) -> list[tuple[Job, ...]]:
        """As of :meth:`_completing`: what is faulty comes out first, and its kit with it."""
        clearing = [
            self._completed_by(gate, n, unit, asked) if gate.phase is Phase.CLEAR else (None,)
            for gate, n in asks.complete
        ]
        found: list[tuple[Job, ...]] = []
        for cleared in product(*clearing):
            out = _NOWHERE.union(*[job.emptied for job in cleared if job])
            last = replace(asked, emptied=asked.emptied | out)
            ways = [
                (job,) if job else self._completed_by(gate, n, unit, last)
                for job, (gate, n) in zip(cleared, asks.complete, strict=True)
            ]
            found += product(*ways)
        return found

    def _completed_by(self, gate: GateBase, eye: int, unit: _Unit, asked: Asked) -> tuple[Job, ...]:
        """As of :meth:`_completing`, for one gate."""
        spare = asked.spare if gate.frees else _NOWHERE
        heeds = self._heeds(gate, unit, eye)
        filled, emptied = asked.filled & heeds, asked.emptied & heeds
        key = eye, unit.looks[eye], asked.board, asked.lowest, filled, emptied, spare
        known = self._by_one_gate.get(key)
        if known is None:
            try:
                known = tuple([self._job(asked.findings, way) for way in gate.ways(asked)])
            except NoWay as refusal:
                known = refusal
            self._by_one_gate[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _heeds(self, gate: GateBase, unit: _Unit, eye: int) -> frozenset[str]:
        """Of which places it matters to a gate that is asked last whether others fill them."""
        look = unit.looks[eye]
        if look not in self._heeded:
            self._heeded[look] = gate.heeds(self.sheet, unit.findings)
        return self._heeded[look]

    def _worked_out(self, side: _Side, asked: Asked) -> tuple[Job, ...]:
        ways: dict[Alternative, None] = {} if side.gates else {(): None}
        for gate in side.gates:
            ways.update(dict.fromkeys(gate.ways(asked)))
        if len(side.gates) > 1:
            ways = {way: None for way in ways if self._meets(asked, way, side.gates)}
            if not ways:
                raise NoWay("What meets one of its gates on this side does not meet another.")
        for step in side.steps:
            try:
                further = step.gate.ways(replace(asked, policy=step.reckoned(self.policy)))
            except NoWay:
                continue
            for way in further:
                if way not in ways and self._meets(asked, way, side.gates):
                    ways[way] = None
        return tuple(
            self._job(asked.findings, way, self._adds(asked, way, side.steps)) for way in ways
        )

    def _meets(self, asked: Asked, way: Alternative, gates: tuple[GateBase, ...]) -> bool:
        """Whether a way to what is paid for meets what is asked of the same side, too."""
        after = after_actions(self.sheet, asked.findings, way, self.supply.kinds)
        return all(
            gate.verdict(self.sheet, after, self.policy).state
            in (GateState.MET, GateState.AT_RELEASE)
            for gate in gates
        )

    def _adds(self, asked: Asked, way: Alternative, steps: tuple[PriceStep, ...]) -> int:
        """What the unit sells for above its price once one side of it is so, in cents."""
        if not steps:
            return 0
        after = after_actions(self.sheet, asked.findings, way, self.supply.kinds)
        return sum(step.adds_cents for step in steps if step.met(self.sheet, after, self.policy))

    def _job(self, findings: Findings, actions: Alternative, adds_cents: int = 0) -> Job:
        """What some actions add to an option, whatever is done besides."""
        lost = [a.place for a in actions if not has_way_to(self.sheet, a.place)]
        return Job(
            actions,
            work=self._number(work_of(actions)),
            adds_cents=adds_cents,
            gives=[a.takes_out for a in actions if a.takes_out and self._serves_again(a)],
            packs_out=sum(bool(a.place in self._packs and a.takes_out_label) for a in actions),
            uneven=self._uneven(findings, actions),
            mends=any(action.place in self._mended_by for action in actions),
            no_way=NoWay(
                f"The sheet does not say how {self.sheet.label_of(lost[0])} is reached. "
                "Add it to the route under Sheets."
            )
            if lost
            else None,
        )

    def _once(self, unit: _Unit, ways: list[tuple[Job, ...]]) -> Iterable[tuple[Job, ...]]:
        """Each way once; a part that is missing and is also why a test fails goes in once."""
        if not any(job.mends for jobs in ways for job in jobs):
            return [(*unit.board, *jobs) for jobs in ways]
        found: dict[Alternative, tuple[Job, ...]] = {}
        for jobs in ways:
            every = (*unit.board, *jobs)
            actions = tuple(action for job in every for action in job.actions)
            fitted = {a.kind for a in actions if a.kind and a.place in self._parts}
            served = {kind for one in fitted for kind in (one, *self.supply.kinds[one].instead_of)}
            needed = tuple(a for a in actions if self._mended_by.get(a.place) not in served)
            if needed != actions:
                adds = sum(job.adds_cents for job in every)
                every = (self._job(unit.findings, needed, adds),)
            found.setdefault(needed, every)
        return found.values()

    def _reached(self, findings: Findings, jobs: tuple[Job, ...]) -> None:
        """Refuse work on what the sheet knows no way to, and on drives that somebody must ask of.

        :raises NoWay: naming the place.
        """
        if findings.drive_array:
            places = [action.place for job in jobs for action in job.actions]
            if question := array_question(self.sheet, findings, places):
                raise LookFirst(question)
        for job in jobs:
            if job.no_way:
                raise job.no_way

    def _option(self, standard: Standard, unit: _Unit, jobs: tuple[Job, ...]) -> Option:
        """What the jobs add up to, sold for nothing but what they add to the price."""
        actions = tuple([action for job in jobs for action in job.actions])
        labour = self._labour_of(standard, unit, jobs, actions)
        packs = sum([job.packs_out for job in jobs])
        return Option(
            outcome=OutcomeKind.FIT if actions else OutcomeKind.RELEASE,
            standard=standard.key,
            actions=actions,
            uses=added_up([job.uses for job in jobs]),
            yields=added_up([job.gives for job in jobs]),
            minutes=labour.minutes,
            skills=labour.skills,
            price_cents=sum([job.adds_cents for job in jobs]),
            labour_cents=labour.cents,
            fees_cents=labour.consumables_cents + packs * self.policy.pack_disposal_cents,
            new_only=bool(actions) and self._asks[standard.key].new_only,
            uneven=any([job.uneven for job in jobs]),
        )

    def _labour_of(
        self, standard: Standard, unit: _Unit, jobs: tuple[Job, ...], actions: Alternative
    ) -> _Labour:
        """The work of all actions; reckoned once for all that is the same to the route."""
        work = unit.route, tuple([job.work for job in jobs])
        key = standard.key, work
        known = self._labours.get(key)
        if known is None:
            order = self._orders.get(work)
            if order is None:
                order = self._orders[work] = (
                    self.minutes.by_skill(unit.findings, actions),
                    self.minutes.consumables_cents(unit.findings, actions) if actions else 0,
                )
            skills, used = order
            skills += self._asks[standard.key].work
            minutes = round(sum(one.minutes for one in skills), 2)
            known = self._labours[key] = _Labour(
                skills=skills,
                minutes=minutes,
                cents=round(minutes * self.policy.labour_cents_per_hour / 60),
                consumables_cents=used,
            )
        return known

    def _evenly(self, options: list[Option]) -> list[Option]:
        """The ways to one standard; where none fills all channels, none is the worse for it."""
        slots = set(self._slots)
        filling = (o for o in options if any(a.place in slots and a.kind for a in o.actions))
        if any(not option.uneven for option in filling):
            return options
        return [o.model_copy(update={"uneven": False}) if o.uneven else o for o in options]

    def _uneven(self, findings: Findings, actions: Alternative) -> bool:
        """Whether slots are filled so that channels differ, under the school of matched pairs."""
        if self.policy.filling is not FillingSchool.MATCHED:
            return False
        fitted = {a.place: a.kind for a in actions if a.place in self._slots and a.kind}
        if not fitted:
            return False
        amounts = channel_amounts(self.sheet, findings)
        sizes = dict(self.supply.modules)
        return not even_channels(
            self.sheet,
            findings,
            amounts | {place: sizes[kind].gb for place, kind in fitted.items()},
        )

    def _serves_again(self, action: Action) -> bool:
        """Modules, boards and kit serve the same batch; drives wait for their record first."""
        return self.policy.harvest is not HarvestSchool.NEW_ONLY and action.place not in self._bays

    def sees(self, findings: Findings) -> Hashable:
        """All of the findings that displaced parts, donors and their minutes depend on."""
        slots = [findings.module(slot.key) for slot in self.sheet.memory.slots]
        bays = [findings.drive(place.key) for place in self.sheet.drives_of(findings.trim)]
        return (
            findings.starts,
            findings.soldered_gb,
            tuple([(there.state, there.gb, there.mts, there.maker) for there in slots]),
            tuple([(d.state, d.interface, d.spinning, d.gb, d.length_mm) for d in bays]),
            findings.drive_array,
            tuple([findings.part(part.key) for part in self.sheet.parts_of(findings.trim)]),
            tuple([findings.test(test.key) for test in self.sheet.tests_of(findings.trim)]),
            tuple(
                [built_with(self.sheet, findings, built.aspect) for built in self.sheet.built_with]
            ),
            self.minutes.sees(findings),
        )

    def other_ends(
        self,
        findings: Findings,
        toward: UnitOptions,
        wanted: frozenset[str],
        cheapest_cents: dict[str, int],
        works: tuple[Action, ...],
        later: "OptionBuilder | None" = None,
        anywhere: "OptionBuilder | None" = None,
    ) -> UnitOptions:
        """Hold, donor and recycle.

        A unit that nobody finished looking at, or that waits for a price, is only held. One that
        could still be sold with profit is held rather than recycled when its parts go elsewhere,
        come later, or are still to be found.

        :param wanted: part kinds that some option of the batch uses; a donor gives only those.
        :param cheapest_cents: lowest price of each part kind.
        :param works: all that a donor of these findings could give.
        :param later: builds with the parts that are known to come, too late for this plan.
        :param anywhere: builds with every kind of part that the workshop knows.
        """
        hold = Option(outcome=OutcomeKind.HOLD, fees_cents=self.policy.hold_cents)
        if any(rejection.look_first for rejection in toward.rejections):
            return UnitOptions(options=(hold,), rejections=())
        pays = _best_paying(toward.options, cheapest_cents) is not None
        if not pays and any(rejection.no_price for rejection in toward.rejections):
            # What could be sold waits for its price; nothing is decided about it for want of one.
            return UnitOptions(options=(hold,), rejections=())
        options: list[Option] = []
        rejections: list[Rejection] = []
        waits_for: tuple[str, ...] = ()
        sought: tuple[str, ...] = ()
        sought_cents = 0
        if not pays and later:
            coming = _best_paying(later.toward_standards(findings).options, cheapest_cents)
            if coming:
                pays = True
                waits_for = tuple(p.kind for p in coming.uses if not self.supply.has(p.kind))
        if not pays and anywhere and self._within_reach(findings):
            found = anywhere.toward_standards(findings).options
            sought, sought_cents = sought_for(found, self.supply.has, self.sheet, cheapest_cents)
        if pays or sought:
            shelf = max(0, self.policy.hold_cents - self.policy.recycle_cents)
            kept = {
                "waits_for": waits_for or sought,
                "sought_cents": sought_cents,
                "shelf_cents": shelf,
            }
            options.append(hold.model_copy(update=kept))
            fact = "It can still be sold with profit; held, it waits for its parts."
            if sought:
                labels = listed([self.supply.label(kind) for kind in sought])
                fact = f"It can be sold with profit once somebody has {labels}; held, it waits."
            rejections.append(Rejection(outcome=OutcomeKind.RECYCLE, fact=fact))
        else:
            options.append(
                Option(outcome=OutcomeKind.RECYCLE, fees_cents=self.policy.recycle_cents)
            )
            rejections.append(
                Rejection(outcome=OutcomeKind.HOLD, fact="No part on its way would make it pay.")
            )
        gives = tuple(action for action in works if action.takes_out in wanted)
        if waits_for:
            labels = listed([self.supply.label(kind) for kind in waits_for])
            rejections.append(
                Rejection(
                    outcome=OutcomeKind.DONOR,
                    fact=f"It can be sold with profit once {labels} comes in; it stays whole.",
                )
            )
        elif gives:
            options.append(donor(findings, gives, self.minutes, self.policy))
        else:
            rejections.append(
                Rejection(
                    outcome=OutcomeKind.DONOR,
                    fact="Nothing that works in it is wanted by another unit.",
                )
            )
        return UnitOptions(options=tuple(options), rejections=tuple(rejections))

    def _within_reach(self, findings: Findings) -> bool:
        """Whether some standard could be reached if every part could be had."""
        return any(
            not any(gate.rules_out(self.sheet, findings, self.policy) for gate in standard.gates)
            for standard in self.standards
            if standard.price_cents(self.sheet.key, findings) is not None
        )


def _on_board(sheet: ModelSheet, findings: Findings, board: BoardVariant) -> Findings:
    """The unit with another board in it, before anything else is done to it."""
    return findings.model_copy(
        update={
            "soldered_gb": board.soldered_gb or None,
            "configuration": with_board(sheet, findings.configuration, board),
        }
    )


def _best_paying(options: tuple[Option, ...], cheapest_cents: dict[str, int]) -> Option | None:
    """The option that leaves most with parts at their lowest price; None where all lose."""
    sums = [(o.net_cents - parts_cents(o.uses, cheapest_cents), o) for o in options]
    best = max(sums, key=lambda item: item[0], default=None)
    return best[1] if best and best[0] > 0 else None
