"""The days as iCalendar, for a calendar people already look at."""

from datetime import datetime, time, timedelta

from icalendar import Calendar, Event

from sortis_core.day import DayCase, DayPlan


def day_calendar(
    case: DayCase, plan: DayPlan, words: dict[str, str], made: datetime, technician: str = ""
) -> bytes:
    """One event an order, in the workshop's own clock time.

    :param words: tag -> model and what is done.
    :param technician: only this person's orders.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Sortis//day plan//EN")
    calendar.add("version", "2.0")
    names = {one.key: one.name for one in case.technicians}
    midnight = datetime.combine(case.first_day, time())
    for slot in plan.slots:
        if technician not in ("", slot.technician):
            continue
        event = Event()
        event.add("uid", f"{slot.tag}-{case.first_day}@sortis")
        event.add("dtstamp", made)
        event.add("dtstart", midnight + timedelta(minutes=slot.start))
        event.add("dtend", midnight + timedelta(minutes=slot.end))
        event.add("summary", f"{slot.tag} {words.get(slot.tag, '')}".strip())
        event.add("location", f"Bench {slot.bench}")
        event.add("description", f"{names.get(slot.technician, slot.technician)}")
        calendar.add_component(event)
    return calendar.to_ical()
