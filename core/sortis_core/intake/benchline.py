"""The bench line: one line of text that logs a whole unit.

``t flash / m 8 - / s n256 / b 41 620c / miss caddy cable / fail cam / g b / ok``

Segments stand between single slashes. A segment begins with what it is about:

======== ===============================================================================
begins   then
======== ===============================================================================
``t``    the trim
``m``    soldered memory and slots, left to right, in the words of the strip
``s``    bays and sockets, left to right; ``2242`` and ``93%`` belong to the drive before
``b``    packs, left to right; ``620c`` and ``11.1v`` belong to the pack before
``miss`` required parts that are not there; ``bust`` broken ones, ``have`` those seen
``fail`` function tests that failed; ``pass`` those that passed
``poor`` a part or test that works poorly, and how: ``poor screen dim``
``g``    the cosmetic grade
``!``    the unit is dangerous: ``! o`` lights up while open, ``! m`` smells
``ok``   every part and test nobody wrote about is as it should be
``same`` begin with what most units of this model held
``keep`` keep the unit and go on; ``undo`` take the last line back
======== ===============================================================================

Any place can also be named: ``slot2 16``, ``cam x``, ``caddy -``. A name may be cut short as long
as it fits one place only. A word with ``~`` before it comes from the printed sheet of codes and
means the same. What single places take is said in :mod:`sortis_core.intake.entry`.
"""

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Literal

from sortis_core.base import Record, listed
from sortis_core.configuration import Aspect
from sortis_core.findings import ARRAY, SEAL, UNIT, Findings, Grade
from sortis_core.intake.entry import (
    ASPECTS,
    GRADE,
    HAZARD_WORDS,
    LENGTHS_MM,
    POORLY,
    REST,
    read_entries,
    write_entries,
)
from sortis_core.sheets import ModelSheet, Place
from sortis_core.standards import Standard
from sortis_core.strip import draw_strip

SCANNED = "~"
HEADS = {
    "t": "trim",
    "m": "memory",
    "s": "drives",
    "b": "packs",
    "miss": "parts missing",
    "bust": "parts broken",
    "have": "parts that are there",
    "fail": "tests failed",
    "pass": "tests passed",
    "poor": "works poorly",
    "g": "grade",
    "!": "dangerous",
    "ok": "all the rest is as it should be",
    "same": "like most units of this model",
    "keep": "keep it and go on",
    "undo": "take the last line back",
}
PART_HEADS = {"miss": "-", "bust": "x", "have": "+"}
TEST_HEADS = {"fail": "x", "pass": "+"}
ALONE = frozenset({"ok", "same", "keep", "undo"})
MOST_COMPLETIONS = 8

Command = Literal["", "keep", "undo"]


class Word(Record):
    """One word of the line: where it stands, and what it was taken for."""

    start: int
    end: int
    kind: Literal["head", "value", "unclear"]
    place: str = ""
    words: str = ""
    """What it means; for an unclear word what is wrong and what to type."""


class BenchLine(Record):
    """A line as understood."""

    trim: str
    entries: dict[str, str]
    same: bool
    command: Command
    words: tuple[Word, ...]

    @property
    def unclear(self) -> tuple[Word, ...]:
        """Words that were not understood; nothing of their place is kept."""
        return tuple(word for word in self.words if word.kind == "unclear")


class Completion(Record):
    """What could stand where the caret is."""

    text: str
    words: str


class _Token(Record):
    start: int
    end: int
    text: str
    """Lower case, without the mark of a scan code."""


def _tokens(text: str) -> Iterator[_Token]:
    for match in re.finditer(r"\S+", text):
        word = match[0].lower().removeprefix(SCANNED)
        yield _Token(start=match.start(), end=match.end(), text=word)


def _segments(text: str) -> list[list[_Token]]:
    segments: list[list[_Token]] = [[]]
    for token in _tokens(text):
        if token.text == "/":
            segments.append([])
        else:
            segments[-1].append(token)
    return segments


