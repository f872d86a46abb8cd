"""The short words an inspector types into one place of the strip, and back again.

======== ==============================================================
place    words
======== ==============================================================
memory   ``16`` GB, ``16 3200``, ``16 by tolva``, ``-`` empty, ``x`` faulty,
         ``dead`` for the slot itself, ``?`` not looked at
soldered ``8``
drive    ``n256`` NVMe, ``s256`` SATA, ``h500`` spinning, ``e64`` eMMC,
         ``256`` where the place speaks one language; ``2242`` length, ``93%`` life left;
         ``dead`` for the socket itself, ``r`` the radio card sits in it
pack     ``41.2/57``, ``3600/5000mah 11.1v``, ``612c`` cycles (``-c`` tells none), ``-`` absent,
         ``x`` not charging, ``!`` dangerous: ``!s`` swollen, ``!l`` leaking, ``!h`` hot,
         ``!d`` dented or punctured, ``!m`` smelling or hissing
unit     ``!o`` lights up while open, ``!m`` smells, nobody knows yet of what
part     ``+`` there, ``-`` missing, ``x`` broken
test     ``+`` passed, ``x`` failed, ``xx`` still fails after a first attempt
grade    ``a`` ``b`` ``c``
built    ``de`` language of the letters on the keyboard, ``lit``, and what else the sheet names
remark   ``p dim``: a part or test that works, but poorly, and how
seal     ``+`` whole, ``-`` lifted before it came, ``u`` lifted here
array    ``+`` the firmware binds the drives to an array, ``-`` it does not
``*``    ``+``: every required part and test nobody wrote about is as it should be
======== ==============================================================

What is read here is written back by :func:`write_entries` in one canonical form.
"""

import re
from collections.abc import Mapping
from typing import TypeVar

from sortis_core.base import Record, SortisError, listed
from sortis_core.configuration import Aspect
from sortis_core.facts.battery import HIGHEST_HEALTH_PERCENT
from sortis_core.facts.completeness import required_parts
from sortis_core.facts.configuration import possible
from sortis_core.facts.figures import exact
from sortis_core.findings import (
    ARRAY,
    SEAL,
    UNIT,
    DriveFinding,
    Findings,
    Grade,
    HazardKind,
    ModuleFinding,
    PackFinding,
    PartState,
    PlaceState,
    SealState,
    TestState,
)
from sortis_core.sheets import Connector, DrivePlace, Interface, MemorySlot, ModelSheet, PackPlace
from sortis_core.strip import StripGroup

GRADE = "grade"
REST = "*"
MODULE_SIZES_GB = (1, 2, 4, 8, 12, 16, 24, 32, 48, 64)
SLOWEST_MTS, FASTEST_MTS = 200, 20_000
LEAST_VOLTS, MOST_VOLTS = 1, 60
MOST_WH, MOST_MAH = 500, 100_000
"""No pack of a laptop comes near; what is more is a slip of the hand."""
LENGTHS_MM = (2230, 2242, 2260, 2280)
UNCOUNTED = "-c"
"""A pack that tells no cycles."""
PLACE_WORDS = {
    "?": PlaceState.UNSEEN,
    "": PlaceState.UNSEEN,
    "-": PlaceState.EMPTY,
    "x": PlaceState.FAULTY,
}
SOCKET_WORDS = PLACE_WORDS | {"dead": PlaceState.DEAD}
DRIVE_WORDS = SOCKET_WORDS | {"r": PlaceState.RADIO}
PART_WORDS = {
    "?": PartState.UNSEEN,
    "": PartState.UNSEEN,
    "+": PartState.PRESENT,
    "-": PartState.MISSING,
    "x": PartState.BROKEN,
}
TEST_WORDS = {
    "?": TestState.UNSEEN,
    "": TestState.UNSEEN,
    "+": TestState.PASSED,
    "x": TestState.FAILED,
    "xx": TestState.STILL_FAILS,
}
HAZARD_WORDS = {
    "!": HazardKind.UNNAMED,
    "!s": HazardKind.SWOLLEN,
    "!l": HazardKind.LEAKING,
    "!h": HazardKind.HOT,
    "!d": HazardKind.DENTED,
    "!m": HazardKind.SMELLING,
    "!o": HazardKind.LIT,
}
SEAL_WORDS = {
    "+": SealState.WHOLE,
    "-": SealState.LIFTED_BEFORE,
    "u": SealState.LIFTED_HERE,
}
ARRAY_WORDS = {"+": True, "-": False}
POORLY = "p"
MOST_REMARK_LETTERS = 40
ASPECTS = {aspect.value: aspect for aspect in Aspect}
DRIVE_LETTERS = {"n": Interface.NVME, "s": Interface.SATA, "e": Interface.EMMC, "h": Interface.SATA}


