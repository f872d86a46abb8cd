"""Builds the options of one model's units."""

from collections import Counter
from collections.abc import Hashable
from dataclasses import dataclass, replace
from itertools import product

from sortis_core.actions import Action, Verb, after_actions
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
from sortis_core.options.harvest import donor, harvestable
from sortis_core.options.option import (
    Dominated,
    Option,
    OutcomeKind,
    Rejection,
    UnitOptions,
    counts,
)
from sortis_core.options.sought import parts_cents, sought_for
from sortis_core.policy import FillingSchool, HarvestSchool, Policy
from sortis_core.route.check import has_way_to
from sortis_core.route.minutes import RouteMinutes
from sortis_core.sheets import BoardVariant, ModelSheet
from sortis_core.standards import (
    PriceStep,
    Standard,
    asked_aspects,
    by_type,
    distinct_gates,
    is_sold,
    price_sees,
    step_eyes,
)
from sortis_core.supply import Supply


@dataclass(frozen=True, slots=True, kw_only=True)
class _Side:
    """What one type of gate looks at, and what more is paid for there."""

    gates: tuple[GateBase, ...]
    steps: tuple[PriceStep, ...]
    eyes: tuple[Eye, ...]
    """Units that look the same through them have the same ways on this side."""


class OptionBuilder:
    """Builds the options of all units of one model.

    :param prune: drop dominated options; the optimum is the same without.
    """

    def __init__(
        self,
        sheet: ModelSheet,
        supply: Supply,
        standards: tuple[Standard, ...],
        policy: Policy,
        *,
        prune: bool = True,
    ) -> None:
        self.sheet = sheet
        self.supply = supply
        self.standards = standards
        self.policy = policy
        self.prune = prune
        self.minutes = RouteMinutes(sheet, policy)
        self._sides: dict[str, tuple[_Side, ...]] = {}
        self._eyes: dict[str, tuple[Eye, ...]] = {}
        self._toward_standard: dict[Hashable, tuple[list[Option], list[Dominated]] | NoWay] = {}
        self._ways_of_sides: dict[Hashable, tuple[tuple[Alternative, int], ...] | NoWay] = {}
        self._parts = {part.key for part in sheet.parts}
        self._mended_by = {
            test.key: test.repair.kind for test in sheet.tests if test.repair and test.repair.kind
        }
        ranks = [standard.rank for standard in standards]
        self._asked = asked_aspects(standards, sheet)
        self._lowest, self._top = min(ranks, default=0), max(ranks, default=0)

    def toward_standards(
        self, findings: Findings, spare: frozenset[str] = frozenset()
    ) -> UnitOptions:
        """Release and fit options, with the fact against every standard that has none.

        :param spare: part kinds that other units want; what is not needed may come out for those.
        """
        options: list[Option] = []
        rejections: list[Rejection] = []
        dropped: list[Dominated] = []
        seen = self.sees(findings)
        for standard in self.standards:
            try:
                found, beaten = self._known_toward(standard, findings, spare, seen)
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
            dropped += beaten
            options += found
        return UnitOptions(
            options=tuple(options), rejections=tuple(rejections), dominated=tuple(dropped)
        )

    def _known_toward(
        self, standard: Standard, findings: Findings, spare: frozenset[str], seen: Hashable
    ) -> tuple[list[Option], list[Dominated]]:
        """As of :meth:`_toward`, the dominated apart; units that this standard cannot tell apart
        share them, also where another standard can.

        :raises NoWay: as of :meth:`_toward`.
        """
        if standard.key not in self._eyes:
            families = by_type(distinct_gates((standard,)))
            self._eyes[standard.key] = (
                price_sees,
                *(kind.sees(gates, self.sheet, self.policy) for kind, gates in families.items()),
                *step_eyes((standard,), self.sheet, self.policy),
            )
        view = tuple([eye(findings) for eye in self._eyes[standard.key]])
        key = standard.key, spare, view, seen
        known = self._toward_standard.get(key)
        if known is None:
            try:
                found = self._toward(standard, findings, spare)
                known = undominated(found) if self.prune else (found, [])
            except NoWay as refusal:
                known = refusal
            self._toward_standard[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _toward(
        self, standard: Standard, findings: Findings, spare: frozenset[str]
    ) -> list[Option]:
        if findings.grade is None:
            raise LookFirst("The cosmetic grade was not looked at, so there is no price.")
        price = standard.price_cents(self.sheet.key, findings)
        if price is None and is_sold(self.standards, self.sheet.key, findings):
            raise NoWay(f"{standard.name} has no price for this model in grade {findings.grade}.")
        verdicts = [gate.verdict(self.sheet, findings, self.policy) for gate in standard.gates]
        if unseen := [said for said in verdicts if said.unseen]:
            for gate in standard.gates:
                if fact := gate.rules_out(self.sheet, findings, self.policy):
                    raise NoWay(f"Whatever is found, {fact}.")
            raise LookFirst(listed([said.sentence for said in unseen]) + ": look first.")
        try:
            swaps = board_swaps(self.sheet, findings, self.supply, self.policy, self._asked)
        except NoWay as refusal:
            raise self._for_good(standard, findings, spare) or refusal from None
        starts: list[tuple[Findings, Alternative]] = [(findings, ())]
        starts += [(_on_board(self.sheet, findings, board), (action,)) for board, action in swaps]
        options: list[Option] = []
        refusals: list[NoWay] = []
        for seen, board in starts:
            try:
                options += self._fillings(standard, seen, board, price or 0, spare)
            except NoWay as refusal:
                refusals.append(refusal)
        if not options:
            # That a board is needed is no fact against it while there is one.
            said = next((r for r in refusals if not isinstance(r, NeedsBoard)), refusals[0])
            raise self._for_good(standard, findings, spare) or said
        if price is None:
            raise NoPrice(f"No price for this model in grade {findings.grade}.")
        return self._evenly(options)

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
        self,
        standard: Standard,
        findings: Findings,
        board: Alternative,
        price: int,
        spare: frozenset[str],
    ) -> list[Option]:
        """All ways to close the gates of one standard, with the board settled."""
        asked = self._asked_of(standard, findings, spare, board=bool(board))
        fill = self._fill(standard, asked)
        complete = [gate for gate in standard.gates if gate.phase is Phase.COMPLETE]
        completed: dict[tuple[frozenset[str], frozenset[str]], list[Alternative]] = {}
        options: list[Option] = []
        refusal: NoWay | None = None
        for chosen in product(*fill):
            actions = tuple(action for way, _ in chosen for action in way)
            worth = sum(adds for _, adds in chosen)
            filled = frozenset(a.place for a in actions if a.verb is Verb.FIT)
            emptied = frozenset(a.place for a in actions if a.verb is Verb.TAKE_OUT)
            places = filled, emptied
            try:
                if places not in completed:
                    last = replace(asked, filled=filled, emptied=emptied)
                    completed[places] = [
                        tuple(action for part in rest for action in part)
                        for rest in product(*(gate.ways(last) for gate in complete))
                    ]
                whole = (self._once((*board, *actions, *rest)) for rest in completed[places])
                for every in dict.fromkeys(whole):
                    self._reached(findings, every)
                    options.append(self._option(standard, findings, every, price + worth))
            except NoWay as reason:
                refusal = reason
        if not options and refusal:
            raise refusal
        return options

    def _fill(self, standard: Standard, asked: Asked) -> list[tuple[tuple[Alternative, int], ...]]:
        """For each side of a unit the ways to meet its gate and to reach what more is paid for.

        Each with what the price rises by it, in cents. Gates of one type look at one side, which
        no other type changes, so that a way is judged once and not once for every combination.

        :raises NoWay: where a gate cannot be met.
        """
        return [self._side(side, standard, asked) for side in self._sides_of(standard)]

    def _sides_of(self, standard: Standard) -> tuple[_Side, ...]:
        """The sides that gates and steps of a standard look at, in the order of its gates."""
        if standard.key not in self._sides:
            steps = standard.steps_for(self.sheet)
            gates: list[GateBase] = [g for g in standard.gates if g.phase is Phase.FILL]
            every: list[GateBase] = [*gates, *(step.gate for step in steps)]
            found: list[_Side] = []
            for side in dict.fromkeys(gate.side for gate in every):
                alike = tuple(gate for gate in gates if gate.side == side)
                paid = tuple(step for step in steps if step.gate.side == side)
                kind = type((*alike, *(step.gate for step in paid))[0])
                eyes = [kind.sees(alike, self.sheet, self.policy)] if alike else []
                for step in paid:
                    policy = step.reckoned(self.policy)
                    eyes.append(kind.sees((step.gate,), self.sheet, policy))
                found.append(_Side(gates=alike, steps=paid, eyes=tuple(eyes)))
            self._sides[standard.key] = tuple(found)
        return self._sides[standard.key]

    def _side(
        self, side: _Side, standard: Standard, asked: Asked
    ) -> tuple[tuple[Alternative, int], ...]:
        """The ways of one side; units that look the same to its gates share them.

        :raises NoWay: where its gate cannot be met.
        """
        seen = tuple([eye(asked.findings) for eye in side.eyes])
        # What comes out is told apart by more than what its gate looks at: its speed, its maker.
        slots = tuple([asked.findings.module(slot.key) for slot in self.sheet.memory.slots])
        key = (standard.key, id(side), asked.board, asked.spare, seen, slots)
        known = self._ways_of_sides.get(key)
        if known is None:
            try:
                known = self._worked_out(side, asked)
            except NoWay as refusal:
                known = refusal
            self._ways_of_sides[key] = known
        if isinstance(known, NoWay):
            raise known
        return known

    def _worked_out(self, side: _Side, asked: Asked) -> tuple[tuple[Alternative, int], ...]:
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
        return tuple((way, self._adds(asked, way, side.steps)) for way in ways)

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

    def _once(self, actions: Alternative) -> Alternative:
        """A part that is missing and is also why a test fails goes in once."""
        if not any(action.place in self._mended_by for action in actions):
            return actions
        fitted = {a.kind for a in actions if a.kind and a.place in self._parts}
        served = {kind for one in fitted for kind in (one, *self.supply.kinds[one].instead_of)}
        return tuple(a for a in actions if self._mended_by.get(a.place) not in served)

    def _reached(self, findings: Findings, actions: Alternative) -> None:
        """Refuse work on what the sheet knows no way to, and on drives that somebody must ask of.

        :raises NoWay: naming the place.
        """
        if question := array_question(self.sheet, findings, [a.place for a in actions]):
            raise LookFirst(question)
        for action in actions:
            if not has_way_to(self.sheet, action.place):
                raise NoWay(
                    f"The sheet does not say how {self.sheet.label_of(action.place)} is reached. "
                    "Add it to the route under Sheets."
                )

    def _option(
        self, standard: Standard, findings: Findings, actions: Alternative, price: int
    ) -> Option:
        skills = list(self.minutes.by_skill(findings, actions))
        skills += [one for gate in standard.gates for one in gate.work(self.policy)]
        minutes = round(sum(one.minutes for one in skills), 2)
        school = self.policy.harvest
        return Option(
            outcome=OutcomeKind.FIT if actions else OutcomeKind.RELEASE,
            standard=standard.key,
            actions=actions,
            uses=counts(Counter(kind for action in actions for _, kind in action.parts)),
            yields=counts(
                Counter(
                    action.takes_out
                    for action in actions
                    if action.takes_out and self._serves_again(action)
                )
            ),
            minutes=minutes,
            skills=tuple(skills),
            price_cents=price,
            labour_cents=self._labour(minutes),
            fees_cents=self._fees(findings, actions),
            new_only=bool(actions)
            and (
                school is HarvestSchool.NEW_ONLY
                or (school is HarvestSchool.NEW_FOR_TOP and standard.rank == self._top)
            ),
            uneven=self._uneven(findings, actions),
        )

    def _fees(self, findings: Findings, actions: Alternative) -> int:
        """Consumables of the route, and the disposal of packs that come out."""
        packs = {place.key for place in self.sheet.packs}
        out = sum(1 for a in actions if a.place in packs and a.takes_out_label)
        used = self.minutes.consumables_cents(findings, actions) if actions else 0
        return used + out * self.policy.pack_disposal_cents

    def _evenly(self, options: list[Option]) -> list[Option]:
        """The ways to one standard; where none fills all channels, none is the worse for it."""
        slots = {slot.key for slot in self.sheet.memory.slots}
        filling = (o for o in options if any(a.place in slots and a.kind for a in o.actions))
        if any(not option.uneven for option in filling):
            return options
        return [o.model_copy(update={"uneven": False}) if o.uneven else o for o in options]

    def _uneven(self, findings: Findings, actions: Alternative) -> bool:
        """Whether slots are filled so that channels differ, under the school of matched pairs."""
        if self.policy.filling is not FillingSchool.MATCHED:
            return False
        slots = {slot.key for slot in self.sheet.memory.slots}
        fitted = {a.place: a.kind for a in actions if a.place in slots and a.kind}
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
        drives = {place.key for place in self.sheet.drives}
        return self.policy.harvest is not HarvestSchool.NEW_ONLY and action.place not in drives

    def _labour(self, minutes: float) -> int:
        return round(minutes * self.policy.labour_cents_per_hour / 60)

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
        later: "OptionBuilder | None" = None,
        anywhere: "OptionBuilder | None" = None,
    ) -> UnitOptions:
        """Hold, donor and recycle.

        A unit that nobody finished looking at, or that waits for a price, is only held. One that
        could still be sold with profit is held rather than recycled when its parts go elsewhere,
        come later, or are still to be found.

        :param wanted: part kinds that some option of the batch uses; a donor gives only those.
        :param cheapest_cents: lowest price of each part kind.
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
        gives = tuple(
            action
            for action in harvestable(self.sheet, findings, self.supply, self.policy)
            if action.takes_out in wanted
        )
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
