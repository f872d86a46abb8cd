"""The count at the door: what was announced against what is scanned."""

from sortis_core.base import Record
from sortis_core.codes import own_kind
from sortis_core.vocabulary.term import Term


class ComesAlong(Term):
    """What comes along with units and is counted with them."""

    ADAPTER = "adapter"
    DOCK = "dock"
    PACK = "pack", "loose pack"


WORDS = {
    ComesAlong.ADAPTER: ("adapter", "charger", "power brick", "psu", "power supply"),
    ComesAlong.DOCK: ("dock", "port replicator"),
    ComesAlong.PACK: ("spare battery", "loose pack", "second battery", "external battery"),
}


class CountVerdict(Term):
    """What a scan at the count means."""

    SEEN = "seen"
    AGAIN = "again", "seen before"
    CONFIRMED = "confirmed"
    SWAPPED = "swapped", "labels swapped"
    ELSEWHERE = "elsewhere", "another batch's"
    SURPLUS = "surplus"
    TO_MEND = "to_mend", "in a row to be mended"
    NO_UNIT = "no_unit", "no unit's label"


class Announced(Record):
    """One unit as the manifest announced it."""

    tag: str
    serial: str
    model: str
    counted: bool


class ScanVerdict(Record):
    """What one scanned code means."""

    verdict: CountVerdict
    code: str
    tag: str = ""
    """The unit it belongs to."""
    other: str = ""
    """For swapped labels: the tag of the unit whose serial number was scanned."""
    sentence: str


def plain_code(code: str) -> str:
    """A code as scanners and fingers write it: without blanks and case."""
    return "".join(code.split()).upper()


def judge_scan(
    code: str,
    announced: tuple[Announced, ...],
    before: str = "",
    elsewhere: str = "",
    to_mend: str = "",
) -> ScanVerdict:
    """What a scan of a tag or a serial number means.

    :param before: tag scanned just before; a serial number after it must be that unit's.
    :param elsewhere: name of another batch that has a unit of this code; empty where none has.
    :param to_mend: the row of a list that has it and was set aside, as ``line 11 of ferry.csv``.
    """
    wanted = plain_code(code)
    by_tag = {plain_code(unit.tag): unit for unit in announced}
    by_serial = {plain_code(unit.serial): unit for unit in announced}
    unit = by_tag.get(wanted) or by_serial.get(wanted)
    if unit is None:
        if elsewhere:
            return ScanVerdict(
                verdict=CountVerdict.ELSEWHERE,
                code=code,
                sentence=f"{code} belongs to {elsewhere}. Set it aside for that batch.",
            )
        if kind := own_kind(code):
            return ScanVerdict(
                verdict=CountVerdict.NO_UNIT,
                code=code,
                sentence=f"{code} is no unit but a {kind.label}. Nothing was noted.",
            )
        if to_mend:
            return ScanVerdict(
                verdict=CountVerdict.TO_MEND,
                code=code,
                sentence=f"{code} is announced in {to_mend}, which was set aside. Mend that row "
                "and take it in, then scan this again; it is not counted yet.",
            )
        return ScanVerdict(
            verdict=CountVerdict.SURPLUS,
            code=code,
            sentence=f"{code} was not announced. It is noted as surplus; say what model it is to "
            "take it in.",
        )
    by_its_serial = wanted not in by_tag
    labelled = by_tag.get(plain_code(before)) if before else None
    if by_its_serial and labelled and labelled.tag != unit.tag:
        return ScanVerdict(
            verdict=CountVerdict.SWAPPED,
            code=code,
            tag=labelled.tag,
            other=unit.tag,
            sentence=f"The label says {labelled.tag}, the machine says serial {unit.serial}, which "
            f"is {unit.tag}. Put the right labels on, or say that this is the next unit.",
        )
    if by_its_serial and labelled:
        return ScanVerdict(
            verdict=CountVerdict.CONFIRMED,
            code=code,
            tag=unit.tag,
            sentence=f"{unit.tag} and serial {unit.serial} belong together.",
        )
    if unit.counted:
        return ScanVerdict(
            verdict=CountVerdict.AGAIN,
            code=code,
            tag=unit.tag,
            sentence=f"{unit.tag} was counted already; nothing changed.",
        )
    return ScanVerdict(
        verdict=CountVerdict.SEEN,
        code=code,
        tag=unit.tag,
        sentence=f"{unit.tag}, {unit.model}, counted in.",
    )


def extras_in(words: str) -> tuple[str, ...]:
    """Things that a row of a manifest says come along; ``no adapter`` announces none."""
    text = words.lower()
    found = []
    for kind in ComesAlong:
        named = [word for word in WORDS[kind] if word in text]
        if named and not any(f"{no} {named[0]}" in text for no in ("no", "without", "missing")):
            found.append(kind)
    return tuple(found)
