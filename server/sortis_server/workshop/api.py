"""The workshop's own settings, as every screen needs them."""

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel

from sortis_core.rights import Money
from sortis_server.workshop.money import money_seen_by
from sortis_server.workshop.services import workshop

router = Router(tags=["workshop"])


class WorkshopView(BaseModel):
    """What every screen must know of the workshop."""

    name: str
    currency: str
    locale: str
    """How dates and figures are written; empty: as the reader's browser does."""
    tag_prefix: str
    arrivals_place: str
    hazard_rules: str
    recycling_rules: str
    sees: list[Money]
    """The money that who asks may see; of the rest there are no figures in any answer."""


@router.get("", response=WorkshopView)
def settings(request: HttpRequest):
    """Name, currency, dates, tags."""
    row = workshop()
    return WorkshopView(
        name=row.name,
        currency=row.currency,
        locale=row.locale,
        tag_prefix=row.tag_prefix,
        arrivals_place=row.arrivals_place,
        hazard_rules=row.hazard_rules,
        recycling_rules=row.recycling_rules,
        sees=sorted(money_seen_by(request.user)),
    )
