"""The core without a server: ``plan CASE.json`` and ``schema case|plan|sheet``, JSON out."""

import argparse
import json
import sys
from pathlib import Path

from pydantic import ValidationError

from sortis_core.base import Record, SortisError
from sortis_core.plan import Case, Plan, make_plan
from sortis_core.sheets import ModelSheet

DOCUMENTS: dict[str, type[Record]] = {"case": Case, "plan": Plan, "sheet": ModelSheet}


def main(arguments: list[str] | None = None) -> int:
    """Run one command; 0 when it answered, 1 with one plain line on standard error otherwise."""
    parser = argparse.ArgumentParser(prog="sortis core", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    plan = commands.add_parser("plan", help="solve a saved case and print the plan as JSON")
    plan.add_argument("case", type=Path)
    schema = commands.add_parser("schema", help="print the JSON schema of a document")
    schema.add_argument("document", choices=sorted(DOCUMENTS))
    given = parser.parse_args(arguments)
    try:
        if given.command == "plan":
            case = Case.model_validate_json(given.case.read_bytes())
            print(make_plan(case).model_dump_json(indent=2))
        else:
            print(json.dumps(DOCUMENTS[given.document].model_json_schema(), indent=2))
    except OSError as error:
        return _refuse(f"{given.case} cannot be read: {error.strerror}.")
    except ValidationError as error:
        fault = error.errors()[0]
        where = ".".join(str(step) for step in fault["loc"]) or "the whole file"
        return _refuse(f"{given.case} is not a case: {where}: {fault['msg']}.")
    except SortisError as error:
        return _refuse(error.sentence)
    return 0


def _refuse(sentence: str) -> int:
    print(sentence, file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(main())
