"""The screw ledger: which screws are out, and the numbered well each set lies in."""

from sortis_core.base import Record, listed
from sortis_core.policy import ScrewSchool
from sortis_core.route.graph import RouteStep, Screws


class Well(Record):
    """Screws that are out now, in the numbered well they lie in."""

    number: int
    step: str
    """The step they came out with; empty where screws are sorted by kind."""
    screws: Screws


class ScrewTray:
    """Fills on the way down and empties on the way up.

    :param steps: every step that will be opened, to see whether lengths differ.
    """

    def __init__(self, school: ScrewSchool, steps: tuple[RouteStep, ...]) -> None:
        loose = {(s.drive, s.length_mm) for step in steps for s in step.screws if not s.captive}
        differ = len({drive for drive, _ in loose}) < len(loose)
        self._by_kind = school is ScrewSchool.BY_KIND or (
            school is ScrewSchool.WHERE_LENGTHS_DIFFER and not differ
        )
        self._out: dict[str, tuple[Well, ...]] = {}
        self._numbers: dict[tuple[object, ...], int] = {}

    def take(self, step: RouteStep) -> tuple[int, ...]:
        """Lay down the screws of a step; the numbers of their wells."""
        wells = tuple(
            Well(number=self._number(step, place, screws), step=step.key, screws=screws)
            for place, screws in enumerate(step.screws)
        )
        if wells:
            self._out[step.key] = wells
        return tuple(dict.fromkeys(well.number for well in wells))

    def put_back(self, step: RouteStep) -> tuple[int, ...]:
        """The screws of a step go back in; the numbers of the wells they come from."""
        wells = self._out.pop(step.key, ())
        return tuple(dict.fromkeys(well.number for well in wells))

    def out(self) -> tuple[Well, ...]:
        """What lies in the tray now, in the order of the wells."""
        wells = [well for wells in self._out.values() for well in wells]
        if not self._by_kind:
            return tuple(wells)
        merged: dict[int, list[Well]] = {}
        for well in wells:
            merged.setdefault(well.number, []).append(well)
        return tuple(_together(number, merged[number]) for number in sorted(merged))

    def _number(self, step: RouteStep, place: int, screws: Screws) -> int:
        key: tuple[object, ...] = (step.key, place)
        if self._by_kind and not screws.captive:
            key = (screws.drive, screws.length_mm)
        return self._numbers.setdefault(key, len(self._numbers) + 1)


def _together(number: int, wells: list[Well]) -> Well:
    if len(wells) == 1:
        return wells[0]
    where = listed(list(dict.fromkeys(well.screws.where for well in wells if well.screws.where)))
    screws = wells[0].screws.model_copy(
        update={"count": sum(well.screws.count for well in wells), "where": where}
    )
    return Well(number=number, step="", screws=screws)