def _squash(words: str) -> str:
    return re.sub(r"[^a-z0-9]", "", words.lower())


def matching(places: Iterable[Place], word: str) -> list[Place]:
    """Places that ``word`` may stand for; one that is named exactly stands alone."""
    near: list[Place] = []
    wanted = _squash(word)
    for place in places:
        label = _squash(place.label)
        if word == place.key or (wanted and wanted == label):
            return [place]
        parts = [_squash(part) for part in re.split(r"[\s\-/.]+", place.label)]
        if wanted and any(name.startswith(wanted) for name in (_squash(place.key), label, *parts)):
            near.append(place)
    return near


def _named(places: tuple[Place, ...], word: str, what: str) -> Place | str:
    """The place the word names, or the sentence why it names none."""
    near = matching(places, word)
    if len(near) == 1:
        return near[0]
    if near:
        return f"“{word}” could be {' or '.join(place.label for place in near[:4])}. Type more."
    known = listed([place.label for place in places][:8]) or "none"
    return f"“{word}” is no {what} of this model. It has {known}."


class _Reader:
    """Reads one line against one sheet."""

    def __init__(self, sheet: ModelSheet, trim: str) -> None:
        self.sheet, self.trim = sheet, trim
        self.entries: dict[str, str] = {}
        self.words: list[Word] = []
        self.same = False
        self.command: Command = ""

    def say(self, token: _Token, words: str, place: str = "", kind: str = "value") -> None:
        self.words.append(
            Word.model_validate(
                {
                    "start": token.start,
                    "end": token.end,
                    "kind": kind,
                    "place": place,
                    "words": words,
                }
            )
        )

    def unclear(self, token: _Token, sentence: str) -> None:
        self.say(token, sentence, kind="unclear")

    def enter(self, token: _Token, place: str, text: str, *, more: bool = False) -> None:
        self.entries[place] = f"{self.entries[place]} {text}" if more else text
        self.say(token, self.sheet.label_of(place), place)

    def segment(self, tokens: list[_Token]) -> None:
        if not tokens:
            return
        head, rest = tokens[0], tokens[1:]
        if head.text in HEADS:
            self.say(head, HEADS[head.text], kind="head")
        match head.text:
            case "t":
                self._trim(head, rest)
            case "m":
                self._in_order(rest, _memory(self.sheet), "memory place", _more_of_module)
            case "s":
                drives = [(d.key, d.label) for d in self.sheet.drives_of(self.trim)]
                self._in_order(rest, drives, "drive place", _more_of_drive)
            case "b":
                packs = [(p.key, p.label) for p in self.sheet.packs_of(self.trim)]
                self._in_order(rest, packs, "pack", _more_of_pack)
            case "poor":
                self._poor(head, rest)
            case "g":
                self._one(head, rest, GRADE, "a, b or c")
            case "!":
                self._hazard(head, rest)
            case "ok":
                self.entries[REST] = "+"
            case "same":
                self.same = True
            case "keep" | "undo":
                self.command = "keep" if head.text == "keep" else "undo"
            case word if word in PART_HEADS:
                self._list(rest, self.sheet.parts_of(self.trim), "required part", PART_HEADS[word])
            case word if word in TEST_HEADS:
                self._list(rest, self.sheet.tests_of(self.trim), "function test", TEST_HEADS[word])
            case _:
                self._place(head, rest)
        if head.text in ALONE:
            for token in rest:
                self.unclear(token, f"“{head.text}” stands alone. Put a / before “{token.text}”.")

    def _trim(self, head: _Token, rest: list[_Token]) -> None:
        known = [trim.key for trim in self.sheet.trims]
        if len(rest) != 1 or rest[0].text not in known:
            wrong = rest[0] if rest else head
            self.unclear(wrong, f"Say the trim after t: {' or '.join(known)}.")
            return
        self.trim = rest[0].text
        label = next(t.label for t in self.sheet.trims if t.key == self.trim)
        self.say(rest[0], label)

    def _one(self, head: _Token, rest: list[_Token], place: str, help_: str) -> None:
        if not rest:
            self.unclear(head, f"Say {help_} after it.")
            return
        self.enter(rest[0], place, rest[0].text)
        for token in rest[1:]:
            self.unclear(token, f"One word is enough here: {help_}.")

    def _poor(self, head: _Token, rest: list[_Token]) -> None:
        if len(rest) < 2:
            self.unclear(head, "Say after poor what works poorly, and how: poor screen dim.")
            return
        places = self.sheet.of_trim(self.trim)
        found = _named((*places.parts, *places.tests), rest[0].text, "part or test")
        if isinstance(found, str):
            self.unclear(rest[0], found)
            return
        self.entries[found.key] = POORLY
        self.say(rest[0], found.label, found.key, kind="head")
        for token in rest[1:]:
            self.enter(token, found.key, token.text, more=True)

    def _hazard(self, head: _Token, rest: list[_Token]) -> None:
        if rest and f"!{rest[0].text}" not in HAZARD_WORDS:
            letters = [f"{word[1:]} {kind}" for word, kind in HAZARD_WORDS.items() if word[1:]]
            self.unclear(rest[0], f"After ! comes {', '.join(letters)}.")
            return
        self.enter(rest[0] if rest else head, UNIT, "!" + (rest[0].text if rest else ""))
        for token in rest[1:]:
            self.unclear(token, "One word is enough after !.")

    def _in_order(
        self,
        tokens: list[_Token],
        places: list[tuple[str, str]],
        what: str,
        is_more: Callable[[str, str], bool],
    ) -> None:
        at = -1
        for token in tokens:
            if at >= 0 and is_more(self.entries.get(places[at][0], ""), token.text):
                self.enter(token, places[at][0], token.text, more=True)
                continue
            if at + 1 >= len(places):
                last = f"{places[-1][1]} is the last {what}." if places else f"It has no {what}."
                self.unclear(token, f"{last} There is no place for “{token.text}”.")
                continue
            at += 1
            self.enter(token, places[at][0], token.text)

    def _list(self, tokens: list[_Token], places: tuple[Place, ...], what: str, text: str) -> None:
        for token in tokens:
            found = _named(places, token.text, what)
            if isinstance(found, str):
                self.unclear(token, found)
            else:
                self.enter(token, found.key, text)

    def _place(self, head: _Token, rest: list[_Token]) -> None:
        places = self.sheet.of_trim(self.trim)
        everything = (
            *self.sheet.memory.slots,
            *places.drives,
            *places.packs,
            *places.parts,
            *places.tests,
            *(Place(key=aspect.value, label=aspect.heading) for aspect in Aspect),
            *((Place(key=SEAL, label="Seal"),) if self.sheet.seals else ()),
            Place(key=ARRAY, label="Drive array"),
        )
        found = _named(everything, head.text, "place")
        if isinstance(found, str):
            self.unclear(head, f"{found} Segments begin with {', '.join(HEADS)}.")
            return
        if not rest:
            self.unclear(head, f"Say after it what is at {found.label}.")
            return
        self.say(head, found.label, found.key, kind="head")
        for number, token in enumerate(rest):
            self.enter(token, found.key, token.text, more=number > 0)


