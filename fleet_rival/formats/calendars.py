"""Calendars out, as iCalendar (RFC 5545): what calendar programs subscribe to."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from icalendar import Calendar, Event

__all__ = ["CalendarEvent", "write_calendar"]


@dataclass(frozen=True, slots=True)
class CalendarEvent:
    """One event: either whole days, or from one instant to another."""

    uid: str
    """The same for the same thing, however often it is written."""
    title: str
    begins: date | datetime
    ends: date | datetime
    """Not in it."""
    place: str | None = None
    text: str | None = None
    changed_at: datetime | None = None
    sequence: int = 0


def write_calendar(name: str, events: Iterable[CalendarEvent], made_at: datetime) -> bytes:
    """Write events as a calendar. Instants are written in UTC: the program shows them in its owner's zone.

    Args:
        name: what the calendar is called in the program.
        made_at: when it was written.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Fleet Rival//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("name", name)
    calendar.add("x-wr-calname", name)
    calendar.add("refresh-interval", timedelta(hours=1), parameters={"VALUE": "DURATION"})
    for item in events:
        event = Event()
        event.add("uid", item.uid)
        event.add("dtstamp", made_at)
        event.add("summary", item.title)
        event.add("dtstart", item.begins)
        event.add("dtend", item.ends)
        event.add("sequence", item.sequence)
        if item.changed_at:
            event.add("last-modified", item.changed_at)
        if item.place:
            event.add("location", item.place)
        if item.text:
            event.add("description", item.text)
        # Whole days stand beside the day's work and keep nobody busy.
        event.add("transp", "OPAQUE" if isinstance(item.begins, datetime) else "TRANSPARENT")
        calendar.add_component(event)
    written: bytes = calendar.to_ical()
    return written
