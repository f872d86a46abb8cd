"""The core without a server, JSON in and out.

``plan CASE.json`` solves, ``explain CASE.json TAG`` tells every way for one unit,
``verify CASE.json PLAN.json`` checks a plan against its case, ``day CASE.json`` plans the days at
the benches, ``schema`` prints what they read.
"""

import argparse
import json
import os
import signal
import sys
from pathlib import Path
from typing import TypeVar

from sortis_core.base import Record, SortisError
from sortis_core.day import DayCase, DayPlan, plan_days
from sortis_core.documents import DocumentRefused, read_document
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.plan.verify import faults
from sortis_core.plan.whatif import UnitWays, unit_ways
from sortis_core.sheets import ModelSheet

Document = TypeVar("Document", bound=Record)
DOCUMENTS: dict[str, type[Record]] = {
    "case": Case,
    "day-case": DayCase,
    "day-plan": DayPlan,
    "plan": Plan,
    "sheet": ModelSheet,
    "ways": UnitWays,
}


class FileRefused(SortisError):
    """The file is not what the command reads."""

    title = "The file was not read"


def main(arguments: list[str] | None = None) -> int:
    """Run one command; 0 when it answered, 1 with plain lines on standard error otherwise."""
    parser = argparse.ArgumentParser(prog="sortis core", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    plan = commands.add_parser("plan", help="solve a saved case and print the plan as JSON")
    plan.add_argument("case", type=Path)
    explain = commands.add_parser("explain", help="print every way for one unit as JSON")
    explain.add_argument("case", type=Path)
    explain.add_argument("tag")
    verify = commands.add_parser("verify", help="check a plan against its case alone")
    verify.add_argument("case", type=Path)
    verify.add_argument("plan", type=Path)
    day = commands.add_parser("day", help="plan the days at the benches and print it as JSON")
    day.add_argument("case", type=Path)
    schema = commands.add_parser("schema", help="print the JSON schema of a document")
    schema.add_argument("document", choices=sorted(DOCUMENTS))
    given = parser.parse_args(arguments)
    try:
        return _answer(given)
    except SortisError as refusal:
        print(refusal.sentence, file=sys.stderr)
        return 1


def _answer(given: argparse.Namespace) -> int:
    if given.command == "schema":
        print(json.dumps(DOCUMENTS[given.document].model_json_schema(), indent=2))
        return 0
    if given.command == "day":
        days = _read(given.case, DayCase, "a case of the days")
        print(plan_days(days).model_dump_json(indent=2))
        return 0
    case = _read(given.case, Case, "a case")
    if given.command == "plan":
        print(make_plan(case).model_dump_json(indent=2))
    elif given.command == "explain":
        print(unit_ways(case, given.tag).model_dump_json(indent=2))
    else:
        wrong = faults(case, _read(given.plan, Plan, "a plan"))
        for fault in wrong:
            print(fault, file=sys.stderr)
        if wrong:
            return 1
        print("The plan holds: every unit, part, minute and cent was counted again from the case.")
    return 0


def _read(file: Path, of: type[Document], called: str) -> Document:
    try:
        return read_document(of, json.loads(file.read_bytes()))
    except OSError as error:
        raise FileRefused(f"{file} cannot be read: {error.strerror}.") from error
    except ValueError as error:
        raise FileRefused(f"{file} is not {called}: it is no JSON.") from error
    except DocumentRefused as refusal:
        raise FileRefused(f"{file} is not {called}: {refusal.sentence}") from refusal


if __name__ == "__main__":
    # Whoever reads may stop early, as ``head`` does.
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    # A solver writes notes of its own to standard output; they go where errors go.
    sys.stdout = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    sys.exit(main())