def _memory(sheet: ModelSheet) -> list[tuple[str, str]]:
    soldered = sheet.memory.soldered
    first = [(soldered.key, "Soldered memory")] if soldered else []
    return first + [(slot.key, slot.label) for slot in sheet.memory.slots]


def _more_of_module(before: str, word: str) -> bool:
    if before.endswith(" by"):
        return True
    return bool(re.fullmatch(r"\d{3,5}|l?p?ddr\S*|by", word)) and before[:1].isdigit()


def _more_of_drive(before: str, word: str) -> bool:
    filled = before not in ("-", "x", "?", "r")
    length = word.isdecimal() and int(word) in LENGTHS_MM
    return filled and (length or bool(re.fullmatch(r"\d{1,3}%", word)))


def _more_of_pack(before: str, word: str) -> bool:
    return bool(re.fullmatch(r"\d+([.,]\d+)?v|\d+c", word)) and before[:1].isdigit()


def read_line(
    sheet: ModelSheet, trim: str, text: str, standards: tuple[Standard, ...] = ()
) -> BenchLine:
    """Read a bench line as far as it goes; what is not understood is pointed at.

    :param trim: the trim until the line says another.
    :returns: entries of the strip; places that cannot hold what was said are left out and their
        words are unclear, with the fact.
    """
    reader = _Reader(sheet, trim)
    for segment in _segments(text):
        reader.segment(segment)
    findings, refusals = read_entries(sheet, reader.trim, reader.entries)
    meaning = {
        cell.key: f"{cell.label}: {cell.words}"
        for cell in draw_strip(sheet, findings, standards).cells
    }
    words: list[Word] = []
    for word in reader.words:
        if word.place in refusals:
            words.append(word.model_copy(update={"kind": "unclear", "words": refusals[word.place]}))
        elif word.place in meaning:
            words.append(word.model_copy(update={"words": meaning[word.place]}))
        else:
            words.append(word)
    return BenchLine(
        trim=reader.trim,
        entries={key: text for key, text in reader.entries.items() if key not in refusals},
        same=reader.same,
        command=reader.command,
        words=tuple(words),
    )


