"""Papers of a unit and a batch in plain words: one set of facts for PDF, JSON and the buyer.

A paper says what was seen and what was not; nothing on it is worked out anywhere else
(docs/rules.md, Papers).
"""

from collections.abc import Mapping, Sequence

from sortis_core.assess import assess
from sortis_core.base import Record, listed
from sortis_core.facts.completeness import required_parts
from sortis_core.facts.configuration import configuration_words
from sortis_core.facts.figures import at_least
from sortis_core.findings import Findings, OriginKind, PartState, PlaceState, TestState
from sortis_core.gates.proof import ReleaseGate
from sortis_core.gates.proven import PROVEN
from sortis_core.policy import Policy
from sortis_core.selling import SaleState
from sortis_core.sheets import MachineForm, ModelSheet, Stream
from sortis_core.standards import Standard
from sortis_core.vocabulary.term import Term
from sortis_core.workshop import WorkshopSettings, told_weight

LEAST_OF_HOURS = 0.7
"""What is promised of the estimated hours: use differs, and packs age."""


class PaperKind(Term):
    """A paper that leaves the workshop or stays in it."""

    SPEC = "spec", "spec sheet", "For the buyer, in plain words; no name, no cost."
    RECORD = "record", "internal record", "All evidence of one unit, with who and when."
    DRIVES = (
        "drives",
        "certificate of drives",
        "How the data on each drive of one unit was removed.",
    )
    PICK = "pick", "pick list", "What was reserved and is to be packed."
    DELIVERY = "delivery", "delivery note", "What one buyer gets, with what comes along."
    CERTIFICATE = "certificate", "batch certificate", "What became of a whole batch."


class PrintKind(Term):
    """What is printed of many units at once."""

    LABELS = "labels"
    SPEC = "spec", "spec sheets"
    RECORD = "record", "internal records"


class PaperLine(Record):
    """One line: what, and what of it."""

    label: str
    text: str


class PaperPart(Record):
    """Lines under one heading."""

    heading: str
    lines: tuple[PaperLine, ...]


class Paper(Record):
    """One paper, before it is drawn."""

    kind: PaperKind
    title: str
    subtitle: str
    parts: tuple[PaperPart, ...]
    foot: str
    address: str = ""
    """Of the workshop, line by line; set when it is written out."""
    void: bool = False
    """It does not hold any more: the unit was drawn back."""

    @property
    def words(self) -> str:
        """The whole paper as text, as a test or a reading voice has it."""
        lines = [self.title, self.subtitle]
        for part in self.parts:
            lines.append(part.heading)
            lines += [f"{line.label}: {line.text}" for line in part.lines]
        return "\n".join([*lines, self.foot, *self.address.splitlines()])


class ReleasedUnit(Record):
    """A unit as it was released, with what its papers tell of it."""

    tag: str
    serial: str
    sheet: ModelSheet
    findings: Findings
    standard: Standard
    policy: Policy
    gates: tuple[ReleaseGate, ...]
    released_on: str
    """ISO day."""
    released_by: str
    void: bool = False
    taken: bool = False
    """Sold, or somebody is to get it."""
    marks: tuple[str, ...] = ()
    """Damage that is marked on its pictures, numbered."""


class Evidence(Record):
    """A file that was kept as evidence, by its content."""

    what: str
    by: str
    at: str
    sha256: str


class PartIn(Record):
    """A part that went into the unit here."""

    label: str
    place: str
    source: str
    """The condition of its lot, or out of which unit; with the lot."""


def _line(label: str, text: str) -> tuple[PaperLine, ...]:
    return (PaperLine(label=label, text=text),) if text else ()


