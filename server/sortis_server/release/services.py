"""The last check: gates with evidence, signatures, release."""

from collections.abc import Iterator, Sequence

from django.db import transaction
from django.db.models import Manager
from django.utils import timezone

from sortis_core.actions import Action, Verb
from sortis_core.base import SortisError
from sortis_core.check import Checked, CheckStep, check, looked_at_again, require_as_ordered
from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.gates.proven import ProvenGate
from sortis_core.gates.sanitised import SanitisedGate, drives_with_data
from sortis_core.intake.readout import ReadOut
from sortis_core.proving import NotProven, Reading, proven_words
from sortis_core.reasons import says_something
from sortis_core.release import (
    NotSignable,
    ReleaseGate,
    Signature,
    label_lines,
    release_gates,
    require_all,
    require_another,
    signature_words,
)
from sortis_core.route.work import WorkOrder, plan_work
from sortis_core.stages import Stage
from sortis_core.standards import Standard
from sortis_core.takeback import require_signing, require_unsold
from sortis_core.vocabulary.states import LogWhat, OrderState
from sortis_core.waivers import Waiver, about, require_waivable
from sortis_server.arrive.models import Unit
from sortis_server.inspect.services import findings_of, policy_of, save_findings, sheet_of
from sortis_server.orders import clock
from sortis_server.orders.models import StepLog, WorkOrderRow
from sortis_server.orders.orders import next_version
from sortis_server.orders.pace import pace_of
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.release.models import LONGEST_WORDS, GateSignature, GateWaiver, Release
from sortis_server.stock.erasures import keep_reports, serials_seen
from sortis_server.workshop.services import newest_standards, part_kinds


class ReleaseRefused(SortisError):
    """The unit is not at the last check."""

    title = "That cannot be signed"


def standard_of(unit: Unit) -> Standard:
    """The standard the unit was decided for.

    :raises ReleaseRefused: where it was decided for none.
    """
    outcome = unit.outcomes.filter(valid=True).order_by("-pk").first()
    for standard in newest_standards():
        if outcome and standard.key == outcome.standard:
            return standard
    raise ReleaseRefused(f"{unit.tag} was not decided for a standard. Decide it first.")


def gates_of(unit: Unit) -> tuple[ReleaseGate, ...]:
    """All gates of the unit's standard with their evidence."""
    newest = unit.inspections.select_related("by").order_by("-number").first()
    if newest is None:
        raise ReleaseRefused(f"{unit.tag} was never inspected. Inspect it first.")
    return release_gates(
        sheet_of(unit),
        standard_of(unit),
        read_document(Findings, newest.findings),
        Signature(
            by=newest.by.name,
            at=newest.at.isoformat(),
            words=f"{newest.source} {newest.number}",
        ),
        {
            row.gate: Signature(
                by=row.by.name, at=row.at.isoformat(), words=row.words, about=row.about
            )
            for row in unit.signatures.filter(valid=True).select_related("by").order_by("pk")
        },
        policy_of(unit),
        {
            row.gate: Waiver(by=row.by.name, reason=row.reason, told=row.told, about=row.about)
            for row in unit.waivers.filter(valid=True).select_related("by").order_by("pk")
        },
    )


def _hands_of(unit: Unit) -> set[str]:
    """Names of who did a step of the unit's work orders."""
    done = StepLog.objects.filter(order__unit=unit, what=LogWhat.DONE)
    return set(done.values_list("by__name", flat=True))


def sign(tag: str, gate: str, words: str, by: Person, reports: Sequence[str] = ()) -> Unit:
    """Sign one gate of the last check.

    :param reports: of an eraser, one for each drive that held data; else ``words`` say how.
    :raises NotSignable: where the gate asks for nothing, or the words are missing.
    :raises ReportRefused: where a report is none, of another drive, or was given before.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage != Stage.RELEASE:
            raise ReleaseRefused(f"{tag} waits in {unit.stage}, not at the last check.")
        require_another(by.name, _hands_of(unit), tag, policy_of(unit))
        gates = gates_of(unit)
        if reports:
            words = _by_reports(unit, gates, gate, reports, by)
        said = signature_words(gates, gate, words)
        signed_for = next(one.about for one in gates if one.gate == gate)
        if any(one.gate == gate and one.by_machine for one in gates):
            said = _by_readings(unit, gate)
        GateSignature.objects.create(
            unit=unit, gate=gate, words=said[:LONGEST_WORDS], about=signed_for, by=by
        )
        return unit


def _by_reports(
    unit: Unit, gates: tuple[ReleaseGate, ...], gate: str, reports: Sequence[str], by: Person
) -> str:
    """The record that an eraser's reports make for the drives of a unit."""
    if not any(one.gate == gate and one.signable and one.takes_reports for one in gates):
        raise NotSignable("This gate takes no report of an eraser.")
    drives = len(drives_with_data(findings_of(unit)))
    return keep_reports(reports, drives, by, unit=unit, known=serials_seen(unit))