class EntryWord(Record):
    """One word that may be typed into places of a kind."""

    word: str
    places: str
    """What it is typed into: ``module``, ``drive``, ``pack``, ``part``, ``test``, ``grade``,
    ``unit``, ``rest``."""
    code: str
    """Of the state or danger that it stands for."""
    label: str


class UsualWords(Record):
    """Words for the places of one group of the strip, for keys on a touch screen."""

    group: StripGroup
    words: tuple[str, ...]


def usual_words() -> tuple[UsualWords, ...]:
    """What is typed most into each group of places."""
    usual: dict[StripGroup, tuple[str, ...]] = {
        StripGroup.MEMORY: ("4", "8", "16", "32", "-", "x", "?"),
        StripGroup.DRIVE: ("n256", "n512", "s128", "s256", "h500", "-", "x", "?"),
        StripGroup.PACK: ("-", "x", "!", "?"),
        StripGroup.PART: ("+", "-", "x", "?"),
        StripGroup.TEST: ("+", "x", "?"),
        StripGroup.GRADE: tuple(grade.lower() for grade in Grade),
        StripGroup.CONFIGURATION: ("da", "de", "en", "no", "sv", "?"),
        StripGroup.NOTED: (*SEAL_WORDS, "?"),
    }
    return tuple(UsualWords(group=group, words=words) for group, words in usual.items())


def entry_words() -> tuple[EntryWord, ...]:
    """Every word that stands for a state, by what it may be typed into."""
    states: tuple[tuple[str, Mapping[str, PlaceState | PartState | TestState]], ...] = (
        ("module", SOCKET_WORDS),
        ("drive", DRIVE_WORDS),
        ("pack", PLACE_WORDS),
        ("part", PART_WORDS),
        ("test", TEST_WORDS),
    )
    found = [
        EntryWord(word=word, places=places, code=state.value, label=state.label)
        for places, words in states
        for word, state in words.items()
        if word
    ]
    found += [
        EntryWord(
            word=word,
            places="pack" if kind is not HazardKind.LIT else "unit",
            code=kind.value,
            label=kind.label,
        )
        for word, kind in HAZARD_WORDS.items()
    ]
    found += [
        EntryWord(word=grade.lower(), places="grade", code=grade.value, label=grade.explained)
        for grade in Grade
    ]
    every = EntryWord(
        word="+", places="rest", code="", label="all the rest is there, all other tests passed"
    )
    return (*found, every)


Word = TypeVar("Word", PartState, TestState)
Known = TypeVar("Known")


class EntryRefused(SortisError):
    """The place cannot hold what was typed; the sentence says what the sheet says."""

    title = "The place cannot hold that"


