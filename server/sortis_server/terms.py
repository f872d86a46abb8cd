"""Columns that hold a word of the job: its code in the database, the core's term in Python."""

from typing import Any

from django.db import models

from sortis_core.documents import DocumentRefused
from sortis_core.vocabulary.term import Term


class TermField(models.CharField):
    """One of a closed list of words. A code that this version does not know is refused when it is
    read, never treated as some other word.

    :param term: the list; an empty text stands for none where ``blank`` allows it.
    """

    def __init__(self, term: type[Term] | None = None, **options: Any) -> None:
        self.term = term
        super().__init__(**options)

    def deconstruct(self) -> tuple[str, str, list, dict]:
        """In migrations it is the text that the database sees."""
        name, _, args, options = super().deconstruct()
        if "default" in options and isinstance(options["default"], str):
            options["default"] = str(options["default"])
        return name, "django.db.models.CharField", args, options

    def from_db_value(self, value: str | None, *_: object) -> str | None:
        return self.to_python(value)

    def to_python(self, value: Any) -> Any:
        if not value or self.term is None or isinstance(value, self.term):
            return value
        try:
            return self.term(value)
        except ValueError as error:
            raise DocumentRefused(
                f"The database holds “{value}” where this Sortis knows "
                f"{', '.join(one.value for one in self.term)}. It was written by another version; "
                "update Sortis."
            ) from error

    def get_prep_value(self, value: Any) -> str | None:
        known = self.to_python(value)
        return None if known is None else str.__str__(known)
