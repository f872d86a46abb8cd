"""What a plan of the days is made from. Same case, same plan.

Time is whole minutes from midnight of the first day: 08:30 on the second day is 1440 + 510.
"""

from datetime import date, timedelta
from typing import Literal

from pydantic import Field, model_validator

from sortis_core.base import Record
from sortis_core.day.plan import Slot
from sortis_core.route.minutes import Skill

DAY_MINUTES = 24 * 60


class FreeTime(Record):
    """A stretch in which somebody works at a bench; minutes from midnight of the first day."""

    start: int = Field(ge=0)
    end: int

    @model_validator(mode="after")
    def _runs_forward(self) -> "FreeTime":
        if self.end <= self.start:
            raise ValueError("A stretch of work ends before it begins. Give its end after it.")
        return self


class Technician(Record):
    """Somebody who works at a bench."""

    key: str
    name: str
    skills: tuple[Skill, ...]
    free: tuple[FreeTime, ...]
    speed: float = Field(default=1.0, gt=0)
    """Their time against everybody's: 0.9 is a tenth less."""


class DayJob(Record):
    """One work order, as far as it is not done."""

    tag: str
    sheet: str
    """Model; orders of the same model are done one after another where it costs nothing else."""
    minutes: float = Field(gt=0)
    """At everybody's pace."""
    skills: tuple[Skill, ...] = ()
    """All of them are needed."""
    ready: int = 0
    """In no stretch that begins before this minute: its parts come then."""
    due: int | None = None
    """To be done by this minute; later is late."""
    after: tuple[str, ...] = ()
    """Tags of orders that give it a part."""
    holder: str = ""
    """Key of whoever has begun it and goes on with it."""


class DayPin(Record):
    """A person put an order to somebody, or to one of their stretches of work."""

    tag: str
    technician: str = ""
    stretch: int | None = None
    """Minute at which the stretch begins."""


class DayCase(Record):
    """Orders, people and benches of the next days."""

    format: Literal["sortis-day-case-4"] = "sortis-day-case-4"
    first_day: date
    benches: int = Field(ge=1)
    technicians: tuple[Technician, ...]
    jobs: tuple[DayJob, ...]
    pins: tuple[DayPin, ...] = ()
    before: tuple[Slot, ...] = ()
    """The plan that people go by now; it changes as little as can be."""
    new_model_minutes: int = Field(default=4, ge=0)
    """What it costs somebody to lay out the tools for another model, once a day."""

    @model_validator(mode="after")
    def _knows_what_it_names(self) -> "DayCase":
        tags = [job.tag for job in self.jobs]
        if len(set(tags)) != len(tags):
            raise ValueError("An order stands twice among the orders of the day.")
        people = {technician.key for technician in self.technicians}
        for pin in self.pins:
            if pin.technician and pin.technician not in people:
                raise ValueError(f"{pin.tag} is put to {pin.technician}, who is not here.")
        return self

    def day_of(self, minute: int) -> date:
        """The day that a minute lies in."""
        return self.first_day + timedelta(days=minute // DAY_MINUTES)

    def minutes_with(self, job: DayJob, technician: Technician) -> int:
        """Whole minutes that this person takes for an order."""
        return max(1, -int(-(job.minutes * technician.speed) // 1))

    def can_do(self, job: DayJob, technician: Technician) -> bool:
        """Whether the person has every skill the order needs; who has begun it goes on with it."""
        if job.holder and job.holder != technician.key:
            return False
        return set(job.skills) <= set(technician.skills)