def _module(sheet: ModelSheet, slot: MemorySlot, text: str) -> ModuleFinding:
    if text in SOCKET_WORDS:
        return ModuleFinding(state=SOCKET_WORDS[text])
    gb = mts = None
    text, _, maker = text.partition(" by ")
    if maker and not re.fullmatch(r"[^\W\d_]{2,20}", maker):
        raise EntryRefused(f"{slot.label}: after “by” comes the maker's name in one word.")
    for word in text.split():
        if match := re.fullmatch(r"l?p?ddr(\d)l?x?", word):
            said = word.upper()
            if said != sheet.memory.generation:
                raise EntryRefused(
                    f"{slot.label} takes {sheet.memory.generation} only. This module says {said}.",
                    generation=sheet.memory.generation,
                )
        elif re.fullmatch(r"\d{4,5}", word) or (gb and re.fullmatch(r"\d{3}", word)):
            mts = int(word)
            if not SLOWEST_MTS <= mts <= FASTEST_MTS:
                raise EntryRefused(
                    f"{slot.label}: no module runs at {mts} MT/s. Read its label again, or leave "
                    "the speed out."
                )
        elif match := re.fullmatch(r"(\d{1,3})(gb?)?", word):
            gb = int(match[1])
        else:
            raise EntryRefused(
                f"{slot.label}: “{word}” says nothing here. Type the size in GB (16), - for an "
                "empty slot, x for faulty, ? for not looked at."
            )
    if gb not in MODULE_SIZES_GB:
        raise EntryRefused(
            f"{slot.label}: no module has {gb or 0} GB. Type the size on its label: 4, 8, 16 or 32."
        )
    if gb > slot.limit_gb:
        raise EntryRefused(
            f"{slot.label} takes up to {slot.limit_gb} GB ({sheet.memory.stated.source}). This "
            f"module says {gb} GB; read its label again.",
            limit_gb=slot.limit_gb,
        )
    return ModuleFinding(
        state=PlaceState.PRESENT, gb=gb, generation=sheet.memory.generation, mts=mts, maker=maker
    )


def _drive(place: DrivePlace, text: str) -> DriveFinding:
    if text in DRIVE_WORDS:
        state = DRIVE_WORDS[text]
        if state is PlaceState.RADIO and not place.shared_with_radio:
            raise EntryRefused(f"{place.label} takes no radio card. Look which socket it is.")
        return DriveFinding(state=state)
    interface: Interface | None = None
    spinning = False
    gb = length = life = None
    for word in text.split():
        if match := re.fullmatch(r"([nseh]?)(\d+)(gb?|tb?)?", word):
            if not match[1] and not match[3] and int(match[2]) in LENGTHS_MM and gb is not None:
                length = int(match[2])
                continue
            gb = int(match[2]) * (1000 if (match[3] or "").startswith("t") else 1)
            if match[1]:
                interface, spinning = DRIVE_LETTERS[match[1]], match[1] == "h"
        elif match := re.fullmatch(r"(\d{1,3})%", word):
            life = int(match[1])
        else:
            raise EntryRefused(
                f"{place.label}: “{word}” says nothing here. Type n256 (NVMe), s256 (SATA), "
                "h500 (spinning) or - for empty."
            )
    if gb is None or not 8 <= gb <= 16_000:
        raise EntryRefused(f"{place.label}: type the drive's size in GB, for example 256.")
    if interface is None:
        if len(place.interfaces) > 1:
            raise EntryRefused(
                f"{place.label} takes {' and '.join(place.interfaces)}. Say which: n{gb} for NVMe, "
                f"s{gb} for SATA."
            )
        interface = place.interfaces[0]
    if interface not in place.interfaces:
        raise EntryRefused(
            f"{place.label} speaks {' or '.join(place.interfaces)} only. This drive is {interface}."
        )
    if spinning and place.connector is not Connector.BAY:
        raise EntryRefused(f"{place.label} is {place.connector}; no spinning disk fits there.")
    if length is not None and place.lengths_mm and length not in place.lengths_mm:
        raise EntryRefused(
            f"{place.label} has a standoff for {', '.join(map(str, place.lengths_mm))}. This "
            f"drive is {length}."
        )
    if life is not None and life > 100:
        raise EntryRefused(f"{place.label}: {life} % life left cannot be; the most is 100 %.")
    return DriveFinding(
        state=PlaceState.PRESENT,
        interface=interface,
        spinning=spinning,
        gb=gb,
        length_mm=length,
        life_percent=life,
    )


def _figure(text: str) -> float:
    """A figure as closely as it is written down again."""
    return float(f"{float(text):.10g}")


