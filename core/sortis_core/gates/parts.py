"""Nothing on the sheet's required list is missing or broken (docs/rules.md, Missing parts)."""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.actions import Action, Verb
from sortis_core.facts.completeness import lacking_parts, required_parts
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Phase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import Alternative, Asked, NoWay
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet, RequiredPart


class PartsGate(GateBase):
    """Nothing on the sheet's required list is missing or broken."""

    phase: ClassVar[Phase] = Phase.COMPLETE
    question: ClassVar[str] = "required parts"
    examples: ClassVar[Examples] = ({},)
    type: Literal["parts"] = "parts"

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Every part of the trim, and which bays hold a drive: only then is their kit required."""

        def eye(findings: Findings) -> Hashable:
            parts = sheet.parts_of(findings.trim)
            return findings.trim, tuple(
                [(findings.part(part.key), _wanted(part, findings)) for part in parts]
            )

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Nothing missing, nothing broken, everything looked at."""
        if lacking := lacking_parts(sheet, findings):
            said = [
                f"{part.label} {findings.part(part.key)}"
                if findings.part(part.key) is not PartState.PRESENT
                else f"{part.label} goes with it"
                for part in lacking
            ]
            return self._says(GateState.SHORT, ", ".join(said), [part.key for part in lacking])
        needed = required_parts(sheet, findings)
        unseen = [part for part in needed if findings.part(part.key) is PartState.UNSEEN]
        if unseen:
            more = f" and {len(unseen) - 1} more" if len(unseen) > 1 else ""
            sentence = f"{unseen[0].label}{more} not looked at"
            return self._says(GateState.UNKNOWN, sentence, [part.key for part in unseen])
        return self._says(GateState.MET, f"{len(needed)} of {len(needed)} required parts")

    def ways(self, asked: Asked) -> list[Alternative]:
        """Complete the unit, with the kit of what the other gates' actions fill.

        :raises NoWay: where a part can neither be taken from stock nor bought nor harvested.
        """
        return [
            tuple(
                _fit(part, asked)
                for part in lacking_parts(asked.sheet, asked.findings, asked.filled)
            )
        ]

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing: a part can always be another one."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Go down the list of the trim."""
        for part in sheet.parts:
            if part.trims and after.trim not in part.trims:
                continue
            bay = after.drives.get(part.only_with_drive_in)
            spare = part.only_with_drive_in and (bay is None or bay.state is not PlaceState.PRESENT)
            if not spare and after.parts.get(part.key) is not PartState.PRESENT:
                return Audited(fault=f"{part.label} is not there")
        return Audited(fault="")


def _wanted(part: RequiredPart, findings: Findings) -> bool:
    bay = part.only_with_drive_in
    return not bay or findings.drive(bay).state is PlaceState.PRESENT


def _fit(part: RequiredPart, asked: Asked) -> Action:
    if not asked.supply.has(part.kind):
        raise NoWay(f"{part.label} is missing and there is none in stock or on offer.")
    broken = asked.findings.part(part.key) is PartState.BROKEN
    return Action(
        verb=Verb.FIT,
        place=part.key,
        kind=part.kind,
        takes_out_label=f"broken {part.label}" if broken else "",
    )
