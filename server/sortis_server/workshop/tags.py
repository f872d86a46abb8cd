"""The workshop's tags: how they are written, and the running number."""

import re

from sortis_server.workshop.models import TagSeries
from sortis_server.workshop.services import workshop

DIGITS = 4


def tag_numbered(prefix: str, number: int) -> str:
    """The tag of a number: ``TW-0412``."""
    return f"{prefix}-{number:0{DIGITS}d}"


def plain_tag(typed: str) -> str:
    """A tag as it is printed, however it was typed (``tw412`` is ``TW-0412``)."""
    text = typed.strip().upper()
    if match := re.fullmatch(r"([A-Z]{0,4})\s*-?\s*0*(\d+)", text):
        return tag_numbered(match[1] or workshop().tag_prefix, int(match[2]))
    return text


def locked_series() -> TagSeries:
    """The running number of tags, locked until the transaction ends."""
    return TagSeries.objects.select_for_update().get_or_create(
        prefix=workshop().tag_prefix, defaults={"next_number": 1}
    )[0]