def write_line(sheet: ModelSheet, findings: Findings) -> str:
    """Write findings as a line that :func:`read_line` reads back to the same findings."""
    entries = write_entries(findings)
    trim = findings.trim
    places = sheet.of_trim(trim)
    segments = [f"t {trim}"] if len(sheet.trims) > 1 else []
    drives = [(place.key, place.label) for place in places.drives]
    packs = [(place.key, place.label) for place in places.packs]
    for head, ordered in (("m", _memory(sheet)), ("s", drives), ("b", packs)):
        said = [entries.get(key, "") or "?" for key, _ in ordered]
        while said and said[-1] == "?":
            said.pop()
        if said:
            segments.append(" ".join([head, *said]))
    for heads, kept in ((PART_HEADS, places.parts), (TEST_HEADS, places.tests)):
        for head, text in heads.items():
            keys = [place.key for place in kept if entries.get(place.key) == text]
            if keys:
                segments.append(" ".join([head, *keys]))
    keys = [place.key for place in (*places.parts, *places.tests)]
    segments += [f"poor {key} {findings.remarks[key]}" for key in keys if key in findings.remarks]
    if GRADE in entries:
        segments.append(f"g {entries[GRADE]}")
    segments += [f"{key} {entries[key]}" for key in (SEAL, ARRAY) if key in entries]
    segments += [f"{key} {entries[key]}" for key in ASPECTS if key in entries]
    if UNIT in entries:
        segments.append(" ".join(["!", *entries[UNIT][1:]]))
    return " / ".join(segments)


def complete(sheet: ModelSheet, trim: str, text: str, caret: int) -> tuple[Completion, ...]:
    """What may stand at the caret: heads, places not written about yet, values that fit."""
    before = text[:caret]
    segment = list(_tokens(before))
    starts = [i for i, token in enumerate(segment) if token.text == "/"]
    segment = segment[starts[-1] + 1 :] if starts else segment
    # A word that is still being typed is completed; after a blank the next one is.
    typing = segment.pop().text if segment and not before[-1:].isspace() else ""
    known = [t.key for t in sheet.trims]
    trim = next((t.text for t in reversed(list(_tokens(before))) if t.text in known), trim)
    if not segment:
        found = [Completion(text=head, words=words) for head, words in HEADS.items()]
        if len(sheet.trims) < 2:
            found = [one for one in found if one.text != "t"]
    else:
        found = _values(sheet, trim, segment)
    fitting = [
        one
        for one in found
        if one.text.startswith(typing)
        or (typing and any(w.startswith(typing) for w in one.words.lower().split()))
    ]
    return tuple(fitting[:MOST_COMPLETIONS])