def _pack(place: PackPlace, text: str) -> PackFinding:
    if text in HAZARD_WORDS:
        return PackFinding(state=PlaceState.HAZARD, hazard=HAZARD_WORDS[text])
    if text in PLACE_WORDS:
        return PackFinding(state=PLACE_WORDS[text])
    full = design = volts = None
    cycles = None
    uncounted = False
    unit = "Wh"
    for word in text.split():
        if match := re.fullmatch(r"(\d+(?:\.\d+)?)(?:/(\d+(?:\.\d+)?))?(wh|mah)?", word):
            full = _figure(match[1])
            design = _figure(match[2]) if match[2] else None
            unit = "mAh" if match[3] == "mah" else "Wh"
        elif match := re.fullmatch(r"(\d+(?:\.\d+)?)v", word):
            volts = _figure(match[1])
            if not LEAST_VOLTS <= volts <= MOST_VOLTS:
                raise EntryRefused(
                    f"{place.label}: no pack has {volts:g} V. Read its label again, or leave the "
                    "volts out."
                )
        elif match := re.fullmatch(r"(\d{1,5})c", word):
            cycles = int(match[1])
        elif word == UNCOUNTED:
            uncounted = True
        else:
            raise EntryRefused(
                f"{place.label}: “{word}” says nothing here. Type full/design (41.2/57 or "
                "3600/5000mah), 612c for cycles (-c: it tells none), - for no pack, ! for swollen."
            )
    if full is None:
        raise EntryRefused(f"{place.label}: type the full charge against design, like 41.2/57.")
    if design is None:
        if len(place.variants) > 1 or unit != "Wh":
            figures = ", ".join(f"{v.design_wh:g}" for v in place.variants)
            raise EntryRefused(
                f"{place.label} comes with {figures} Wh. Type full and design, like "
                f"{full:g}/{place.variants[0].design_wh:g}."
            )
        design = place.variants[0].design_wh
    if design <= 0:
        raise EntryRefused(f"{place.label}: a design figure of 0 cannot be; read the label again.")
    most = MOST_WH if unit == "Wh" else MOST_MAH
    if design > most:
        raise EntryRefused(
            f"{place.label}: no pack holds {design:g} {unit}; {most:,} is more than any. Read the "
            "label again."
        )
    health = float(exact(full) * 100 / exact(design))
    if health > HIGHEST_HEALTH_PERCENT:
        raise EntryRefused(
            f"{place.label}: full charge {full:g} {unit} is {health:.0f} % of design {design:g} "
            f"{unit}. A pack cannot hold that much; read both figures again, in the same unit.",
            health_percent=round(health, 1),
        )
    return PackFinding(
        state=PlaceState.PRESENT,
        full=full,
        design=design,
        measured_in=unit,
        volts=volts,
        cycles=cycles,
        uncounted=uncounted and cycles is None,
    )