def spec_sheet(unit: ReleasedUnit, workshop: str) -> Paper:
    """For the buyer: what it is, what it holds, its battery, marks and remarks, what was replaced.

    No serial number, no cost and nobody's name stands on it.
    """
    sheet, findings = unit.sheet, unit.findings
    facts = assess(sheet, findings, (unit.standard,), unit.policy)
    memory = f"{facts.memory.total_gb} GB {sheet.memory.generation}"
    if facts.memory.total_gb > sheet.memory.stated.gb:
        memory += f", more than the {sheet.memory.stated.gb} GB that the maker states; seen running"
    if facts.memory.free_slots:
        memory += f"; {_labels(sheet, facts.memory.free_slots)} free"
    if facts.memory.unseen:
        memory += f"; {_labels(sheet, facts.memory.unseen)} not looked at"
    what = (
        *_line("Machine", f"{sheet.name}, {_form(sheet)}"),
        *_line("Built with", ", ".join(configuration_words(sheet, findings))),
        *_line("Memory", memory),
        *_line("Drive", _drives(sheet, findings)),
        *_line("Sold as", f"{unit.standard.name}, grade {_grade(findings)}"),
    )
    parts = [PaperPart(heading="What it is", lines=what)]
    if battery := _battery(unit):
        parts.append(PaperPart(heading="Battery", lines=battery))
    parts.append(PaperPart(heading="Condition", lines=_condition(unit)))
    if replaced := _replaced(unit):
        lines = _line("Fitted here", listed(replaced))
        parts.append(PaperPart(heading="What was replaced or added", lines=lines))
    parts.append(PaperPart(heading="Your data, and theirs", lines=_line("Drives", _data(unit))))
    return Paper(
        kind=PaperKind.SPEC,
        title=sheet.name,
        subtitle=f"{unit.tag}, checked {unit.released_on}",
        parts=tuple(parts),
        foot=f"{workshop}. Each line was seen on this very machine."
        if not unit.void
        else f"{workshop}. VOID: this machine was drawn back after this paper was written.",
        void=unit.void,
    )


def _labels(sheet: ModelSheet, places: Sequence[str]) -> str:
    return listed([sheet.label_of(place) for place in places])


def _form(sheet: ModelSheet) -> str:
    return "laptop" if sheet.form is MachineForm.LAPTOP else "mini PC"


def _grade(findings: Findings) -> str:
    grade = findings.grade
    return f"{grade.value} ({grade.explained or grade.label})" if grade else "not judged"


def _drives(sheet: ModelSheet, findings: Findings) -> str:
    held = []
    for place in sheet.drives_of(findings.trim):
        drive = findings.drive(place.key)
        if drive.state is PlaceState.PRESENT:
            kind = "spinning disk" if drive.spinning else f"{drive.interface} solid-state drive"
            worn = drive.life_percent is not None
            life = f", {drive.life_percent} % of its life left" if worn else ""
            held.append(f"{drive.gb} GB {kind}{life}")
        elif drive.state is PlaceState.UNSEEN:
            held.append(f"{place.label} not looked at")
        elif drive.state is PlaceState.FAULTY:
            held.append(f"{place.label} holds one that does not work")
    return listed(held) or "none"


def _battery(unit: ReleasedUnit) -> tuple[PaperLine, ...]:
    facts = assess(unit.sheet, unit.findings, (unit.standard,), unit.policy).battery
    lines: list[PaperLine] = []
    for pack in facts.packs:
        label = unit.sheet.label_of(pack.place)
        if pack.full_wh is None or pack.design_wh is None or pack.health_percent is None:
            lines += _line(label, "not measured")
            continue
        cycles = f", {pack.cycles} charges" if pack.cycles is not None else ""
        lines += _line(
            label,
            f"holds {at_least(pack.full_wh):.0f} of {pack.design_wh:.0f} Wh, "
            f"{at_least(pack.health_percent):.0f} % healthy{cycles}",
        )
    if facts.runtime_hours:
        least = facts.runtime_hours * LEAST_OF_HOURS
        lines += _line(
            "Estimated",
            f"{least:.1f} to {facts.runtime_hours:.1f} hours of office work; an estimate, use "
            "differs",
        )
    return tuple(lines)


def _condition(unit: ReleasedUnit) -> tuple[PaperLine, ...]:
    sheet, findings = unit.sheet, unit.findings
    poorly = [f"{sheet.label_of(key)}: {how}" for key, how in sorted(findings.remarks.items())]
    tests = sheet.tests_of(findings.trim)
    passed = [t.label for t in tests if findings.test(t.key) is TestState.PASSED]
    failed = [t.label for t in tests if findings.test(t.key).bad]
    untested = [t.label for t in tests if findings.test(t.key) is TestState.UNSEEN]
    parts: dict[PartState, list[str]] = {state: [] for state in PartState}
    for part in required_parts(sheet, findings):
        parts[findings.part(part.key)].append(part.label)
    return (
        *_line("Looks", _grade(findings)),
        *_line("Marked on its pictures", "; ".join(unit.marks)),
        *_line(f"Not as {unit.standard.name} asks", _let_go(unit)),
        *_line("Works poorly", "; ".join(poorly) or "nothing was seen to"),
        *_line("Seen working", listed(passed) or "nothing was tested"),
        *_line("Proven by use", _proven(unit)),
        *_line("Not tested", listed(untested) or "nothing that the model has"),
        *_line("Seen not working", listed(failed)),
        *_line("Missing", listed(parts[PartState.MISSING])),
        *_line("Broken", listed(parts[PartState.BROKEN])),
        *_line("Not looked at", listed(parts[PartState.UNSEEN])),
    )