def _values(sheet: ModelSheet, trim: str, segment: list[_Token]) -> list[Completion]:
    head = segment[0].text
    places = sheet.of_trim(trim)
    said = {token.text for token in segment[1:]}
    if head in PART_HEADS or head in TEST_HEADS:
        listed_ = places.parts if head in PART_HEADS else places.tests
        return [
            Completion(text=place.key, words=place.label)
            for place in listed_
            if place.key not in said
        ]
    if head == "t":
        return [Completion(text=t.key, words=t.label) for t in sheet.trims]
    if head == "g":
        return [Completion(text=grade.lower(), words=grade.explained) for grade in Grade]
    if head == "!":
        return [
            Completion(text=word[1:], words=kind.label)
            for word, kind in HAZARD_WORDS.items()
            if word != "!"
        ]
    reader = _Reader(sheet, trim)
    reader.segment(segment)
    if head == "m":
        return _next_module(sheet, reader)
    if head == "s":
        for place in places.drives:
            if place.key not in reader.entries:
                letters = {"NVMe": "n", "SATA": "s", "eMMC": "e"}
                sizes = [f"{letters[i]}{min(256, place.limit_gb)}" for i in place.interfaces]
                return [Completion(text=text, words=place.label) for text in [*sizes, "-", "x"]]
    if head == "b":
        for pack in places.packs:
            if pack.key not in reader.entries:
                return [
                    Completion(
                        text=f"{variant.design_wh * 0.8:.0f}/{variant.design_wh:g}",
                        words=f"{pack.label}: full charge / design {variant.design_wh:g} Wh",
                    )
                    for variant in pack.variants
                ] + [Completion(text="-", words=f"{pack.label} absent")]
    return []


def _next_module(sheet: ModelSheet, reader: _Reader) -> list[Completion]:
    soldered = sheet.memory.soldered
    if soldered and soldered.key not in reader.entries:
        return [Completion(text=str(gb), words=f"{gb} GB soldered") for gb in soldered.amounts_gb]
    for slot in sheet.memory.slots:
        if slot.key not in reader.entries:
            sizes = [gb for gb in (4, 8, 16, 32) if gb <= slot.limit_gb]
            return [
                *(Completion(text=str(gb), words=f"{gb} GB in {slot.label}") for gb in sizes),
                Completion(text="-", words=f"{slot.label} empty"),
                Completion(text="x", words=f"{slot.label} faulty"),
            ]
    return []


class HeadWord(Record):
    """What a segment of the line begins with."""

    word: str
    label: str


def head_words() -> tuple[HeadWord, ...]:
    """Every beginning of a segment, in the order of a unit."""
    return tuple(HeadWord(word=word, label=label) for word, label in HEADS.items())


def code_words(sheet: ModelSheet | None) -> dict[str, tuple[str, ...]]:
    """Words for a printed sheet of scan codes: heading -> words of the line.

    :param sheet: with a sheet its own parts, tests and trims come after the words that all share.
    """
    words: dict[str, tuple[str, ...]] = {
        "Begin": ("m", "s", "b", "miss", "bust", "fail", "g", "ok", "same", "/"),
        "Sizes": ("2", "4", "8", "16", "32", "-", "x", "?"),
        "Drives": ("n128", "n256", "n512", "s128", "s256", "h500", "h1000"),
        "Grade": ("a", "b", "c"),
        "End": ("keep", "undo"),
    }
    if sheet:
        words["Trims"] = tuple(trim.key for trim in sheet.trims)
        words["Parts"] = tuple(part.key for part in sheet.parts)
        words["Tests"] = tuple(test.key for test in sheet.tests)
    return words