def read_entries(
    sheet: ModelSheet, trim: str, entries: dict[str, str]
) -> tuple[Findings, dict[str, str]]:
    """Read what was typed into the places of one unit.

    :param entries: place key -> text; places left out were not looked at.
    :returns: the findings of all places that could be read, and place key -> sentence for those
        that could not.
    """
    modules: dict[str, ModuleFinding] = {}
    drives: dict[str, DriveFinding] = {}
    packs: dict[str, PackFinding] = {}
    parts: dict[str, PartState] = {}
    tests: dict[str, TestState] = {}
    soldered: int | None = None
    grade: Grade | None = None
    unit_hazard: HazardKind | None = None
    configuration: dict[Aspect, str] = {}
    remarks: dict[str, str] = {}
    seal: SealState | None = None
    array: bool | None = None
    refusals: dict[str, str] = {}
    rest = False
    slot_by_key = {slot.key: slot for slot in sheet.memory.slots}
    drive_by_key = {drive.key: drive for drive in sheet.drives_of(trim)}
    pack_by_key = {pack.key: pack for pack in sheet.packs_of(trim)}
    part_keys = {part.key for part in sheet.parts_of(trim)}
    test_keys = {test.key for test in sheet.tests_of(trim)}
    other_trims = {place.key for place in sheet.places}
    called = next((one.label for one in sheet.trims if one.key == trim), trim)
    for key, raw in entries.items():
        text = " ".join(raw.lower().replace(",", ".").split())
        try:
            if key in part_keys or key in test_keys:
                text, remark = _remark(sheet.label_of(key), text, raw)
                if remark:
                    remarks[key] = remark
            if sheet.memory.soldered and key == sheet.memory.soldered.key:
                soldered = _soldered(sheet, text)
            elif key in slot_by_key:
                modules[key] = _module(sheet, slot_by_key[key], text)
            elif key in drive_by_key:
                drives[key] = _drive(drive_by_key[key], text)
            elif key in pack_by_key:
                packs[key] = _pack(pack_by_key[key], text)
            elif key in part_keys:
                said = "+ there, - missing, x broken, p and how it works poorly"
                parts[key] = _word(PART_WORDS, sheet, key, text, said)
            elif key in test_keys:
                said = "+ passed, x failed, p and how it works poorly"
                tests[key] = _word(TEST_WORDS, sheet, key, text, said)
            elif key == GRADE:
                grade = _grade(text)
            elif key == UNIT:
                unit_hazard = _unit_hazard(text)
            elif key in ASPECTS:
                if text not in ("", "?"):
                    configuration[ASPECTS[key]] = _aspect(sheet, trim, ASPECTS[key], text)
            elif key == SEAL and sheet.seals:
                seal = _of(SEAL_WORDS, "Seal", text, "+ whole, - lifted before, u lifted here")
            elif key == ARRAY:
                array = _of(ARRAY_WORDS, "Drive array", text, "+ there is one, - there is none")
            elif key == REST:
                rest = text == "+"
            elif key in other_trims:
                # Nothing found at a place that only other units have is what was to be expected.
                if text not in ("", "?", "-"):
                    raise EntryRefused(
                        f"{sheet.label_of(key)}: units “{called}” have none. Choose the trim that "
                        "has it, or empty the place."
                    )
            else:
                raise EntryRefused(f"{sheet.name} has no place “{key}”.")
        except EntryRefused as refusal:
            refusals[key] = refusal.sentence
    findings = Findings(
        sheet=sheet.key,
        trim=trim,
        soldered_gb=soldered,
        modules=modules,
        drives=drives,
        packs=packs,
        parts=parts,
        tests=tests,
        grade=grade,
        unit_hazard=unit_hazard,
        configuration=configuration,
        remarks=remarks,
        seal=seal,
        drive_array=array,
    )
    return (_with_rest(sheet, findings) if rest else findings), refusals


def _with_rest(sheet: ModelSheet, findings: Findings) -> Findings:
    """Fill what nobody wrote about: required parts are there, tests passed.

    Kit of an empty bay is not required, so nothing is claimed about it.
    """
    parts = {part.key: findings.part(part.key) for part in required_parts(sheet, findings)}
    seen = {key: PartState.PRESENT for key, state in parts.items() if state is PartState.UNSEEN}
    run = {
        test.key: TestState.PASSED
        for test in sheet.tests_of(findings.trim)
        if findings.test(test.key) is TestState.UNSEEN
    }
    return findings.model_copy(
        update={"parts": {**findings.parts, **seen}, "tests": {**findings.tests, **run}}
    )


def _soldered(sheet: ModelSheet, text: str) -> int | None:
    assert sheet.memory.soldered is not None
    if text in ("", "?"):
        return None
    amounts = sheet.memory.soldered.amounts_gb
    if not text.isdecimal() or int(text) not in amounts:
        raise EntryRefused(
            f"{sheet.name} comes with {' or '.join(map(str, amounts))} GB soldered. This says "
            f"“{text}”."
        )
    return int(text)


def _grade(text: str) -> Grade | None:
    if text in ("", "?"):
        return None
    if text.upper() not in set(Grade):
        raise EntryRefused(f"The grade is a, b or c. This says “{text}”.")
    return Grade(text.upper())


def _aspect(sheet: ModelSheet, trim: str, aspect: Aspect, text: str) -> str:
    here = possible(sheet, aspect, trim)
    if not here:
        raise EntryRefused(
            f"The sheet of {sheet.name} names no {aspect}. Add what there is under Sheets."
        )
    # What another trim came with may have been fitted since.
    if text not in here and text not in possible(sheet, aspect, ""):
        known = ", ".join(f"{code} {label}" for code, label in here.items())
        raise EntryRefused(f"{aspect.heading}: “{text}” is none of {known}.")
    return text


