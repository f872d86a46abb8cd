"""Reports of erasers: what the tool says of one drive, as JSON or as lines of ``name: value``.

Nothing is taken on trust: a report that names no drive, or does not say that it passed, is none. A
report carries a seal, the SHA-256 of the rest of it; one without, or with another, was written or
changed by a person, and is that person's word, not the tool's (docs/formats.md, Erasure report).
"""

import hashlib
import json
import re
from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sortis_core.base import Record, SortisError, listed

LARGEST_BYTES = 64_000
MOST_FIELDS = 200
LONGEST = 120
LEAST_LETTERS = 3
"""Fewer name no drive."""
SEAL = "sha256"
NAMES: dict[str, tuple[str, ...]] = {
    "serial": ("serial", "serial_number", "drive_serial", "device_serial"),
    "method": ("method", "erasure_method", "standard"),
    "result": ("result", "status", "outcome"),
    "verified": ("verified", "verification"),
    "tool": ("tool", "program", "software"),
    "ended": ("ended", "end", "finished", "completed", "end_time"),
    "drive": ("drive", "model", "device_model"),
}
"""What Sortis asks -> what tools call it."""
PASSED = ("passed", "pass", "success", "successful", "completed", "erased", "ok")
FAILED = ("failed", "fail", "failure", "error", "aborted", "cancelled", "incomplete")
YES = ("yes", "true", "passed", "pass", "ok", "100%", "100 %", "full")


class ReportRefused(SortisError):
    """The report is none, is of another drive, or says that the drive was not erased."""

    title = "The report was not taken"


class ErasureReport(Record):
    """What a tool says of one drive that it erased."""

    serial: str
    method: str
    tool: str
    ended: str
    """As the tool wrote it; empty where it does not say."""
    drive: str = ""
    verified: bool
    """The tool says that it read back what it wrote."""
    sealed: bool
    """Unchanged since the tool wrote it, by its seal."""
    digest: str
    """SHA-256 of the report as it was given."""

    @property
    def words(self) -> str:
        """The record, in a sentence without by whom."""
        checked = "read back" if self.verified else "not read back"
        whose = "" if self.sealed else "; report without its seal, so the word of a person"
        when = f", {self.ended}" if self.ended else ""
        by = f", {self.tool}" if self.tool else ""
        return f"drive {self.serial}: {self.method}, {checked}{by}{when}{whose}"


def read_report(text: str) -> ErasureReport:
    """Read one report.

    :raises ReportRefused: naming what is missing or what the tool says went wrong.
    """
    if len(text.encode(errors="surrogatepass")) > LARGEST_BYTES:
        raise ReportRefused(
            f"The report has more than {LARGEST_BYTES // 1000} KB. Give the report of one drive."
        )
    given, body = _fields(text)
    seal = str(given.pop(SEAL, "")).strip().lower()
    serial = _said(given, "serial")
    if len(_plain(serial)) < LEAST_LETTERS:
        raise ReportRefused("The report names no serial number of a drive, so it proves nothing.")
    result = _said(given, "result").lower()
    if result in FAILED:
        raise ReportRefused(
            f"The tool says of drive {serial}: {result}. It is not sanitised. Run it again, or "
            "have the drive destroyed."
        )
    if result not in PASSED:
        raise ReportRefused(
            f"The report does not say that erasing drive {serial} passed"
            + (f" (it says “{result}”)." if result else ".")
        )
    method = _said(given, "method")
    if not method:
        raise ReportRefused(f"The report does not say by which method drive {serial} was erased.")
    return ErasureReport(
        serial=serial,
        method=method,
        tool=_said(given, "tool"),
        ended=_said(given, "ended"),
        drive=_said(given, "drive"),
        verified=_said(given, "verified").lower() in YES,
        sealed=seal != ""
        and seal == hashlib.sha256(body.encode(errors="surrogatepass")).hexdigest(),
        digest=hashlib.sha256(text.encode(errors="surrogatepass")).hexdigest(),
    )


def sealed_json(fields: Mapping[str, Any]) -> str:
    """A report with its seal, as a tool writes it."""
    seal = hashlib.sha256(_canonical(fields).encode()).hexdigest()
    return json.dumps({**fields, SEAL: seal}, indent=1)


def require_drives(
    reports: Sequence[ErasureReport], drives: int, known: Collection[str], used: Collection[str]
) -> str:
    """The record that reports make for so many drives.

    :param known: serial numbers that the unit's read-out saw; empty where there is none.
    :param used: digests of reports that were given for other drives.
    :raises ReportRefused: where one is of another drive, was given before, or one lacks.
    """
    serials = [_plain(report.serial) for report in reports]
    for report in reports:
        if report.digest in used:
            raise ReportRefused(
                f"This report of drive {report.serial} was given for another drive already."
            )
        if known and _plain(report.serial) not in {_plain(one) for one in known}:
            raise ReportRefused(
                f"The report is of drive {report.serial}; this machine's read-out saw "
                f"{listed(sorted(known))}. Give the report of the drive that is in it."
            )
    if len(set(serials)) < len(serials):
        raise ReportRefused("Two reports are of the same drive. Give one for each drive.")
    if len(reports) != drives:
        raise ReportRefused(
            f"{drives} drives want a report each; {len(reports)} were given."
            if drives != 1
            else f"One drive wants one report; {len(reports)} were given."
        )
    return "; ".join(report.words for report in reports)


def _plain(serial: str) -> str:
    return re.sub(r"[^0-9A-Za-z]+", "", serial).upper()


def _canonical(fields: Mapping[str, Any]) -> str:
    return json.dumps(fields, sort_keys=True, separators=(",", ":"))


def _fields(text: str) -> tuple[dict[str, object], str]:
    """Field -> value, by small letters, and what the seal is taken over."""
    if text.lstrip().startswith("{"):
        try:
            found = json.loads(text, parse_constant=_never)
        except (ValueError, RecursionError) as error:
            raise ReportRefused(
                "The report begins like JSON and is none: it is cut off."
            ) from error
        if not isinstance(found, dict) or len(found) > MOST_FIELDS:
            raise ReportRefused("The report is no list of fields of one drive.")
        body = _canonical({key: value for key, value in found.items() if key != SEAL})
        return {_name(str(key)): value for key, value in found.items()}, body
    lines = text.replace("\r\n", "\n").split("\n")
    pairs = [line.partition(":") for line in lines if ":" in line]
    if not pairs or len(pairs) > MOST_FIELDS:
        raise ReportRefused("This is no report: it is neither JSON nor lines of “name: value”.")
    body = "\n".join(line for line in lines if _name(line.partition(":")[0]) != SEAL).strip()
    return {_name(name): value for name, _, value in pairs}, body


def _never(constant: str) -> object:
    raise ValueError(constant)


def _name(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", text.strip().lower()).strip("_")


def _said(given: Mapping[str, object], what: str) -> str:
    """What the report says, on one line; empty where it says nothing that is read as text.

    :raises ReportRefused: where that is no text, such as halves of characters.
    """
    for name in NAMES[what]:
        value = given.get(name)
        if isinstance(value, bool):
            return "yes" if value else "no"
        if isinstance(value, str | int) and str(value).strip():
            said = " ".join(str(value).split())[:LONGEST]
            if not said.isprintable():
                raise ReportRefused(
                    "The report holds marks that are no text. Have the tool write it again."
                )
            return said
    return ""
