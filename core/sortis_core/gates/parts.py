"""Nothing on the sheet's required list is missing or broken (docs/rules.md, Missing parts)."""

from collections import Counter
from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.actions import Action, Verb
from sortis_core.facts.completeness import lacking_parts, required_parts
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Phase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import Alternative, Asked, LookFirst, NoWay, picks
from sortis_core.policy import HarvestSchool, Policy
from sortis_core.sheets import ModelSheet, RequiredPart


class PartsGate(GateBase):
    """Nothing on the sheet's required list is missing or broken."""

    phase: ClassVar[Phase] = Phase.COMPLETE
    question: ClassVar[str] = "required parts"
    frees: ClassVar[bool] = True
    examples: ClassVar[Examples] = ({},)
    type: Literal["parts"] = "parts"

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Every part of the trim, and which bays hold a drive: only then is their kit required.

        Of which kind the drive is: a disk may come out, and then its kit is no question.
        """

        def eye(findings: Findings) -> Hashable:
            parts = sheet.parts_of(findings.trim)
            return findings.trim, tuple(
                [
                    (findings.part(p.key), _wanted(p, findings), _may_come_free(p, findings))
                    for p in parts
                ]
            )

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Nothing missing, nothing broken, everything looked at."""
        needed = required_parts(sheet, findings)
        unseen = _unseen(needed, findings)
        ask = [part.key for part in unseen if not _may_come_free(part, findings)]
        if lacking := lacking_parts(sheet, findings):
            said = [
                f"{part.label} {findings.part(part.key)}"
                if findings.part(part.key) is not PartState.PRESENT
                else f"{part.label} goes with it"
                for part in lacking
            ]
            return self._says(
                GateState.SHORT,
                ", ".join(said),
                [part.key for part in lacking],
                ask,
            )
        if unseen:
            more = f" and {len(unseen) - 1} more" if len(unseen) > 1 else ""
            sentence = f"{unseen[0].label}{more} not looked at"
            return self._says(GateState.UNKNOWN, sentence, [part.key for part in unseen], ask)
        return self._says(GateState.MET, f"{len(needed)} of {len(needed)} required parts")

    def ways(self, asked: Asked) -> list[Alternative]:
        """Complete the unit, with the kit of what the other gates' actions fill.

        The kit of a disk that comes out is no question, whatever of it nobody looked at. What of it
        is there serves the same job where that lacks such a part, and may come out for others.

        :raises NoWay: where a part can neither be taken from stock nor bought nor harvested.
        :raises LookFirst: where a drive stays and nobody looked at its kit.
        """
        sheet, findings = asked.sheet, asked.findings
        lacking = lacking_parts(sheet, findings, asked.filled, asked.emptied)
        needed = required_parts(sheet, findings, asked.filled, asked.emptied)
        if unseen := [part for part in _unseen(needed, findings) if part not in lacking]:
            raise LookFirst(f"{unseen[0].label} not looked at: look first.")
        own, others = _comes_free(asked, lacking)
        free = {action.takes_out for action in own}
        fits = picks([_fits(part, asked, free) for part in lacking])
        done = [(*own, *way) for way in fits]
        return [*done, *((*way, *others) for way in done)] if others else list(done)

    def heeds(self, sheet: ModelSheet, findings: Findings) -> frozenset[str]:
        """Bays that have kit."""
        return frozenset([part.only_with_drive_in for part in sheet.parts_of(findings.trim)])

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


def _comes_free(
    asked: Asked, lacking: Sequence[RequiredPart]
) -> tuple[tuple[Action, ...], tuple[Action, ...]]:
    """The kit of bays that are emptied: (what this job itself needs, what others want)."""
    wanted = Counter(part.kind for part in lacking)
    own: list[Action] = []
    others: list[Action] = []
    for part in asked.sheet.parts_of(asked.findings.trim):
        bay = part.only_with_drive_in
        there = asked.findings.part(part.key) is PartState.PRESENT
        if not bay or bay not in asked.emptied or not there or not asked.supply.knows(part.kind):
            continue
        out = Action(
            verb=Verb.TAKE_OUT,
            place=part.key,
            takes_out=part.kind,
            takes_out_label=part.label,
        )
        if wanted[part.kind] and asked.policy.harvest is not HarvestSchool.NEW_ONLY:
            wanted[part.kind] -= 1
            own.append(out)
        elif part.kind in asked.spare:
            others.append(out)
    return tuple(own), tuple(others)


def _unseen(parts: Sequence[RequiredPart], findings: Findings) -> list[RequiredPart]:
    return [part for part in parts if findings.part(part.key) is PartState.UNSEEN]


def _may_come_free(part: RequiredPart, findings: Findings) -> bool:
    """Whether it is the kit of a disk that a plan may take out."""
    bay = part.only_with_drive_in
    return bool(bay) and findings.drive(bay).spinning


def _wanted(part: RequiredPart, findings: Findings) -> bool:
    bay = part.only_with_drive_in
    return not bay or findings.drive(bay).state is PlaceState.PRESENT


def _fits(part: RequiredPart, asked: Asked, comes_free: set[str]) -> tuple[Action, ...]:
    """The ways to fit one part: of its kind, or of one that goes in its place."""
    kinds = asked.supply.serving(part.kind)
    if part.kind in comes_free:
        kinds = tuple(dict.fromkeys((part.kind, *kinds)))
    if not kinds:
        raise NoWay(f"{part.label} is missing and there is none in stock or on offer.")
    broken = asked.findings.part(part.key) is PartState.BROKEN
    return tuple(
        Action(
            verb=Verb.FIT,
            place=part.key,
            kind=kind,
            takes_out_label=f"broken {part.label}" if broken else "",
        )
        for kind in kinds
    )
