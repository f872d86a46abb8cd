"""A value that is implausible: asked again, and kept where the answer is the same."""

from sortis_core.base import Record


class Question(Record):
    """A value that does not fit what the sheet says: ask again, keep what was typed."""

    place: str
    sentence: str
