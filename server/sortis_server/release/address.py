"""Where the buyer's page of a released unit is: what the code on its label opens."""

from sortis_server.arrive.models import Unit
from sortis_server.release.models import Release
from sortis_server.workshop.services import workshop


def address_of(release: Release) -> str:
    """Where the buyer's page of a release is; empty where the workshop shows none."""
    shop = workshop()
    if not shop.public_pages or not shop.public_address:
        return ""
    return f"{shop.public_address}/p/{release.public_key}"


def code_of(unit: Unit) -> str:
    """What the code on a unit's label says: its page where there is one, else its tag."""
    released = unit.releases.filter(valid=True).first()
    return (address_of(released) if released else "") or unit.tag