def _by_readings(unit: Unit, gate: str) -> str:
    """The record that the read-outs since the last look make for a gate.

    :raises NotProven: where they do not show it, or are of another unit.
    """
    if (found := checked(unit)) and found.other_unit:
        raise NotProven("The newest read-out is of another unit. Read this one out.")
    newest = unit.inspections.order_by("-number").first()
    rows = unit.readouts.defer("data").order_by("pk")
    readings = [
        Reading(row.at, read_document(ReadOut, row.document))
        for row in rows
        if newest is None or row.at >= newest.at
    ]
    for one in standard_of(unit).gates:
        if isinstance(one, ProvenGate) and one.name == gate:
            return proven_words(one, readings)
    raise NotThere(f"The standard of {unit.tag} asks for no such thing.")


def release(tag: str, by: Person) -> Unit:
    """Release the unit: every gate must be met.

    :raises NotReleasable: with the gates that are open.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage != Stage.RELEASE:
            raise ReleaseRefused(f"{tag} waits in {unit.stage}, not at the last check.")
        require_another(by.name, _hands_of(unit), tag, policy_of(unit))
        gates = gates_of(unit)
        require_as_ordered(checked(unit))
        require_all(gates)
        standard = standard_of(unit)
        Release.objects.create(
            unit=unit,
            standard_key=standard.key,
            standard_version=standard.version,
            label=list(lines_of(unit)),
            gates=[gate.model_dump(mode="json") for gate in gates],
            by=by,
        )
        unit.stage = Stage.RELEASED
        unit.save()
        return unit


def sign_back(tag: str, gate: str, by: Person) -> Unit:
    """Take the newest signature of one gate back; both stay on record.

    :raises StayedDone: where the unit is not at the last check. :raises NotThere: without one.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        require_signing(tag, unit.stage)
        signed = unit.signatures.filter(valid=True, gate=gate).order_by("-pk").first()
        if signed is None:
            raise NotThere(f"Nobody signed this gate of {tag}.")
        signed.take_back(by)
        if gate == SanitisedGate().name:
            _void(unit.erasures, by)
        return unit


def waive(tag: str, gate: str, reason: str, by: Person, *, told: bool) -> Unit:
    """Let the unit leave without one gate.

    :raises NotWaivable: where it is met, may never be waived, or the reason says too little.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage != Stage.RELEASE:
            raise ReleaseRefused(f"{tag} waits in {unit.stage}, not at the last check.")
        open_gate = require_waivable(gates_of(unit), gate, reason)
        GateWaiver.objects.create(
            unit=unit,
            gate=gate,
            about=about(open_gate),
            reason=reason.strip(),
            told=told,
            by=by,
        )
        return unit


def waive_back(tag: str, gate: str, by: Person) -> Unit:
    """Take the newest waiver of one gate back; both stay on record.

    :raises StayedDone: where the unit is not at the last check. :raises NotThere: without one.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        require_signing(tag, unit.stage)
        waiver = unit.waivers.filter(valid=True, gate=gate).order_by("-pk").first()
        if waiver is None:
            raise NotThere(f"Nobody waived this gate of {tag}.")
        waiver.take_back(by)
        return unit


def checked(unit: Unit) -> Checked | None:
    """What the newest read-out says of the work; None without one since the last look."""
    newest = unit.inspections.order_by("-number").first()
    row = unit.readouts.defer("data").order_by("-pk").first()
    if newest is None or row is None or row.at < newest.at:
        return None
    readout = read_document(ReadOut, row.document)
    said = readout.machine.serial
    # What the machine called itself before it was worked on is its name, whatever a list said.
    known = said and any(
        read_document(ReadOut, one.document).machine.serial == said
        for one in unit.readouts.filter(at__lt=newest.at).only("document")
    )
    serial = said if known else unit.serial
    return check(sheet_of(unit), findings_of(unit), readout, serial, _steps_of(unit), row.at)


