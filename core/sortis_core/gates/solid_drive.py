"""A solid-state drive of at least a size (docs/rules.md, Storage)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from pydantic import Field

from sortis_core.actions import Action, Verb
from sortis_core.facts.storage import is_solid, storage_facts
from sortis_core.findings import Findings, PlaceState
from sortis_core.gates.fit_to_leave import FAULTY_DRIVE
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Neighbour, half_and_twice
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked, NoWay
from sortis_core.policy import Policy, SpinningSchool
from sortis_core.sheets import Connector, DrivePlace, Interface, ModelSheet
from sortis_core.supply import Supply


class SolidDriveGate(GateBase):
    """A solid-state drive of at least this size; eMMC and spinning disks do not count."""

    question: ClassVar[str] = "drive"
    examples: ClassVar[Examples] = ({"min_gb": 128}, {"min_gb": 256})
    type: Literal["solid_drive"] = "solid_drive"
    min_gb: int = Field(gt=0, le=100_000)

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """What each bay and socket of the trim holds, wear apart."""

        def eye(findings: Findings) -> Hashable:
            found = [findings.drive(place.key) for place in sheet.drives_of(findings.trim)]
            return findings.trim, tuple(
                [(d.state, d.interface, d.spinning, d.gb, d.length_mm) for d in found]
            )

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Hold the largest solid-state drive that works against the gate."""
        facts = storage_facts(sheet, findings)
        size = f"Solid-state {facts.solid_gb} of {self.min_gb} GB"
        if facts.solid_gb >= self.min_gb:
            return self._says(GateState.MET, size)
        if facts.unseen:
            unseen = f"{sheet.label_of(facts.unseen[0])} not looked at"
            return self._says(GateState.UNKNOWN, unseen, facts.unseen)
        return self._says(GateState.SHORT, size, [drive.key for drive in sheet.drives])

    def ways(self, asked: Asked) -> list[Alternative]:
        """Every drive to be had in every place that takes it.

        A spinning disk comes out where a new drive carries the system, or may stay as second drive
        in the lowest standard, by the school.

        :raises NoWay: with the fact (no socket takes what can be had).
        """
        sheet, findings, supply = asked.sheet, asked.findings, asked.supply
        stays = asked.policy.spinning is SpinningSchool.SECOND_IN_LOWEST and asked.lowest
        places = sheet.drives_of(findings.trim)
        disks = [
            Action(
                verb=Verb.TAKE_OUT,
                place=place.key,
                takes_out=supply.drive_kind(there, place),
                takes_out_label=f"spinning {there.gb} GB disk",
            )
            for place in places
            for there in [findings.drive(place.key)]
            if there.state is PlaceState.PRESENT and there.spinning and not is_solid(there)
        ]
        if storage_facts(sheet, findings).solid_gb >= self.min_gb:
            return NOTHING_TO_DO
        found: list[Alternative] = []
        unfit: list[str] = []
        lacking: list[str] = []
        for place in places:
            state = findings.drive(place.key).state
            if state is PlaceState.DEAD:
                unfit.append(f"{place.label} is dead.")
                continue
            if state is PlaceState.RADIO:
                unfit.append(f"{place.label} holds the radio card.")
                continue
            for kind, drive in supply.drives:
                if drive.spinning or drive.gb < self.min_gb:
                    continue
                refusal = drive.refusal(place)
                bracket = supply.bracket_for(drive, place) if refusal else ""
                if refusal and not bracket:
                    if supply.has(kind) and drive.connector is place.connector:
                        unfit.append(refusal)
                    continue
                if not supply.has(kind):
                    lacking.append(f"No {supply.label(kind)} in stock or on offer.")
                    continue
                fitted = _fit(findings, place, kind, bracket, supply)
                elsewhere = [action for action in disks if action.place != place.key]
                found.append((fitted, *elsewhere))
                if stays and elsewhere:
                    found.append((fitted,))
        if not found:
            raise NoWay(
                [*unfit, *lacking][0]
                if unfit or lacking
                else f"No drive of {self.min_gb} GB or more fits a socket of this model."
            )
        return found

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """No socket or bay of the trim takes a drive so large."""
        limits = [
            place.limit_gb
            for place in sheet.drives_of(findings.trim)
            if place.connector is not Connector.EMMC
        ]
        if max(limits, default=0) >= self.min_gb:
            return ""
        return f"no socket takes a drive of {self.min_gb} GB"

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Some drive that works, stands still, is no eMMC and is large enough."""
        large = False
        for drive in after.drives.values():
            still = not drive.spinning and drive.interface in (Interface.SATA, Interface.NVME)
            if drive.state is PlaceState.PRESENT and still and (drive.gb or 0) >= self.min_gb:
                large = True
        return Audited(fault="" if large else f"no solid-state drive of {self.min_gb} GB is in it")

    def neighbours(self) -> tuple[Neighbour, ...]:
        """Half of it and twice of it."""
        return half_and_twice(self, self.min_gb)


def _fit(findings: Findings, place: DrivePlace, kind: str, bracket: str, supply: Supply) -> Action:
    there = findings.drive(place.key)
    held = there.state is PlaceState.PRESENT
    label = f"{there.interface} {there.gb} GB drive" if held else ""
    if there.state is PlaceState.FAULTY:
        label = FAULTY_DRIVE
    return Action(
        verb=Verb.FIT,
        place=place.key,
        kind=kind,
        takes_out=supply.drive_kind(there, place) if held else "",
        takes_out_label=label,
        installs_system=True,
        extras=(bracket,) if bracket else (),
    )
