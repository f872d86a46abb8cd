"""The core without a server: ``plan CASE.json`` and ``schema case|plan|sheet``, JSON out."""

import argparse
import json
import signal
import sys
from pathlib import Path

from pydantic import ValidationError

from sortis_core.base import Record, SortisError
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.sheets import ModelSheet

DOCUMENTS: dict[str, type[Record]] = {"case": Case, "plan": Plan, "sheet": ModelSheet}


class CaseRefused(SortisError):
    """The file is not a case."""

    title = "The case was not read"


def main(arguments: list[str] | None = None) -> int:
    """Run one command; 0 when it answered, 1 with one plain line on standard error otherwise."""
    parser = argparse.ArgumentParser(prog="sortis core", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    plan = commands.add_parser("plan", help="solve a saved case and print the plan as JSON")
    plan.add_argument("case", type=Path)
    schema = commands.add_parser("schema", help="print the JSON schema of a document")
    schema.add_argument("document", choices=sorted(DOCUMENTS))
    given = parser.parse_args(arguments)
    if given.command == "schema":
        print(json.dumps(DOCUMENTS[given.document].model_json_schema(), indent=2))
        return 0
    try:
        plan_json = make_plan(_case(given.case)).model_dump_json(indent=2)
    except SortisError as refusal:
        print(refusal.sentence, file=sys.stderr)
        return 1
    print(plan_json)
    return 0


def _case(file: Path) -> Case:
    try:
        return Case.model_validate_json(file.read_bytes())
    except OSError as error:
        raise CaseRefused(f"{file} cannot be read: {error.strerror}.") from error
    except ValidationError as error:
        fault = error.errors()[0]
        where = ".".join(str(step) for step in fault["loc"]) or "the whole file"
        raise CaseRefused(f"{file} is not a case: {where}: {fault['msg']}.") from error


if __name__ == "__main__":
    # Whoever reads may stop early, as ``head`` does.
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    sys.exit(main())
