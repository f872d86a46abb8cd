"""Marks of what a screen shows, and who else is on the unit that is open."""

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_server.live.marks import (
    batch_mark,
    day_mark,
    shelf_mark,
    stand_at,
    stock_mark,
    unit_mark,
)

router = Router(tags=["live"])


class Looking(BaseModel):
    """What somebody has open; empty for none."""

    batch: str = Field(default="", max_length=80)
    tag: str = Field(default="", max_length=40)


class Marks(BaseModel):
    """What changes as soon as anybody changes the thing; it says nothing else."""

    batch: str
    stock: str
    day: str
    shelf: str
    unit: str
    unit_by: str
    """Who looked at the unit last."""
    unit_at: str
    others: list[str]
    """Names of those who have the same unit open."""


@router.post("/here", response=Marks)
def here(request: HttpRequest, given: Looking):
    """Say what is open; the marks of what it shows."""
    mark, by, at = unit_mark(given.tag) if given.tag else ("", "", "")
    return Marks(
        batch=batch_mark(given.batch) if given.batch else "",
        stock=stock_mark(),
        day=day_mark(),
        shelf=shelf_mark(),
        unit=mark,
        unit_by=by,
        unit_at=at,
        others=stand_at(request.user, given.tag[:12]),
    )
