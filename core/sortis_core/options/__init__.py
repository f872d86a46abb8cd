"""All ways one unit could end, each with its actions, minutes and price, and why others cannot."""

from collections import Counter
from itertools import product

from sortis_core.actions import Action, module_kind
from sortis_core.assess import assess
from sortis_core.assess.verdict import GateState
from sortis_core.base import listed
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.options.fillings import (
    LookFirst,
    NoWay,
    drive_fillings,
    memory_fillings,
    missing_parts,
    pack_fillings,
    repairs,
)
from sortis_core.options.option import (
    Option,
    OutcomeKind,
    PartCount,
    Rejection,
    UnitOptions,
)
from sortis_core.route.minutes import RouteMinutes
from sortis_core.sheets import ModelSheet
from sortis_core.standards import (
    HarvestSchool,
    MemoryGate,
    PackGate,
    PartsGate,
    Policy,
    SolidDriveGate,
    Standard,
)
from sortis_core.stock import PartKind

__all__ = ["Option", "OptionBuilder", "OutcomeKind", "PartCount", "Rejection", "UnitOptions"]


class OptionBuilder:
    """Builds the options of all units of one model.

    :param obtainable: part kinds of which at least one is in stock, on offer or to be harvested.
    """

    def __init__(
        self,
        sheet: ModelSheet,
        kinds: dict[str, PartKind],
        standards: tuple[Standard, ...],
        policy: Policy,
        obtainable: frozenset[str],
    ) -> None:
        self.sheet = sheet
        self.kinds = kinds
        self.standards = standards
        self.policy = policy
        self.obtainable = obtainable
        self.minutes = RouteMinutes(sheet, policy)

    def toward_standards(self, findings: Findings) -> UnitOptions:
        """Release and fit options, with the fact against every standard that has none."""
        options: list[Option] = []
        rejections: list[Rejection] = []
        for standard in self.standards:
            try:
                options += self._toward(standard, findings)
            except NoWay as refusal:
                rejections.append(
                    Rejection(
                        outcome=OutcomeKind.FIT,
                        standard=standard.key,
                        fact=refusal.sentence,
                        look_first=isinstance(refusal, LookFirst),
                    )
                )
        return UnitOptions(options=tuple(options), rejections=tuple(rejections))

    def _toward(self, standard: Standard, findings: Findings) -> list[Option]:
        if findings.grade is None:
            raise LookFirst("The cosmetic grade was not looked at, so there is no price.")
        price = standard.price_cents(self.sheet.key, findings.grade)
        if price is None:
            raise NoWay(f"{standard.name} has no price for this model in grade {findings.grade}.")
        verdict = assess(self.sheet, findings, (standard,), self.policy).verdicts[0]
        if unknown := verdict.in_state(GateState.UNKNOWN):
            raise LookFirst(listed([gate.sentence for gate in unknown]) + ": look first.")
        short = {gate.gate: gate for gate in verdict.in_state(GateState.SHORT)}
        choices: list[list[tuple[Action, ...]]] = []
        repaired = repairs(self.sheet, findings, self.obtainable, self.kinds)
        for gate in standard.gates:
            if gate.type not in short:
                continue
            if isinstance(gate, MemoryGate):
                choices.append(
                    memory_fillings(
                        self.sheet, findings, gate, self.kinds, self.obtainable, self.policy
                    )
                )
            elif isinstance(gate, SolidDriveGate):
                choices.append(
                    drive_fillings(self.sheet, findings, gate, self.kinds, self.obtainable)
                )
            elif isinstance(gate, PackGate):
                choices.append(
                    pack_fillings(
                        self.sheet, findings, gate, short[gate.type], self.kinds, self.obtainable
                    )
                )
        options: list[Option] = []
        refusal: NoWay | None = None
        wants_parts = any(isinstance(gate, PartsGate) for gate in standard.gates)
        for chosen in product(*choices):
            actions = tuple(action for part in chosen for action in part)
            filled = frozenset(a.place for a in actions if a.verb == "fit")
            try:
                kit = (
                    missing_parts(self.sheet, findings, filled, self.obtainable, self.kinds)
                    if wants_parts
                    else ()
                )
            except NoWay as reason:
                refusal = reason
                continue
            options.append(self._option(standard, findings, (*actions, *kit, *repaired), price))
        if not options and refusal:
            raise refusal
        return options

    def _option(
        self, standard: Standard, findings: Findings, actions: tuple[Action, ...], price: int
    ) -> Option:
        minutes = self.minutes.of(findings.trim, actions)
        uses = Counter(action.kind for action in actions if action.kind)
        yields = Counter(
            action.takes_out
            for action in actions
            if action.takes_out and self._serves_again(action)
        )
        return Option(
            outcome=OutcomeKind.FIT if actions else OutcomeKind.RELEASE,
            standard=standard.key,
            actions=actions,
            uses=_counts(uses),
            yields=_counts(yields),
            minutes=minutes,
            price_cents=price,
            labour_cents=self._labour(minutes),
        )

    def _serves_again(self, action: Action) -> bool:
        """Modules serve the same batch; drives wait for their sanitising record first."""
        slots = {slot.key for slot in self.sheet.memory.slots}
        return self.policy.harvest is HarvestSchool.AFTER_TEST and action.place in slots

    def _labour(self, minutes: float) -> int:
        return round(minutes * self.policy.labour_cents_per_hour / 60)

    def harvestable(self, findings: Findings) -> tuple[Action, ...]:
        """What a donor of these findings could give: working modules and required parts.

        Packs never (policy), drives not before they are sanitised.
        """
        if self.policy.harvest is HarvestSchool.NEW_ONLY:
            return ()
        out: list[Action] = []
        for slot in self.sheet.memory.slots:
            there = findings.module(slot.key)
            kind = module_kind(there, self.sheet, self.kinds)
            if there.state is PlaceState.PRESENT and kind:
                out.append(
                    Action(
                        verb="take out",
                        place=slot.key,
                        takes_out=kind,
                        takes_out_label=self.kinds[kind].label,
                    )
                )
        for part in self.sheet.parts_of(findings.trim):
            if findings.part(part.key) is PartState.PRESENT and part.kind in self.kinds:
                out.append(
                    Action(
                        verb="take out",
                        place=part.key,
                        takes_out=part.kind,
                        takes_out_label=self.kinds[part.kind].label,
                    )
                )
        return tuple(out)

    def other_ends(
        self,
        findings: Findings,
        toward: UnitOptions,
        wanted: frozenset[str],
        cheapest_cents: dict[str, int],
    ) -> UnitOptions:
        """Hold, donor and recycle.

        A unit that nobody finished looking at is only held. One that could still be sold with
        profit is held rather than recycled when its parts go elsewhere.

        :param wanted: part kinds that some option of the batch uses; a donor gives only those.
        :param cheapest_cents: lowest price of each part kind.
        """
        hold = Option(outcome=OutcomeKind.HOLD, fees_cents=self.policy.hold_cents)
        if any(rejection.look_first for rejection in toward.rejections):
            return UnitOptions(options=(hold,), rejections=())
        options: list[Option] = []
        rejections: list[Rejection] = []
        profits = [
            o.net_cents - sum(cheapest_cents[p.kind] * p.count for p in o.uses)
            for o in toward.options
        ]
        if any(profit > 0 for profit in profits):
            options.append(hold)
            rejections.append(
                Rejection(
                    outcome=OutcomeKind.RECYCLE,
                    fact="It can still be sold with profit; held, it waits for its parts.",
                )
            )
        else:
            options.append(
                Option(outcome=OutcomeKind.RECYCLE, fees_cents=self.policy.recycle_cents)
            )
            rejections.append(
                Rejection(outcome=OutcomeKind.HOLD, fact="No part on its way would make it pay.")
            )
        gives = tuple(a for a in self.harvestable(findings) if a.takes_out in wanted)
        if gives:
            minutes = self.minutes.of(findings.trim, gives, donor=True)
            options.append(
                Option(
                    outcome=OutcomeKind.DONOR,
                    actions=gives,
                    yields=_counts(Counter(action.takes_out for action in gives)),
                    minutes=minutes,
                    labour_cents=self._labour(minutes),
                    fees_cents=self.policy.recycle_cents,
                )
            )
        else:
            rejections.append(
                Rejection(
                    outcome=OutcomeKind.DONOR,
                    fact="Nothing that works in it is wanted by another unit.",
                )
            )
        return UnitOptions(options=tuple(options), rejections=tuple(rejections))


def _counts(counter: Counter[str]) -> tuple[PartCount, ...]:
    return tuple(PartCount(kind=kind, count=count) for kind, count in sorted(counter.items()))
