"""The workshop's tags: what somebody means who types one, and the running number."""

from collections.abc import Collection

from sortis_core.codes import bare_tag, tag_numbered, tag_spellings
from sortis_server.workshop.models import TagSeries
from sortis_server.workshop.services import workshop


def spellings(typed: str) -> tuple[str, ...]:
    """Every tag that can be meant, the likeliest first."""
    return tag_spellings(typed, workshop().tag_prefix)


def locked_series() -> TagSeries:
    """The running number of tags, locked until the transaction ends."""
    return TagSeries.objects.select_for_update().get_or_create(
        prefix=workshop().tag_prefix, defaults={"next_number": 1}
    )[0]


def next_tag(series: TagSeries, taken: Collection[str]) -> str:
    """The next tag of a locked series that no other is read as; the caller saves the series.

    :param taken: tags as they are compared.
    """
    while True:
        tag = tag_numbered(series.prefix, series.next_number)
        series.next_number += 1
        if bare_tag(tag) not in taken:
            return tag
