"""Pictures of a closed unit for its buyer: which, in which order, with marks of damage."""

from collections.abc import Sequence

from django.db import transaction
from pydantic import BaseModel

from sortis_core.pictures import PictureMark, ShownPicture, require_showable
from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import Photo


class UnitPicture(BaseModel):
    """A picture of a unit, shown to its buyer or kept inside."""

    number: int
    words: str
    width: int
    height: int
    shown: bool
    marks: list[PictureMark]


def pictures_of(unit: Unit) -> list[UnitPicture]:
    """Those that the buyer sees in their order, then the others, oldest first."""
    rows = list(unit.photos.defer("data").filter(removed=False).order_by("pk"))
    rows.sort(key=lambda row: (row.shown is None, row.shown or 0, row.pk))
    return [
        UnitPicture(
            number=row.pk,
            words=row.words,
            width=row.width,
            height=row.height,
            shown=row.shown is not None,
            marks=row.marks,
        )
        for row in rows
    ]


def shown_of(unit: Unit) -> tuple[ShownPicture, ...]:
    """What the buyer sees, in order."""
    rows = unit.photos.defer("data").filter(removed=False, shown__isnull=False)
    return tuple(
        ShownPicture(number=row.pk, words=row.words, marks=row.marks)
        for row in rows.order_by("shown", "pk")
    )


def show(unit: Unit, wanted: Sequence[ShownPicture], known: Sequence[int]) -> None:
    """Set which pictures the buyer sees, in which order, with which marks.

    :param known: numbers of those shown, as whoever changes it saw them.
    :raises PictureRefused: where they are not to be had so.
    """
    with transaction.atomic():
        Unit.objects.select_for_update().get(pk=unit.pk)
        there = set(unit.photos.filter(removed=False).values_list("pk", flat=True))
        require_showable(wanted, there, [one.number for one in shown_of(unit)], known)
        unit.photos.filter(shown__isnull=False).update(shown=None)
        for place, one in enumerate(wanted):
            marks = [mark.model_dump() for mark in one.marks]
            Photo.objects.filter(pk=one.number).update(
                shown=place, words=one.words.strip(), marks=marks
            )


def show_also(unit: Unit, photo: Photo) -> None:
    """A picture that was taken for the buyer stands after the others."""
    last = shown_of(unit)
    show(unit, [*last, ShownPicture(number=photo.pk, words=photo.words)], [p.number for p in last])
