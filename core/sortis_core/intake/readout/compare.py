"""A read-out beside what the person saw: the machine's words for each place, never overwriting."""

import re

from sortis_core.base import Record, listed
from sortis_core.configuration import Aspect
from sortis_core.findings import Findings
from sortis_core.intake.entry import FASTEST_MTS, SLOWEST_MTS, read_entries, write_entries
from sortis_core.intake.models import NEAR, likeness
from sortis_core.intake.readout.seen import DriveSeen, ReadOut
from sortis_core.sheets import Connector, DrivePlace, Interface, ModelSheet
from sortis_core.strip import draw_strip

LETTERS = {Interface.NVME: "n", Interface.SATA: "s", Interface.EMMC: "e"}


class SideBySide(Record):
    """One place: what the machine says and what the person typed."""

    place: str
    label: str
    machine: str
    """In the words of the strip; empty where the machine says nothing of this place."""
    machine_words: str
    person: str
    person_words: str
    differs: bool
    """Both say something and it is not the same: a question for the inspector."""


class Comparison(Record):
    """A read-out laid beside the findings of a unit."""

    rows: tuple[SideBySide, ...]
    entries: dict[str, str]
    """What the machine says of places the person has not written about; taken over on request."""
    questions: tuple[str, ...]
    not_read: tuple[str, ...]
    other_unit: bool = False
    """It names another serial number than the manifest did."""


def compare(
    sheet: ModelSheet, findings: Findings, readout: ReadOut, serial: str = ""
) -> Comparison:
    """Lay the read-out beside what was typed.

    :param serial: serial number of the manifest, to notice a read-out of another unit.
    """
    questions = list(readout.questions)
    told: dict[str, str] = {}
    if readout.memory_read:
        told |= _memory(sheet, readout, questions)
    if readout.drives_read:
        told |= _drives(sheet, findings.trim, readout, questions)
    if readout.packs_read:
        told |= _packs(sheet, findings.trim, readout, questions)
    told |= _configuration(sheet, findings.trim, readout, questions)
    if told and any(test.key == "starts" for test in sheet.tests_of(findings.trim)):
        told["starts"] = "+"
    seen = readout.machine.serial
    other_unit = bool(serial and seen and _plain(seen) != _plain(serial))
    if other_unit:
        questions.append(
            f"The machine says serial {seen}; this unit was announced with {serial}. Is the "
            "read-out of another unit, or are labels swapped?"
        )
    product = readout.machine.product
    if product and likeness(f"{readout.machine.maker} {product}", sheet) < NEAR:
        questions.append(
            f"The machine calls itself {product}; this unit is on the sheet of {sheet.name}. "
            "Another unit's read-out, or a wrong sheet?"
        )
    machine, refusals = read_entries(sheet, findings.trim, told)
    for place, sentence in refusals.items():
        questions.append(f"The machine says “{told[place]}”. {sentence}")
    told = {key: text for key, text in told.items() if key not in refusals}
    said = write_entries(machine)
    typed = write_entries(findings)
    by_machine = {cell.key: cell for cell in draw_strip(sheet, machine, ()).cells}
    by_person = {cell.key: cell for cell in draw_strip(sheet, findings, ()).cells}
    rows = tuple(
        SideBySide(
            place=key,
            label=cell.label,
            machine=told.get(key, ""),
            machine_words=by_machine[key].words if key in told else "",
            person=typed.get(key, ""),
            person_words=by_person[key].words if typed.get(key) else "",
            differs=_differs(said.get(key, ""), typed.get(key, "")),
        )
        for key, cell in by_machine.items()
        if key in told
    )
    return Comparison(
        rows=rows,
        entries={row.place: row.machine for row in rows if not row.person},
        questions=tuple(questions),
        not_read=readout.not_read,
        other_unit=other_unit,
    )


def _plain(serial: str) -> str:
    return "".join(char for char in serial.upper() if char.isalnum())


def _differs(machine: str, person: str) -> bool:
    """Whether both say something else; what only one of them adds is no difference.

    A person reads a label and types ``16``; the machine adds the speed. Packs agree within two
    percent: a person rounds.
    """
    if not machine or not person:
        return False
    ours, theirs = machine.split(), person.split()
    if "/" in ours[0] and "/" in theirs[0]:
        try:
            ratios = [float(a) / float(b) for a, b in (w.split("/") for w in (ours[0], theirs[0]))]
        except ValueError:
            return ours[0] != theirs[0]
        return abs(ratios[0] - ratios[1]) > 0.02
    return ours[0] != theirs[0]