def _remark(label: str, text: str, raw: str) -> tuple[str, str]:
    """(word, remark): what works poorly is there and passed, and how is kept as it was typed."""
    word, _, _ = text.partition(" ")
    if word != POORLY:
        return text, ""
    how = " ".join(raw.split())[len(POORLY) :].strip()
    if not how or len(how) > MOST_REMARK_LETTERS or "/" in how or not how.isprintable():
        raise EntryRefused(
            f"{label}: after {POORLY} comes how it works poorly, in at most {MOST_REMARK_LETTERS} "
            "letters of plain text and without a slash: p dim."
        )
    return "+", how


def _of(words: Mapping[str, Known], label: str, text: str, help_: str) -> Known | None:
    if text in ("", "?"):
        return None
    if text not in words:
        raise EntryRefused(f"{label}: type {help_}, ? not looked at.")
    return words[text]


def _unit_hazard(text: str) -> HazardKind | None:
    if text in ("", "?"):
        return None
    if text not in HAZARD_WORDS:
        raise EntryRefused(
            f"Unit: type {listed([f'{word} {kind}' for word, kind in HAZARD_WORDS.items()])}."
        )
    return HAZARD_WORDS[text]


def _word(words: dict[str, Word], sheet: ModelSheet, key: str, text: str, help_: str) -> Word:
    if text not in words:
        raise EntryRefused(f"{sheet.label_of(key)}: type {help_}, ? not looked at.")
    return words[text]


def _poorly(findings: Findings, key: str, word: str) -> str:
    remark = findings.remarks.get(key, "")
    return f"{POORLY} {remark}" if remark else word


def write_entries(findings: Findings) -> dict[str, str]:
    """Write findings as the words that :func:`read_entries` reads back to the same findings."""
    entries: dict[str, str] = {}
    states = {state: word for word, state in DRIVE_WORDS.items() if word}
    dangers = {hazard: word for word, hazard in HAZARD_WORDS.items()}
    if findings.soldered_gb is not None:
        entries["m0"] = str(findings.soldered_gb)
    for key, module in findings.modules.items():
        entries[key] = states.get(module.state, "")
        if module.state is PlaceState.PRESENT:
            entries[key] = f"{module.gb}" + (f" {module.mts}" if module.mts else "")
            entries[key] += f" by {module.maker}" if module.maker else ""
    for key, drive in findings.drives.items():
        entries[key] = states.get(drive.state, "")
        if drive.state is PlaceState.PRESENT:
            letter = {Interface.NVME: "n", Interface.SATA: "s", Interface.EMMC: "e"}
            lead = "h" if drive.spinning else letter[drive.interface or Interface.SATA]
            entries[key] = f"{lead}{drive.gb}"
            entries[key] += f" {drive.length_mm}" if drive.length_mm else ""
            entries[key] += f" {drive.life_percent}%" if drive.life_percent is not None else ""
    for key, pack in findings.packs.items():
        entries[key] = states.get(pack.state, "")
        if pack.state is PlaceState.PRESENT:
            unit = "mah" if pack.measured_in == "mAh" else ""
            entries[key] = f"{pack.full:.10g}/{pack.design:.10g}{unit}"
            entries[key] += f" {pack.volts:.10g}v" if pack.volts is not None else ""
            entries[key] += f" {pack.cycles}c" if pack.cycles is not None else ""
            entries[key] += f" {UNCOUNTED}" if pack.uncounted else ""
        elif pack.state is PlaceState.HAZARD:
            entries[key] = dangers[pack.hazard or HazardKind.UNNAMED]
    for key, part in findings.parts.items():
        entries[key] = next(w for w, state in PART_WORDS.items() if w and state is part)
        entries[key] = _poorly(findings, key, entries[key])
    for key, test in findings.tests.items():
        entries[key] = next(w for w, state in TEST_WORDS.items() if w and state is test)
        entries[key] = _poorly(findings, key, entries[key])
    if findings.grade:
        entries[GRADE] = findings.grade.lower()
    for aspect, value in findings.configuration.items():
        entries[aspect.value] = value
    if findings.seal:
        entries[SEAL] = next(w for w, state in SEAL_WORDS.items() if state is findings.seal)
    if findings.drive_array is not None:
        entries[ARRAY] = next(w for w, is_ in ARRAY_WORDS.items() if is_ is findings.drive_array)
    if findings.unit_hazard:
        entries[UNIT] = dangers[findings.unit_hazard]
    return entries
