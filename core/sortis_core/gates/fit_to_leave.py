"""Nothing that does not work leaves inside a unit (docs/rules.md, Memory and Storage).

No standard can do without it: :class:`sortis_core.standards.Standard` adds it where it is not
written. A drive that is soldered cannot come out; it is left, and the record of its data asked for.
"""

from collections.abc import Hashable, Iterator, Sequence
from typing import ClassVar, Literal, Self

from sortis_core.actions import Action, Verb
from sortis_core.findings import Findings, PlaceState
from sortis_core.gates.gate import Audited, Examples, Eye, GateBase, Phase
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.gates.ways import Alternative, Asked
from sortis_core.policy import Policy
from sortis_core.sheets import Connector, ModelSheet, Place

FAULTY_MODULE = "faulty module"
FAULTY_DRIVE = "faulty drive"


class FitToLeaveGate(GateBase):
    """No faulty module and no faulty drive is inside."""

    phase: ClassVar[Phase] = Phase.CLEAR
    question: ClassVar[str] = "nothing faulty inside"
    may_be_waived: ClassVar[bool] = False
    examples: ClassVar[Examples] = ({},)
    type: Literal["fit_to_leave"] = "fit_to_leave"

    @classmethod
    def reads(cls, gates: Sequence[Self], sheet: ModelSheet, policy: Policy) -> Eye:
        """Which places hold something faulty, and whether anybody looked into any."""

        def eye(findings: Findings) -> Hashable:
            faulty = tuple([place.key for place, _ in _faulty(sheet, findings)])
            return faulty, findings.trim, bool(_unseen(sheet, findings))

        return eye

    def verdict(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> GateVerdict:
        """Short by every place that holds something faulty; unknown while nobody looked at any.

        A single place not looked at is for the gates of memory and drives to ask about.
        """
        faulty = [place for place, _ in _faulty(sheet, findings)]
        if faulty:
            sentence = ", ".join(f"{place.label} faulty" for place in faulty)
            return self._says(GateState.SHORT, sentence, [place.key for place in faulty])
        if unseen := _unseen(sheet, findings):
            return self._says(GateState.UNKNOWN, "Slots and bays not looked at", unseen)
        return self._says(GateState.MET, "Nothing faulty seen inside")

    def ways(self, asked: Asked) -> list[Alternative]:
        """What is faulty comes out, where the other gates put nothing in its place."""
        return [
            tuple(
                Action(verb=Verb.TAKE_OUT, place=place.key, takes_out_label=label)
                for place, label in _faulty(asked.sheet, asked.findings)
                if place.key not in asked.filled
            )
        ]

    def heeds(self, sheet: ModelSheet, findings: Findings) -> frozenset[str]:
        """Those that hold what is faulty: what goes in there takes it out."""
        return frozenset([place.key for place, _ in _faulty(sheet, findings)])

    def rules_out(self, sheet: ModelSheet, findings: Findings, policy: Policy) -> str:
        """Nothing: what is faulty can come out."""
        return ""

    def audit(self, sheet: ModelSheet, after: Findings, policy: Policy) -> Audited:
        """Go through all slots and sockets; what is soldered cannot come out."""
        looked = [one.state is not PlaceState.UNSEEN for one in after.modules.values()]
        looked += [one.state is not PlaceState.UNSEEN for one in after.drives.values()]
        bays = [d for d in sheet.drives if not d.trims or after.trim in d.trims]
        if (sheet.memory.slots or bays) and not any(looked):
            return Audited(fault="nobody looked into any slot or bay")
        soldered = {drive.key for drive in sheet.drives if drive.connector is Connector.EMMC}
        states = {key: module.state for key, module in after.modules.items()}
        states |= {key: drive.state for key, drive in after.drives.items()}
        for key, state in states.items():
            if state is PlaceState.FAULTY and key not in soldered:
                return Audited(fault=f"what sits in {key} does not work")
        return Audited(fault="")


def _unseen(sheet: ModelSheet, findings: Findings) -> tuple[str, ...]:
    """All slots and bays where nobody looked into any of them."""
    states = {slot.key: findings.module(slot.key).state for slot in sheet.memory.slots}
    states |= {d.key: findings.drive(d.key).state for d in sheet.drives_of(findings.trim)}
    return tuple(states) if all(state is PlaceState.UNSEEN for state in states.values()) else ()


def _faulty(sheet: ModelSheet, findings: Findings) -> Iterator[tuple[Place, str]]:
    """Places that hold something faulty which can come out, and what it is called."""
    for slot in sheet.memory.slots:
        if findings.module(slot.key).state is PlaceState.FAULTY:
            yield slot, FAULTY_MODULE
    for drive in sheet.drives_of(findings.trim):
        soldered = drive.connector is Connector.EMMC
        if findings.drive(drive.key).state is PlaceState.FAULTY and not soldered:
            yield drive, FAULTY_DRIVE
