"""What others do, for pages that the stream does not reach."""

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from sortis_server.live.marks import Looker, Marks, marks_for

router = Router(tags=["live"])


class Looking(BaseModel):
    """What somebody has open; empty for none."""

    batch: str = Field(default="", max_length=80)
    tag: str = Field(default="", max_length=40)


@router.post("/here", response=Marks)
def here(request: HttpRequest, given: Looking):
    """Say what is open; the marks of what it shows."""
    return marks_for([Looker(request.user.pk, given.batch, given.tag)])[0]
