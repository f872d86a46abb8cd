"""Each drive that held data has a record of how it was sanitised (docs/rules.md, Release).

No standard can do without it, and nobody waives it: :class:`sortis_core.standards.Standard` adds it
where it is not written.
"""

from collections.abc import Hashable, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.base import listed
from sortis_core.findings import Findings, PlaceState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase
from sortis_core.gates.proof import ReleaseGate, Signature, signed
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import NOTHING_TO_DO, Alternative, Asked
from sortis_core.policy import Policy
from sortis_core.sheets import DrivePlace, ModelSheet

USUAL_RECORDS = (
    "overwritten once, read back",
    "erased by the drive's own command",
    "key destroyed, was encrypted",
)


class SanitisedGate(GateBase):
    """Each drive that held data has a record of how it was sanitised."""

    question: ClassVar[str] = "data on drives"
    may_be_waived: ClassVar[bool] = False
    examples: ClassVar[Examples] = ({},)
    type: Literal["sanitised"] = "sanitised"

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Which sockets and bays nobody looked into; the rest is asked at the last check."""

        def eye(findings: Findings) -> Hashable:
            return findings.trim, tuple(place.key for place in _unseen(sheet, findings))

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Waits for the last check; a drive that nobody looked for may be there, with its data."""
        if unseen := _unseen(sheet, findings):
            sentence = f"{listed([place.label for place in unseen])} not looked at"
            return self._says(GateState.UNKNOWN, sentence, [place.key for place in unseen])
        return self._says(GateState.AT_RELEASE, "Drives that held data sanitised")

    def ways(self, asked: Asked) -> list[Alternative]:
        """Nothing is fitted for it."""
        return NOTHING_TO_DO

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing does."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Every bay of the trim was looked into, or gets a drive by the plan."""
        bays = [d.key for d in sheet.drives if not d.trims or after.trim in d.trims]
        states = {key: drive.state for key, drive in after.drives.items()}
        unseen = [key for key in bays if states.get(key, PlaceState.UNSEEN) is PlaceState.UNSEEN]
        return Audited(fault=f"nobody looked into {', '.join(unseen)}" if unseen else "")

    def proof(
        self,
        sheet: ModelSheet,
        findings: Findings,
        policy: Policy,
        seen: Signature,
        signature: Signature | None,
    ) -> ReleaseGate:
        """Asks by where each drive came from; one that nobody looked for may be there.

        Only what was fitted here from stock is free of a record: stock holds no drive that was not
        sanitised before.
        """
        places = sheet.drives_of(findings.trim)
        if unseen := [place.label for place in _unseen(sheet, findings)]:
            return ReleaseGate(
                gate=self.name,
                sentence="Drives that held data sanitised",
                met=False,
                evidence="",
                asks=f"{listed(unseen)} not looked at: a drive may be there. Inspect it first.",
            )
        with_data = drives_with_data(findings)
        if not with_data:
            fitted = any(findings.drive(p.key).state is PlaceState.PRESENT for p in places)
            return ReleaseGate(
                gate=self.name,
                sentence="No drive in it held anybody's data",
                met=True,
                evidence="All drives in it were fitted here from stock"
                if fitted
                else f"No drive is in it: {seen.words}, {seen.by}",
                asks="",
            )
        labels = listed([sheet.label_of(place) for place in with_data])
        found = signed(
            self.name,
            f"Drive in {labels} sanitised",
            "Record how it was sanitised, or that it was destroyed.",
            signature,
            about=", ".join(f"{place} {_named(findings, place)}" for place in with_data),
            usual=USUAL_RECORDS,
        )
        return found.model_copy(update={"takes_reports": True})


def _unseen(sheet: ModelSheet, findings: Findings) -> list[DrivePlace]:
    """Sockets and bays of the unit's trim that nobody looked into."""
    places = sheet.drives_of(findings.trim)
    return [place for place in places if findings.drive(place.key).state is PlaceState.UNSEEN]


def drives_with_data(findings: Findings) -> tuple[str, ...]:
    """Places whose drive was not fitted here from stock, working or not."""
    held = (PlaceState.PRESENT, PlaceState.FAULTY)
    return tuple(
        place
        for place, drive in sorted(findings.drives.items())
        if drive.state in held and findings.came_with_data(place)
    )


def _named(findings: Findings, place: str) -> str:
    """What a record is about: neither wear nor a length written down later makes it another."""
    drive = findings.drive(place)
    what = "spinning" if drive.spinning else f"{drive.interface or 'drive'}"
    return f"{what} {drive.gb or '?'} GB"
