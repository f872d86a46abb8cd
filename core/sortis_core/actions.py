"""Actions: single changes to one unit, and what the unit is like afterwards."""

from typing import Literal

from sortis_core.base import Record
from sortis_core.findings import (
    DriveFinding,
    Findings,
    ModuleFinding,
    PackFinding,
    PartState,
    PlaceState,
    TestState,
)
from sortis_core.sheets import ModelSheet
from sortis_core.stock import DriveFacts, ModuleFacts, PackFacts, PartKind


class Action(Record):
    """One change: fit a part into a place, or take one out."""

    verb: Literal["fit", "take out"]
    place: str
    """Key of a slot, bay, socket, pack place, required part or function test of the sheet."""
    kind: str = ""
    """Part kind that goes in; empty for taking out."""
    takes_out: str = ""
    """Part kind that comes out, where the store has one."""
    takes_out_label: str = ""
    """What comes out, in words; empty where nothing does."""
    installs_system: bool = False

    @property
    def key(self) -> str:
        """Short stable name, for keys of options."""
        return f"{self.place}+{self.kind}" if self.verb == "fit" else f"{self.place}-"


def action_words(sheet: ModelSheet, action: Action, kinds: dict[str, PartKind]) -> str:
    """The action as people say it: ``8 GB DDR4 SODIMM into slot 2``."""
    label = sheet.label_of(action.place)
    if action.verb == "take out":
        return f"take {action.takes_out_label or 'the part'} out of {label}"
    part = kinds[action.kind].label if action.kind in kinds else action.kind
    if action.place in {p.key for p in sheet.parts} | {t.key for t in sheet.tests}:
        return part
    return f"{part} into {label}"


def module_kind(finding: ModuleFinding, sheet: ModelSheet, kinds: dict[str, PartKind]) -> str:
    """Key of the part kind that a found module is; empty where the store has none like it."""
    for key in sorted(kinds):
        facts = kinds[key].facts
        if (
            isinstance(facts, ModuleFacts)
            and facts.gb == finding.gb
            and facts.generation is sheet.memory.generation
            and facts.form is sheet.memory.form
            and (finding.mts is None or facts.mts == finding.mts)
        ):
            return key
    return ""


def drive_kind(
    finding: DriveFinding, place: str, sheet: ModelSheet, kinds: dict[str, PartKind]
) -> str:
    """Key of the part kind that a found drive is; empty where the store has none like it."""
    connector = next(d.connector for d in sheet.drives if d.key == place)
    for key in sorted(kinds):
        facts = kinds[key].facts
        if (
            isinstance(facts, DriveFacts)
            and facts.connector is connector
            and facts.interface is finding.interface
            and facts.gb == finding.gb
            and facts.spinning is finding.spinning
            and finding.length_mm in (None, facts.length_mm)
        ):
            return key
    return ""


def after_actions(
    sheet: ModelSheet, findings: Findings, actions: tuple[Action, ...], kinds: dict[str, PartKind]
) -> Findings:
    """The findings of the unit once all ``actions`` are done and seen working."""
    modules, drives = dict(findings.modules), dict(findings.drives)
    packs, parts, tests = dict(findings.packs), dict(findings.parts), dict(findings.tests)
    slots = {slot.key for slot in sheet.memory.slots}
    bays = {drive.key for drive in sheet.drives}
    pack_keys = {pack.key for pack in sheet.packs}
    test_keys = {test.key for test in sheet.tests}
    for action in actions:
        place = action.place
        facts = kinds[action.kind].facts if action.kind else None
        if place in slots:
            modules[place] = (
                ModuleFinding(
                    state=PlaceState.PRESENT,
                    gb=facts.gb,
                    generation=facts.generation,
                    mts=facts.mts,
                )
                if isinstance(facts, ModuleFacts)
                else ModuleFinding(state=PlaceState.EMPTY)
            )
        elif place in bays:
            drives[place] = (
                DriveFinding(
                    state=PlaceState.PRESENT,
                    interface=facts.interface,
                    spinning=facts.spinning,
                    gb=facts.gb,
                    length_mm=facts.length_mm,
                )
                if isinstance(facts, DriveFacts)
                else DriveFinding(state=PlaceState.EMPTY)
            )
        elif place in pack_keys:
            packs[place] = (
                PackFinding(state=PlaceState.PRESENT, full=facts.design_wh, design=facts.design_wh)
                if isinstance(facts, PackFacts)
                else PackFinding(state=PlaceState.EMPTY)
            )
        elif place in test_keys:
            tests[place] = TestState.PASSED
        else:
            parts[place] = PartState.PRESENT if action.verb == "fit" else PartState.MISSING
    return findings.model_copy(
        update={
            "modules": modules,
            "drives": drives,
            "packs": packs,
            "parts": parts,
            "tests": tests,
        }
    )
