"""The way to each place of a model, as its sheet draws it: steps in order, minutes, screws."""

from sortis_core.base import Record
from sortis_core.policy import Policy
from sortis_core.route.graph import Screws
from sortis_core.route.sequence import fewest_tool_changes
from sortis_core.route.way import Way, least_way
from sortis_core.sheets import ModelSheet


class WayTo(Record):
    """The shortest way to one place and back, of a unit that lacks nothing."""

    place: str
    steps: tuple[str, ...]
    """Keys of the route's steps, in the order they are done."""
    minutes_in: float
    """Down to the place, the part itself out."""
    minutes_back: float
    screws: tuple[Screws, ...]
    """Loosened on the way down, in the order of the steps."""


def ways_to(sheet: ModelSheet, trim: str, policy: Policy) -> tuple[WayTo, ...]:
    """The way to every place that the sheet knows one to, in the sheet's order.

    :raises ValueError: where steps wait for each other in a circle.
    """
    return tuple(_way_to(sheet, trim, policy, reach.place) for reach in sheet.route.reaches)


def _way_to(sheet: ModelSheet, trim: str, policy: Policy, place: str) -> WayTo:
    places = (place,)
    way = least_way(sheet.route, places, lambda picks: Way(sheet, trim, policy, frozenset(), picks))
    keys, _ = fewest_tool_changes(way.jobs_for(places))
    steps = [way.steps[key] for key in keys if key in way.steps]
    reach = way.reach(place)
    at_part = (reach.minutes_out, reach.minutes_in) if reach else (0.0, 0.0)
    minutes_in = sum(step.minutes_out for step in steps) + at_part[0]
    everything = way.minutes_to(places) + sum(at_part)
    return WayTo(
        place=place,
        steps=tuple(step.key for step in steps),
        minutes_in=round(minutes_in, 2),
        minutes_back=round(everything - minutes_in, 2),
        screws=tuple(screws for step in steps for screws in step.screws)
        + (reach.screws if reach else ()),
    )
