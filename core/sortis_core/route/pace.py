"""How long steps really take: recorded times move the sheet's figures, few of them only a little.

A recorded time is held against the sheet's figure of the same step, as a ratio. The ratio of a step
is shrunk toward 1 as if it had been seen ``PRIOR_TIMES`` times as the sheet says; a person's own
ratio is shrunk toward that of all people alike (docs/rules.md, Minutes).
"""

from collections import defaultdict
from collections.abc import Iterable
from math import sqrt

from pydantic import Field

from sortis_core.base import Record
from sortis_core.route.graph import Reach, RouteStep
from sortis_core.sheets import ModelSheet

PRIOR_TIMES = 5
"""The sheet's figure weighs as much as so many recorded times."""
PRIOR_SPREAD = 0.3
"""How far a single time lies from its estimate, as a share of it, before any was recorded."""
COMMON_SPREAD = 0.12
"""How far a whole order lies off, whatever its steps: the unit, the light, the day."""
SLOWEST, FASTEST = 4.0, 0.25
"""Times beyond these ratios are a pause or a slip, and count as these."""
RANGE_SIGMA = 1.28
"""Eight orders in ten lie within this many deviations."""
BACK = ":back"
AT = "at:"


class RecordedTime(Record):
    """One step as it was timed at the bench."""

    key: str
    """Key of the step of the work order: ``base_off``, ``base_off:back``, ``at:m1``."""
    person: str
    minutes: float = Field(ge=0)
    sheet_minutes: float = Field(gt=0)
    """What the sheet says for the same step."""

    @property
    def ratio(self) -> float:
        """Time against the sheet's figure."""
        return min(SLOWEST, max(FASTEST, self.minutes / self.sheet_minutes))


class StepPace(Record):
    """What is known of one step."""

    factor: float = 1.0
    spread: float = PRIOR_SPREAD
    times: int = 0
    """How many recorded times stand behind it; 0 means it is the sheet's estimate."""


SHEET_PACE = StepPace()


class Pace(Record):
    """Paces of one sheet's steps, by key; what is not here goes as the sheet says."""

    steps: dict[str, StepPace] = {}

    def of(self, key: str) -> StepPace:
        """The pace of a step of the work order."""
        return self.steps.get(key, SHEET_PACE)

    def minutes(self, key: str, sheet_minutes: float) -> float:
        """The sheet's figure at this pace."""
        return sheet_minutes * self.of(key).factor


def learn_pace(times: Iterable[RecordedTime], person: str = "") -> Pace:
    """The pace of every step that was timed.

    :param person: shrink on toward this person's own times.
    """
    ratios: dict[str, list[tuple[str, float]]] = defaultdict(list)
    for time in times:
        ratios[time.key].append((time.person, time.ratio))
    steps: dict[str, StepPace] = {}
    for key, found in sorted(ratios.items()):
        everybody = [ratio for _, ratio in found]
        factor, weight = _shrunk(everybody, 1.0)
        own = [ratio for who, ratio in found if who == person]
        if own:
            factor, _ = _shrunk(own, factor)
        off = sum((ratio / factor - 1) ** 2 for ratio in everybody)
        spread = sqrt((PRIOR_TIMES * PRIOR_SPREAD**2 + off) / weight)
        steps[key] = StepPace(factor=factor, spread=spread, times=len(found))
    return Pace(steps=steps)


def speed_of(times: Iterable[RecordedTime], pace: Pace, person: str) -> float:
    """How long a person takes against everybody's pace: 0.9 is a tenth less."""
    own = [time.ratio / pace.of(time.key).factor for time in times if time.person == person]
    return _shrunk(own, 1.0)[0]


def _shrunk(ratios: list[float], toward: float) -> tuple[float, int]:
    weight = PRIOR_TIMES + len(ratios)
    return (PRIOR_TIMES * toward + sum(ratios)) / weight, weight


def paced(sheet: ModelSheet, pace: Pace) -> ModelSheet:
    """The sheet with its minutes at a pace; everything else as it was."""
    if not pace.steps:
        return sheet
    route = sheet.route

    def step(one: RouteStep) -> RouteStep:
        back = one.key if one.back_only else one.key + BACK
        out = pace.minutes(one.key, one.minutes_out)
        return one.model_copy(
            update={"minutes_out": out, "minutes_back": pace.minutes(back, one.minutes_back)}
        )

    def reach(one: Reach) -> Reach:
        factor = pace.of(AT + one.place).factor
        return one.model_copy(
            update={
                "minutes_out": one.minutes_out * factor,
                "minutes_in": one.minutes_in * factor,
            }
        )

    return sheet.model_copy(
        update={
            "route": route.model_copy(
                update={
                    "steps": tuple(map(step, route.steps)),
                    "reaches": tuple(map(reach, route.reaches)),
                    "check_minutes": pace.minutes("check", route.check_minutes),
                }
            )
        }
    )


class MinutesRange(Record):
    """An estimate with the range that eight orders in ten fall into."""

    minutes: float
    low: float
    high: float
    times: int
    """Recorded times behind it."""


def range_of(steps: Iterable[tuple[str, float]], pace: Pace) -> MinutesRange:
    """The range of an order.

    :param steps: key and minutes of every step, the minutes at this pace.
    """
    total = variance = 0.0
    times = 0
    for key, minutes in steps:
        known = pace.of(key)
        total += minutes
        variance += (minutes * known.spread) ** 2
        times += known.times
    off = RANGE_SIGMA * sqrt(variance + (total * COMMON_SPREAD) ** 2)
    return MinutesRange(
        minutes=round(total, 2),
        low=round(max(0.0, total - off), 2),
        high=round(total + off, 2),
        times=times,
    )
