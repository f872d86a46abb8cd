"""Packs healthy enough, or lasting long enough together (docs/rules.md, Pack)."""

from collections.abc import Hashable, Sequence
from fractions import Fraction
from itertools import product
from typing import ClassVar, Literal, Self

from pydantic import Field

from sortis_core.actions import Action, Verb
from sortis_core.facts.battery import PackFigures, battery_facts, nearest_variant
from sortis_core.facts.figures import exact, short_of
from sortis_core.findings import Findings, PackFinding, PlaceState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Neighbour, Notch
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, NoWay
from sortis_core.policy import BatterySchool, Policy
from sortis_core.sheets import ModelSheet, PackPlace
from sortis_core.supply import Supply

HEALTH_STEP_PERCENT = 5


class PackGate(GateBase):
    """Each pack of the model present and at least this healthy.

    Under the school of runtime the packs together must last ``min_runtime_hours`` at the sheet's
    typical draw instead; where the standard names no hours, health decides.
    """

    question: ClassVar[str] = "pack health"
    examples: ClassVar[Examples] = (
        {"min_health_percent": 80, "min_runtime_hours": 4.0},
        {"min_health_percent": 65, "max_cycles": 500},
    )
    type: Literal["pack"] = "pack"
    min_health_percent: int = Field(gt=0, le=100)
    max_cycles: int | None = Field(default=None, ge=0, le=10_000)
    min_runtime_hours: float | None = Field(default=None, gt=0, le=100)

    def by_runtime(self, sheet: ModelSheet, policy: Policy) -> bool:
        """Whether the school of runtime decides; without a known draw health does."""
        wanted = policy.battery is BatterySchool.RUNTIME and self.min_runtime_hours is not None
        return wanted and bool(sheet.draw)

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Every pack's figures, as the verdict writes them, on the right side of every gate."""
        decides = cls.sees(gates, sheet, policy)
        percents = [gate.min_health_percent for gate in gates]
        limits = [gate.max_cycles for gate in gates if gate.max_cycles is not None]
        most = min(limits, default=None)

        def eye(findings: Findings) -> Hashable:
            found = [findings.pack(place.key) for place in sheet.packs_of(findings.trim)]
            return decides(findings), tuple([_said(pack, percents, most) for pack in found])

        return eye

    @classmethod
    def sees(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """On which side of every gate each pack lies, whether by its health or by its cycles.

        Where hours count, whether it lasts those of each gate where it is the only one, since what
        comes in its place does not add to it; the energy itself where hours of several are summed.
        """
        lasting = [gate for gate in gates if gate.by_runtime(sheet, policy)]
        by_health = _limits([gate for gate in gates if gate not in lasting])
        every = _limits(gates)
        watts = exact(sheet.draw[0].watts) if sheet.draw else Fraction(1)
        hours = sorted({gate.min_runtime_hours or 0.0 for gate in lasting})
        wanted = [exact(one) * watts for one in hours]

        def side(place: PackPlace, pack: PackFinding, alone: bool) -> Hashable:
            if pack.state is not PlaceState.PRESENT:
                return pack.state
            # What a unit counts in is not its energy: 3400 mAh at 11.1 V are more than at 10.8 V.
            full = pack.in_wh(pack.full, _volts(place, pack)) if wanted else None
            if full is None or not alone:
                return _passes(pack, every), full
            return _passes(pack, by_health), tuple([exact(full) >= least for least in wanted])

        def eye(findings: Findings) -> Hashable:
            places = sheet.packs_of(findings.trim)
            alone = len(places) == 1
            return tuple([side(place, findings.pack(place.key), alone) for place in places])

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Hold each pack alone against the gate; the worst one speaks.

        Under the school of runtime all packs are held against the hours together.
        """
        packs = battery_facts(sheet, findings).packs
        if not packs:
            return self._says(GateState.MET, "This model has no pack")
        if self.by_runtime(sheet, policy) and (said := self._lasts(sheet, packs)):
            return said
        want = self.min_health_percent
        short: list[tuple[str, str]] = []
        unknown: list[tuple[str, str]] = []
        lowest: float | None = None
        for pack in packs:
            label = sheet.label_of(pack.place)
            if pack.state is PlaceState.UNSEEN:
                unknown.append((pack.place, f"{label} not looked at"))
            elif pack.state is not PlaceState.PRESENT or pack.health_percent is None:
                words = {PlaceState.EMPTY: "missing", PlaceState.HAZARD: "dangerous"}
                short.append((pack.place, f"{label} {words.get(pack.state, 'does not charge')}"))
            else:
                lowest = min(pack.health_percent, 100 if lowest is None else lowest)
                if pack.health_percent < want:
                    health = short_of(pack.health_percent, want)
                    short.append((pack.place, f"{label} {health} of {want} %"))
                elif self.max_cycles is not None:
                    within = _within(findings.pack(pack.place), self.max_cycles)
                    if within is None:
                        unknown.append((pack.place, f"{label}: cycles not read"))
                    elif not within:
                        cycles = f"{pack.cycles} of at most {self.max_cycles} cycles"
                        short.append((pack.place, f"{label} {cycles}"))
        unseen = [place for place, _ in unknown]
        if short:
            sentence = "; ".join(words for _, words in (*short, *unknown))
            return self._says(GateState.SHORT, sentence, [place for place, _ in short], unseen)
        if unknown:
            return self._says(GateState.UNKNOWN, unknown[0][1], unseen)
        return self._says(GateState.MET, f"Pack {lowest:.0f} of {want} %")

    def _lasts(self, sheet: ModelSheet, packs: Sequence[PackFigures]) -> GateVerdict | None:
        """All packs together against the hours; None while one is absent, faulty or unseen."""
        if any(p.state is not PlaceState.PRESENT or p.full_wh is None for p in packs):
            return None
        wanted = self.min_runtime_hours or 0
        energy = sum(exact(p.full_wh or 0.0) for p in packs)
        hours = float(energy / exact(sheet.draw[0].watts))
        sentence = f"Lasts {short_of(hours, wanted, 1)} of {wanted:g} h"
        if hours >= wanted:
            return self._says(GateState.MET, sentence)
        return self._says(GateState.SHORT, sentence, [pack.place for pack in packs])

    def ways(self, asked: Asked) -> list[Alternative]:
        """Replace every pack that is short; each place may take any variant of the sheet.

        By runtime, packs are replaced until all of them together last long enough.

        :raises NoWay: where no fitting pack can be had.
        """
        sheet, findings, policy = asked.sheet, asked.findings, asked.policy
        verdict = self.verdict(sheet, findings, policy)
        if verdict.state is not GateState.SHORT:
            return NOTHING_TO_DO
        lasting = self.by_runtime(sheet, policy)
        choices: list[list[tuple[Action | None, float]]] = []
        for place in sheet.packs_of(findings.trim):
            there = findings.pack(place.key)
            kept = there.in_wh(there.full, _volts(place, there))
            present = there.state is PlaceState.PRESENT
            choice: list[tuple[Action | None, float]] = []
            if place.key not in verdict.places or (lasting and present):
                choice.append((None, kept or 0.0))
            if place.key in verdict.places:
                takes_out = present or there.state is PlaceState.FAULTY
                choice += _variants(place, takes_out, asked.supply)
            if not choice:
                families = ", ".join(variant.family for variant in place.variants)
                raise NoWay(f"No pack of family {families} in stock or on offer.")
            choices.append(choice)
        found = [
            (tuple(action for action, _ in chosen if action), sum(exact(wh) for _, wh in chosen))
            for chosen in product(*choices)
        ]
        if lasting and self.min_runtime_hours is not None:
            watts = exact(sheet.draw[0].watts)
            wanted = exact(self.min_runtime_hours)
            # Of a single pack only what comes in its place: units with others in share the fact.
            most = max((wh for actions, wh in found if actions), default=None)
            found = [(actions, wh) for actions, wh in found if wh / watts >= wanted]
            if not found and most is None:
                raise NoWay("No pack that lasts longer is in stock or on offer.")
            if not found and most is not None:
                hours = short_of(float(most / watts), self.min_runtime_hours, 1)
                raise NoWay(
                    f"With the packs that can be had it lasts {hours} h; the gate wants "
                    f"{self.min_runtime_hours:g} h."
                )
        return [actions for actions, _ in found if actions]

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing: a pack can always be another one."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Full charge against the share of the design, or the sum of all against watt and hours."""
        trim_packs = [p for p in sheet.packs if not p.trims or after.trim in p.trims]
        energy = Fraction(0)
        for place in trim_packs:
            pack = after.packs.get(place.key)
            if pack is None or pack.state is not PlaceState.PRESENT or not pack.full:
                return Audited(fault=f"{place.key} holds no pack that works")
            volts = pack.volts
            if pack.measured_in == "mAh" and volts is None:
                amps = Fraction(str(pack.design or 0)) / 1000
                off = [
                    abs(amps * Fraction(str(kind.volts)) / Fraction(str(kind.design_wh)) - 1)
                    for kind in place.variants
                ]
                near = off.index(min(off)) if min(off) <= Fraction(5, 100) else 0
                volts = place.variants[near].volts
            across = Fraction(str(volts or 0)) / 1000 if pack.measured_in == "mAh" else 1
            energy += Fraction(str(pack.full)) * across
        hours = self.min_runtime_hours
        if trim_packs and sheet.draw and hours and policy.battery is BatterySchool.RUNTIME:
            lasts = energy / Fraction(str(sheet.draw[0].watts))
            enough = lasts >= Fraction(str(hours))
            return Audited(fault="" if enough else f"it lasts {float(lasts):g} and not {hours:g} h")
        for place in trim_packs:
            pack = after.packs[place.key]
            if pack.full is None or not pack.design:
                return Audited(fault=f"nobody knows how healthy {place.key} is")
            share = Fraction(str(pack.full)) / Fraction(str(pack.design))
            if share * 100 < self.min_health_percent:
                return Audited(
                    fault=f"{place.key} is less than {self.min_health_percent} % healthy"
                )
            if self.max_cycles is None or pack.uncounted:
                continue
            if pack.cycles is None:
                return Audited(fault=f"nobody read the cycles of {place.key}")
            if pack.cycles > self.max_cycles:
                return Audited(fault=f"{place.key} has more than {self.max_cycles} cycles")
        return Audited(fault="")

    def notch(self) -> Notch | None:
        """On the packs, at the health asked for."""
        return Notch(at=self.min_health_percent / 100)

    def neighbours(self) -> tuple[Neighbour, ...]:
        """Five percent milder and stricter."""
        now = self.min_health_percent
        return tuple(
            Neighbour(
                gate=self.model_copy(update={"min_health_percent": percent}),
                now=f"{now} %",
                then=f"{percent} %",
            )
            for percent in (now - HEALTH_STEP_PERCENT, now + HEALTH_STEP_PERCENT)
        )


def _volts(place: PackPlace, pack: PackFinding) -> float | None:
    """Volts that turn the pack's mAh into Wh where its own label was not read."""
    if pack.measured_in == "Wh" or pack.volts:
        return None
    return (nearest_variant(place, pack) or place.variants[0]).volts


def _said(pack: PackFinding, percents: Sequence[int], most_cycles: int | None) -> Hashable:
    """The figures of one pack as verdicts write them; cycles only where they may be too many."""
    health = pack.health_percent
    within = None if most_cycles is None else _within(pack, most_cycles)
    cycles = (within, pack.cycles if within is False else None)
    if health is None:
        return pack.state, cycles
    return tuple([short_of(health, percent) for percent in percents]), f"{health:.0f}", cycles


def _limits(gates: Sequence[PackGate]) -> tuple[tuple[int, int | None], ...]:
    return tuple(dict.fromkeys((gate.min_health_percent, gate.max_cycles) for gate in gates))


def _passes(pack: PackFinding, limits: Sequence[tuple[int, int | None]]) -> Hashable:
    """For each limit whether the pack is within it; None where its cycles were not read."""
    health = pack.health_percent
    if health is None:
        return None
    return tuple(
        [
            health >= percent and (cycles is None or _within(pack, cycles))
            for percent, cycles in limits
        ]
    )


def _within(pack: PackFinding, most: int) -> bool | None:
    """Whether the pack has few enough cycles; None where nobody read them.

    A pack that counts none is judged by its health alone: somebody looked, and there is nothing.
    """
    if pack.uncounted:
        return True
    return None if pack.cycles is None else pack.cycles <= most


def _variants(
    place: PackPlace, takes_out: bool, supply: Supply
) -> list[tuple[Action | None, float]]:
    needs = {variant.family: variant.needs_kinds for variant in place.variants}
    return [
        (
            Action(
                verb=Verb.FIT,
                place=place.key,
                kind=key,
                takes_out_label="worn pack" if takes_out else "",
                extras=tuple(supply.serving(kind)[0] for kind in needs[facts.family]),
            ),
            facts.design_wh,
        )
        for key, facts in supply.packs
        if supply.has(key)
        and not facts.refusal(place)
        and all(supply.serving(kind) for kind in needs[facts.family])
    ]
