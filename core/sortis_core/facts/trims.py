"""Which trim a unit is, told by what is there (docs/rules.md, Trims)."""

from sortis_core.base import listed
from sortis_core.facts.question import Question
from sortis_core.findings import Findings, PartState, PlaceState
from sortis_core.sheets import ModelSheet


def trim_questions(sheet: ModelSheet, findings: Findings) -> list[Question]:
    """Ask whether a unit is of another trim, where all that tells the two apart is gone.

    What a unit never came with is no missing part, and its screws may be other ones. Of several
    trims the one that explains most is named.
    """
    mine = sheet.of_trim(findings.trim)
    explained: list[tuple[int, str, str, str]] = []
    for trim in sheet.trims:
        if trim.key == findings.trim:
            continue
        other = sheet.of_trim(trim.key)
        parts = [part for part in mine.parts if part not in other.parts]
        drives = [drive for drive in mine.drives if drive not in other.drives]
        if not parts and not drives:
            continue
        gone = all(findings.part(part.key) is PartState.MISSING for part in parts) and all(
            findings.drive(drive.key).state is PlaceState.EMPTY for drive in drives
        )
        if gone:
            labels = listed([place.label for place in (*drives, *parts)])
            first = (*drives, *parts)[0].key
            explained.append((len(parts) + len(drives), trim.label, labels, first))
    if not explained:
        return []
    most, label, labels, first = max(explained, key=lambda one: one[0])
    verb = "is" if most == 1 else "are"
    return [
        Question(
            place=first,
            sentence=f"{labels} {verb} not there, as on units “{label}”. "
            "If it is one of those, choose that trim.",
        )
    ]