def _proven(unit: ReleasedUnit) -> str:
    """What the running unit showed after the work, with its figures."""
    return "; ".join(
        f"{gate.sentence[0].lower()}{gate.sentence[1:]} ({gate.record})"
        for gate in unit.gates
        if gate.gate.startswith(PROVEN) and gate.met and gate.record and not gate.waived
    )


def _let_go(unit: ReleasedUnit) -> str:
    """Gates that it left without, where its buyer is to know."""
    return "; ".join(f"{gate.sentence} ({gate.record})" for gate in unit.gates if gate.told)


def _replaced(unit: ReleasedUnit) -> list[str]:
    found = []
    for place, origin in sorted(unit.findings.origins.items()):
        label = unit.sheet.label_of(place)
        if origin.kind is OriginKind.FITTED:
            found.append(f"{label} (from stock)")
        elif origin.kind is OriginKind.MOVED:
            found.append(f"{label} (used, out of a machine)")
    return found


def _data(unit: ReleasedUnit) -> str:
    gate = next((one for one in unit.gates if one.gate == "sanitised"), None)
    if gate is None or not gate.met:
        return "no record of how data was removed"
    return f"{gate.sentence}: {gate.record}" if gate.record else gate.sentence


def internal_record(
    unit: ReleasedUnit,
    workshop: str,
    parts: Sequence[PartIn],
    signed: Sequence[PaperLine],
    evidence: Sequence[Evidence],
) -> Paper:
    """All evidence of a unit: gates, who saw what, parts with their lots, files by their hashes."""
    gates = tuple(
        PaperLine(label=gate.sentence, text=gate.evidence or "not met") for gate in unit.gates
    )
    fitted = tuple(PaperLine(label=one.place, text=f"{one.label}, {one.source}") for one in parts)
    files = tuple(
        PaperLine(label=f"{one.what}, {one.by}, {one.at}", text=f"SHA-256 {one.sha256}")
        for one in evidence
    )
    identity = (
        *_line("Tag", unit.tag),
        *_line("Serial number", unit.serial),
        *_line("Model", f"{unit.sheet.name}, sheet {unit.sheet.version}"),
        *_line("Standard", f"{unit.standard.name}, version {unit.standard.version}"),
        *_line("Released", f"{unit.released_on} by {unit.released_by}"),
    )
    found = [
        PaperPart(heading="Unit", lines=identity),
        PaperPart(heading="Gates and their evidence", lines=gates),
    ]
    for heading, lines in (
        ("Parts that went in", fitted),
        ("Signatures", tuple(signed)),
        ("Files kept as evidence", files),
    ):
        if lines:
            found.append(PaperPart(heading=heading, lines=lines))
    return Paper(
        kind=PaperKind.RECORD,
        title=f"Record of {unit.tag}",
        subtitle=unit.sheet.name,
        parts=tuple(found),
        foot=f"{workshop}. Internal; not for the buyer." + (" VOID." if unit.void else ""),
        void=unit.void,
    )


class SoldUnit(Record):
    """One unit on its way to a buyer."""

    tag: str
    model: str
    claims: tuple[str, ...]
    """The lines of its label."""
    comes_with: str
    buyer: str
    state: SaleState


def pick_list(sold: Sequence[SoldUnit], shop: str) -> Paper:
    """What is to be packed, buyer by buyer; each is packed by the scan of its own label."""
    waiting = [one for one in sold if one.state is SaleState.RESERVED]
    buyers = sorted({one.buyer for one in waiting})
    return Paper(
        kind=PaperKind.PICK,
        title="Pick list",
        subtitle=f"{len(waiting)} to pack, for {len(buyers)} buyers"
        if len(buyers) != 1
        else f"{len(waiting)} to pack, for {buyers[0]}",
        parts=tuple(
            PaperPart(
                heading=buyer,
                lines=tuple(
                    PaperLine(label=one.tag, text=f"{one.model}; {_along(one)}")
                    for one in sorted(waiting, key=lambda one: one.tag)
                    if one.buyer == buyer
                ),
            )
            for buyer in buyers
        ),
        foot=f"{shop}. Scan each label as it is packed: it shows that it is the right one.",
    )


