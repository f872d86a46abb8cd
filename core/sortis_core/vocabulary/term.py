"""A word of the job: a stable code, and apart from it the label that people read."""

from enum import StrEnum


class Term(StrEnum):
    """One of a closed list of words, each with a code, a label and, where it helps, an explanation.

    Equal to its code, and its code is what is stored, sent and compared. Written into a sentence by
    a format string it reads as its label, so that no sentence ever shows a code.
    """

    label: str
    explained: str

    def __new__(cls, code: str, label: str = "", explained: str = "") -> "Term":
        """:param label: where it differs from the code."""
        member = str.__new__(cls, code)
        member._value_ = code
        member.label = label or code
        member.explained = explained
        return member

    @property
    def heading(self) -> str:
        """The label as a sentence or a heading begins with it."""
        return self.label[:1].upper() + self.label[1:]

    def __format__(self, spec: str) -> str:
        return format(self.label, spec)