def _steps_of(unit: Unit) -> list[CheckStep]:
    """Steps of the last work that put something somewhere, and of what was seated again since."""
    found: list[CheckStep] = []
    for order in unit.orders.filter(state=OrderState.DONE).order_by("-pk"):
        work = read_document(WorkOrder, order.document)
        found = [*_put_in(work), *found]
        if not order.then:
            break
    return found


def _put_in(work: WorkOrder) -> Iterator[CheckStep]:
    for step in work.steps:
        places = {place for action in step.actions for place, _ in action.parts}
        places |= {action.place for action in step.actions if action.verb is Verb.SEAT}
        if places:
            yield CheckStep(
                number=step.number, title=step.title, how=step.how, places=tuple(sorted(places))
            )


def void_evidence(unit: Unit, by: Person) -> None:
    """What was signed, waived and reported of the unit counts no more: it is looked at anew."""
    for rows in (unit.signatures, unit.waivers, unit.erasures):
        _void(rows, by)
    # It is opened again: what was pictured closed may not look so any more.
    unit.photos.filter(shown__isnull=False).update(shown=None)


def _void(rows: Manager, by: Person) -> None:
    for row in rows.filter(valid=True):
        row.take_back(by)


def send_back(tag: str, places: Sequence[str], words: str, by: Person) -> Unit:
    """The last check found something: the unit is inspected again, and planned again after that.

    :param places: what somebody has to look at; nothing else is forgotten.
    :raises NotReleasable: without words. :raises ReleaseRefused: where it is not at its last check.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage != Stage.RELEASE:
            raise ReleaseRefused(f"{tag} waits in {unit.stage}, not at the last check.")
        if not says_something(words):
            raise ReleaseRefused("Say in a few words what is not as it should be.")
        known = {place.key for place in sheet_of(unit).places}
        if unknown := sorted(set(places) - known):
            raise ReleaseRefused(f"{sheet_of(unit).name} has no place “{unknown[0]}”.")
        void_evidence(unit, by)
        findings = looked_at_again(findings_of(unit), places)
        save_findings(unit, findings, by, f"last check: {words.strip()}"[:80])
        unit.stage = Stage.INSPECT
        unit.save()
        return unit


def open_again(tag: str, place: str, by: Person) -> WorkOrderRow:
    """Open the unit once more, for the step at which what the machine misses was put in.

    The order goes down to that place, seats what is there and comes back; then it is checked anew.
    No plan changes it: what is in the unit stays in it.

    :raises ReleaseRefused: where it is not at its last check, or the check asks nothing there.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        if unit.stage != Stage.RELEASE:
            raise ReleaseRefused(f"{tag} waits in {unit.stage}, not at the last check.")
        found = checked(unit)
        asked = [one for one in found.questions if one.place == place] if found else []
        if not asked or asked[0].step is None or (found and found.other_unit):
            raise ReleaseRefused(
                f"The check of {tag} leads to no step there. Read it out again, or send it back to "
                "inspection."
            )
        order = unit.orders.filter(state=OrderState.DONE).order_by("-pk").first()
        assert order
        sheet = sheet_of(unit)
        work = plan_work(
            sheet,
            findings_of(unit),
            (Action(verb=Verb.SEAT, place=place),),
            part_kinds(),
            policy_of(unit),
            pace=pace_of(sheet.key),
        )
        void_evidence(unit, by)
        again = WorkOrderRow.objects.create(
            unit=unit,
            outcome=order.outcome,
            document=work.model_dump(mode="json"),
            then=Stage.RELEASE,
            version=next_version(unit),
            begun_at=timezone.now(),
            words=asked[0].question[:400],
        )
        clock.note(again, LogWhat.AGAIN, by)
        unit.stage = Stage.FIT
        unit.save()
        return again


def release_back(tag: str, by: Person) -> Unit:
    """The unit is at its last check again; its label is void.

    :raises StayedDone: where it is not released.
    """
    with transaction.atomic():
        unit = Unit.objects.select_for_update().get(tag=tag)
        require_unsold(tag, unit.stage, promised=hasattr(unit, "open_sale"))
        unit.releases.get(valid=True).take_back(by)
        unit.stage = Stage.RELEASE
        unit.save()
        return unit


def lines_of(unit: Unit) -> tuple[str, ...]:
    """What the unit's label claims."""
    return label_lines(sheet_of(unit), findings_of(unit), standard_of(unit), policy_of(unit))
