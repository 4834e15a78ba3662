"""The day plan as a calendar that other programs read: iCalendar, RFC 5545."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

PRODUCT = "-//Frosty Piston//day plan//EN"


@dataclass(frozen=True)
class Event:
    """Something in a calendar. `uid`: the same for the same thing, whenever it is written."""

    uid: str
    title: str
    start: datetime
    end: datetime
    place: str = ""
    text: str = ""
    link: str = ""


def calendar(name: str, events: Iterable[Event], made: datetime) -> bytes:
    """Write a calendar. `made`: when the plan was laid out. Times are written in UTC."""
    from icalendar import Calendar
    from icalendar import Event as Entry

    whole = Calendar()
    whole.add("prodid", PRODUCT)
    whole.add("version", "2.0")
    whole.add("x-wr-calname", name)
    whole.add("refresh-interval;value=duration", "PT10M")
    for event in events:
        one = Entry()
        one.add("uid", event.uid)
        one.add("dtstamp", made)
        one.add("dtstart", event.start)
        one.add("dtend", event.end)
        one.add("summary", event.title)
        for key, text in (("location", event.place), ("description", event.text), ("url", event.link)):
            if text:
                one.add(key, text)
        whole.add_component(one)
    return bytes(whole.to_ical())