def delivery_note(buyer: str, sold: Sequence[SoldUnit], shop: str) -> Paper:
    """What one buyer gets: each unit with what its label claims and what comes along."""
    packed = [one for one in sold if one.buyer == buyer and one.state is SaleState.PACKED]
    return Paper(
        kind=PaperKind.DELIVERY,
        title=f"Delivery note for {buyer}",
        subtitle="one machine" if len(packed) == 1 else f"{len(packed)} machines",
        parts=tuple(
            PaperPart(
                heading=f"{one.tag}, {one.model}",
                lines=(
                    *_line("As on its label", "; ".join(one.claims)),
                    *_line("Comes with", _along(one)),
                ),
            )
            for one in sorted(packed, key=lambda one: one.tag)
        ),
        foot=f"{shop}. Each was scanned when it was packed.",
    )


def _along(one: SoldUnit) -> str:
    return one.comes_with or "nothing besides"


class DriveCleared(Record):
    """One drive of a unit that held data, and what became of the data."""

    drive: str
    how: str
    by: str
    on: str
    """ISO day."""
    sha256: str = ""
    """Of the eraser's report; empty where a person's word is all there is."""


def drive_certificate(tag: str, model: str, drives: Sequence[DriveCleared], shop: str) -> Paper:
    """How the data on each drive that was ever in the unit was removed, wherever it is now."""
    return Paper(
        kind=PaperKind.DRIVES,
        title=f"Data on the drives of {tag}",
        subtitle=model,
        parts=tuple(
            PaperPart(
                heading=one.drive,
                lines=(
                    *_line("Data removed", one.how),
                    *_line("By", f"{one.by}, {one.on}"),
                    *_line("Proof", f"report, SHA-256 {one.sha256}" if one.sha256 else ""),
                    *_line("Proof", "" if one.sha256 else "the word of whoever signed"),
                ),
            )
            for one in drives
        ),
        foot=f"{shop}. Drives that were fitted here from stock held no data and are not listed.",
    )


def batch_certificate(
    name: str,
    source: str,
    ends: Mapping[str, int],
    reused: Mapping[str, int],
    weights: Mapping[Stream, int],
    drives: Mapping[str, int],
    shop: WorkshopSettings,
) -> Paper:
    """What became of a batch: how its units ended, parts reused, recycling, drives.

    :param ends: stage or end -> units.
    :param reused: part -> how many went from one unit into another.
    :param weights: stream -> grams that go to the recycler.
    :param drives: how drives that held data ended -> how many.
    :param shop: what its weights are told in, and what its place asks of a recycler.
    """
    total = sum(ends.values())
    sections = (
        ("Units", tuple(PaperLine(label=end, text=str(n)) for end, n in ends.items() if n)),
        ("Parts used again", tuple(PaperLine(label=k, text=str(n)) for k, n in reused.items())),
        (
            "To the recycler",
            tuple(
                PaperLine(
                    label=stream.heading,
                    text=f"{told_weight(grams, shop.weighing).words}, by the model sheets",
                )
                for stream, grams in weights.items()
                if grams
            ),
        ),
        ("Rules of this place", _line("Recycling", shop.recycling_rules)),
        (
            "Drives that held data",
            tuple(PaperLine(label=k, text=str(n)) for k, n in drives.items()),
        ),
    )
    return Paper(
        kind=PaperKind.CERTIFICATE,
        title=f"Certificate of {name}",
        subtitle=f"{total} units from {source}",
        parts=tuple(PaperPart(heading=head, lines=lines) for head, lines in sections if lines),
        foot=f"{shop.name}. Weights are those of the model sheets, less what was taken out.",
    )


def _availability(unit: ReleasedUnit) -> str:
    if unit.void:
        return "Discontinued"
    return "SoldOut" if unit.taken else "InStock"


def in_structured_data(
    unit: ReleasedUnit, paper: Paper, address: str, workshop: str, images: Sequence[str] = ()
) -> dict[str, object]:
    """The buyer's page as product data in the schema.org vocabulary; what it shows and no more.

    :param images: addresses of its pictures, in order.
    """
    lines = [line for part in paper.parts for line in part.lines]
    return {
        "@context": "https://schema.org",
        "@type": "Product",
        "name": unit.sheet.name,
        "sku": unit.tag,
        "url": address,
        **({"image": list(images)} if images else {}),
        "itemCondition": "https://schema.org/RefurbishedCondition",
        "brand": {"@type": "Brand", "name": unit.sheet.maker},
        "offers": {
            "@type": "Offer",
            "availability": f"https://schema.org/{_availability(unit)}",
            "seller": {"@type": "Organization", "name": workshop},
        },
        "additionalProperty": [
            {"@type": "PropertyValue", "name": line.label, "value": line.text} for line in lines
        ],
    }