def _configuration(
    sheet: ModelSheet, trim: str, readout: ReadOut, questions: list[str]
) -> dict[str, str]:
    """What the machine says of its processor, by the sheet's names for it."""
    said = readout.machine.processor.lower()
    choices = sheet.choices_of(Aspect.PROCESSOR, trim)
    if not said or not any(choice.read_as for choice in choices):
        return {}
    named = [
        (len(words), choice.key)
        for choice in choices
        for words in choice.read_as
        if re.search(rf"(?<!\w){re.escape(words.lower())}(?!\w)", said)
    ]
    if not named:
        known = listed([choice.label for choice in choices], "or")
        questions.append(
            f"The machine calls its processor “{readout.machine.processor}”; the sheet knows "
            f"{known}. Another trim, or add it to the sheet."
        )
        return {}
    return {Aspect.PROCESSOR.value: max(named)[1]}


def _memory(sheet: ModelSheet, readout: ReadOut, questions: list[str]) -> dict[str, str]:
    told: dict[str, str] = {}
    soldered = [m for m in readout.memory if m.soldered]
    places = [m for m in readout.memory if not m.soldered]
    memory = sheet.memory
    if memory.soldered:
        if soldered:
            told[memory.soldered.key] = str(sum(m.gb or 0 for m in soldered))
        elif len(places) == len(memory.slots) + 1:
            # Some firmware lists chips on the board as if they were a module in a first slot.
            told[memory.soldered.key] = str(places.pop(0).gb or 0)
    elif soldered:
        questions.append(
            f"The machine lists {sum(m.gb or 0 for m in soldered)} GB on the board; the sheet "
            "knows no soldered memory. Another trim, or a wrong sheet?"
        )
    if len(places) > len(memory.slots):
        questions.append(
            f"The machine lists {len(places)} memory slots, the sheet {len(memory.slots)}. Count "
            "them."
        )
    for slot, module in zip(memory.slots, places, strict=False):
        if module.gb is None:
            told[slot.key] = "-"
            continue
        known = module.mts is not None and SLOWEST_MTS <= module.mts <= FASTEST_MTS
        speed = f" {module.mts}" if known else ""
        told[slot.key] = f"{module.gb}{speed}"
        generation = module.generation
        wanted = memory.generation
        if generation and generation is not wanted and generation[:4] != wanted[:4]:
            told[slot.key] = f"{module.gb} {generation.lower()}"
    return told


def _fits(place: DrivePlace, drive: DriveSeen) -> bool:
    if drive.interface and drive.interface not in place.interfaces:
        return False
    bay = place.connector is Connector.BAY
    if drive.spinning or drive.in_bay is True:
        return bay
    return not (drive.in_bay is False and bay)


def _drives(sheet: ModelSheet, trim: str, readout: ReadOut, questions: list[str]) -> dict[str, str]:
    told: dict[str, str] = {}
    free = list(sheet.drives_of(trim))
    # Drives that fit few places choose first, so that the others find theirs.
    for drive in sorted(readout.drives, key=lambda d: sum(_fits(p, d) for p in free)):
        fitting = [place for place in free if _fits(place, drive)]
        words = f"{drive.model or drive.name}, {drive.gb} GB"
        if not fitting:
            questions.append(
                f"No free place of this model takes the drive {words}. Look where it sits."
            )
            continue
        if len(fitting) > 1:
            labels = " or ".join(place.label for place in fitting)
            questions.append(f"The drive {words} may sit in {labels}. Look which.")
        place = fitting[0]
        free.remove(place)
        told[place.key] = _drive_words(place, drive)
        if drive.failing:
            told[place.key] = "x"
            questions.append(f"The drive {words} says of itself that it is failing.")
    for place in free:
        # Where a radio card may sit, no drive seen does not mean that the socket is empty.
        if place.connector is not Connector.EMMC and not place.shared_with_radio:
            told[place.key] = "-"
    return told


def _drive_words(place: DrivePlace, drive: DriveSeen) -> str:
    letter = "h" if drive.spinning else LETTERS[drive.interface or place.interfaces[0]]
    life = f" {drive.life_percent}%" if drive.life_percent is not None else ""
    return f"{letter}{drive.gb}{life}"


def _packs(sheet: ModelSheet, trim: str, readout: ReadOut, questions: list[str]) -> dict[str, str]:
    told: dict[str, str] = {}
    free = list(sheet.packs_of(trim))
    for pack in readout.packs:
        if not free:
            questions.append(f"The machine lists a pack {pack.name} more than the sheet has.")
            break
        near = [
            min(abs(v.design_wh - pack.design_wh) / v.design_wh for v in place.variants)
            for place in free
        ]
        place = free.pop(near.index(min(near)))
        cycles = f" {pack.cycles}c" if pack.cycles is not None else ""
        told[place.key] = f"{pack.full_wh:.10g}/{pack.design_wh:.10g}{cycles}"
    for place in free:
        told[place.key] = "-"
    return told
