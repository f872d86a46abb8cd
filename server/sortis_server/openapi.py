"""Write what the interface is generated from: ``python -m sortis_server.openapi DOCUMENT WORDS``.

The API's document becomes the types, the core's lists of words become constants, so that no
component spells a code.
"""

import json
import sys
from pathlib import Path

import django

HEAD = "/** Codes of the core's words, written by ./sortis types; the API has their labels. */"


def constants() -> str:
    """Every list of words as TypeScript constants: ``Stage.FIT``."""
    from sortis_core.vocabulary.words import LISTS

    lines = [HEAD]
    for terms in LISTS:
        name = terms.__name__
        codes = [f"{key}: {json.dumps(term.value)}" for key, term in terms.__members__.items()]
        lines.append(f"export const {name} = {{ {', '.join(codes)} }} as const")
        lines.append(f"export type {name} = (typeof {name})[keyof typeof {name}]")
    names = " | ".join(json.dumps(terms.__name__) for terms in LISTS)
    lines.append(f"export type ListName = {names}")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    django.setup()
    from sortis_server.api import api

    Path(sys.argv[1]).write_text(json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1))
    Path(sys.argv[2]).write_text(constants())
