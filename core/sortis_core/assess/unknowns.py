"""What nobody looked at yet, and whether it could change the decision."""

from sortis_core.base import Record, listed
from sortis_core.configuration import Aspect
from sortis_core.facts.completeness import required_parts
from sortis_core.facts.configuration import aspects_that_tell_parts, built_with, possible
from sortis_core.findings import Findings, PartState, PlaceState, TestState
from sortis_core.gates.verdict import GateState, GateVerdict
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard, asked_aspects, is_sold


class Unknowns(Record):
    """Places nobody looked at, sorted by what they could still change."""

    decide: tuple[str, ...]
    """They could change which standards the unit meets."""
    yields: tuple[str, ...]
    """They only change what the unit gives as a donor."""
    idle: tuple[str, ...]
    """Every outcome is the same whatever is found there."""
    ruled_out: tuple[str, ...]
    """One fact for each standard that cannot be reached whatever is found."""
    sentence: str


NOTHING_UNKNOWN = Unknowns(decide=(), yields=(), idle=(), ruled_out=(), sentence="")


def ruled_out(
    sheet: ModelSheet, findings: Findings, standard: Standard, policy: Policy, sold: bool
) -> str:
    """The fact that rules a standard out whatever the places not looked at hold; else empty.

    :param sold: some standard has a price for the model in this grade.
    """
    if sold and findings.grade and standard.price_cents(sheet.key, findings) is None:
        return f"{standard.name}: no price for this model in grade {findings.grade}"
    for gate in standard.gates:
        if fact := gate.rules_out(sheet, findings, policy):
            return f"{standard.name}: {fact}"
    return ""


def unseen_places(
    sheet: ModelSheet, findings: Findings, asked: tuple[Aspect, ...] = ()
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(places whose contents a donor gives, all others) that nobody looked at."""
    trim = findings.trim
    gives = [
        slot.key
        for slot in sheet.memory.slots
        if findings.module(slot.key).state is PlaceState.UNSEEN
    ]
    gives += [
        part.key
        for part in required_parts(sheet, findings)
        if findings.part(part.key) is PartState.UNSEEN
    ]
    other = [
        d.key for d in sheet.drives_of(trim) if findings.drive(d.key).state is PlaceState.UNSEEN
    ]
    other += [
        p.key for p in sheet.packs_of(trim) if findings.pack(p.key).state is PlaceState.UNSEEN
    ]
    other += [t.key for t in sheet.tests_of(trim) if findings.test(t.key) is TestState.UNSEEN]
    if sheet.memory.soldered and findings.soldered_gb is None:
        other.append(sheet.memory.soldered.key)
    if findings.grade is None:
        other.append("grade")
    other += [
        aspect.value
        for aspect in asked
        if not built_with(sheet, findings, aspect) and possible(sheet, aspect, trim)
    ]
    return tuple(gives), tuple(other)


def unknowns(
    sheet: ModelSheet,
    findings: Findings,
    standards: tuple[Standard, ...],
    gates: tuple[tuple[GateVerdict, ...], ...],
    policy: Policy,
) -> Unknowns:
    """Sort what nobody looked at by what it could still change.

    A place decides while some standard that is not ruled out has a gate that hangs on it. Where
    every standard is ruled out only a donor's yield is left: modules and required parts.

    :param gates: the verdicts of each standard, in the order of ``standards``.
    """
    gives, other = unseen_places(sheet, findings, asked_aspects(standards, sheet))
    half_read: list[str] = []
    facts: list[str] = []
    hangs: set[str] = set()
    open_standards = 0
    sold = is_sold(standards, sheet.key, findings)
    for standard, verdicts in zip(standards, gates, strict=True):
        if fact := ruled_out(sheet, findings, standard, policy, sold):
            facts.append(fact)
            continue
        open_standards += 1
        for verdict in verdicts:
            hangs.update(verdict.unseen)
            half_read += [key for key in verdict.unseen if key not in (*gives, *other)]
        if findings.grade is None:
            hangs.add("grade")
        # A gate that is short is met by fitting something: what is there now decides what.
        for verdict in verdicts:
            if verdict.state is GateState.SHORT:
                hangs.update(verdict.places)
    other = (*other, *dict.fromkeys(half_read))
    if not gives and not other:
        return NOTHING_UNKNOWN
    decide = tuple(key for key in (*gives, *other) if key in hangs)
    yields: tuple[str, ...] = ()
    if not open_standards:
        tells = aspects_that_tell_parts(sheet, findings)
        yields = (*gives, *(aspect.value for aspect in tells if aspect.value in other))
    idle = tuple(key for key in (*gives, *other) if key not in hangs and key not in yields)
    return Unknowns(
        decide=decide,
        yields=yields,
        idle=idle,
        ruled_out=tuple(facts),
        sentence=_sentence(sheet, decide, yields, idle, bool(open_standards)),
    )


def _sentence(
    sheet: ModelSheet,
    decide: tuple[str, ...],
    yields: tuple[str, ...],
    idle: tuple[str, ...],
    sellable: bool,
) -> str:
    if decide:
        return f"Still decides: {_labels(sheet, decide)}."
    if yields:
        return (
            "No standard can be reached, whatever is found. Look only at what it would give as a "
            f"donor: {_labels(sheet, yields)}."
        )
    under_the_cover = {place.key for place in (*sheet.memory.slots, *sheet.drives)}
    inside = bool(under_the_cover.intersection(idle))
    if inside and sellable:
        return "No need to open: every outcome is the same, whatever is found."
    return "Nothing that is still unknown changes the outcome."


def _labels(sheet: ModelSheet, keys: tuple[str, ...]) -> str:
    said = ["grade" if key == "grade" else sheet.label_of(key) for key in keys]
    if len(said) > 4:
        said = [*said[:3], f"{len(said) - 3} more"]
    return listed(said)
