"""For migrations: stored documents and columns in the codes of the newest format."""

from collections.abc import Mapping

from sortis_core.documents import NEWEST, upgraded


def recode(
    model: type,
    documents: Mapping[str, str] = {},
    columns: Mapping[str, Mapping[str, str]] = {},
) -> None:
    """Write every row of a model anew where a document or a column holds older words.

    :param documents: JSON field -> kind of document (``sheet``); empty for parts without a format.
    :param columns: text field -> old word -> code.
    """
    for field, words in columns.items():
        for old, code in words.items():
            model.objects.filter(**{field: old}).update(**{field: code})
    for row in model.objects.all().iterator(chunk_size=200):
        for field, kind in documents.items():
            before = getattr(row, field)
            if before is None:
                continue
            now = upgraded(before)
            if kind:
                now = {"format": f"sortis-{kind}-{NEWEST}", **now}
            setattr(row, field, now)
        if documents:
            row.save(update_fields=list(documents))
