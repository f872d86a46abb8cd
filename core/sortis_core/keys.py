"""Keys: what things of the workshop are called in files and addresses."""

import re
from typing import Annotated

from pydantic import AfterValidator, WithJsonSchema

_KEY = r"[a-z0-9-]{1,60}"
_PLACE_KEY = r"[a-z0-9][a-z0-9_.-]{0,59}"


def _key(text: str) -> str:
    if not re.fullmatch(_KEY, text):
        raise ValueError(
            "a key is up to 60 small letters, figures and dashes, like ombrel-folio-15"
        )
    return text


def _place_key(text: str) -> str:
    if not re.fullmatch(_PLACE_KEY, text):
        raise ValueError(
            "a key is up to 60 small letters, figures, dashes, dots and underscores, and begins "
            "with a letter or figure, like base_off"
        )
    return text


Key = Annotated[
    str, AfterValidator(_key), WithJsonSchema({"type": "string", "pattern": f"^{_KEY}$"})
]
"""Names a sheet, a standard, a part kind."""
PlaceKey = Annotated[
    str,
    AfterValidator(_place_key),
    WithJsonSchema({"type": "string", "pattern": f"^{_PLACE_KEY}$"}),
]
"""Names a step, a place, a trim, a choice of a sheet."""
