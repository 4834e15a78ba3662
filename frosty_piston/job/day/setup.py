"""Who is there, which bays and single tools there are: what the day plan lays its work on."""

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, model_validator

from frosty_piston.core.day import Bay, Person

from .steps import BAY_KINDS

DAYS_AHEAD = 6
LEAST_SPAN_MIN = 15
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
Task = Literal["talk", "measure", "fit", "road"]
BayKind = Literal["lift", "floor", "outside"]
Name = Annotated[str, Field(min_length=1, max_length=60)]


class _Kept(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class Break(_Kept):
    """A break of every day, from and until."""

    since: time
    until: time

    @property
    def says(self) -> str:
        return f"{self.since:%H:%M}-{self.until:%H:%M}"


class Hours(_Kept):
    """When somebody works: from and until, on which days of the week (0 is Monday), with which breaks; what
    they may do; `off`: days on which they are not there."""

    since: time = time(7, 30)
    until: time = time(16, 30)
    days: tuple[Annotated[int, Field(ge=0, le=6)], ...] = (0, 1, 2, 3, 4)
    breaks: tuple[Break, ...] = (Break(since=time(12, 0), until=time(12, 45)),)
    may: tuple[Task, ...] = get_args(Task)
    off: tuple[date, ...] = ()
    there: bool = True

    @model_validator(mode="after")
    def _in_order(self) -> "Hours":
        if self.until <= self.since:
            raise ValueError("the day ends after it begins")
        for one in self.breaks:
            if not self.since <= one.since < one.until <= self.until:
                raise ValueError("a break lies within the day, and ends after it begins")
        return self


class BayKept(_Kept):
    name: Name
    kind: BayKind


class DaySetup(_Kept):
    """What the workshop has said of its people, bays and single tools; `off`: jobs that are not on the
    plan."""

    hours: dict[str, Hours] = {}
    bays: tuple[BayKept, ...] = (
        BayKept(name="Lift", kind="lift"),
        BayKept(name="Floor", kind="floor"),
        BayKept(name="Outside", kind="outside"),
    )
    tools: tuple[str, ...] = ("scan",)
    off: tuple[str, ...] = ()

    def hours_of(self, name: str) -> Hours:
        return self.hours.get(name, Hours())

    def people(self, names: Iterable[str], at: datetime) -> tuple[Person, ...]:
        """Those who are there in the days ahead, in minutes from a moment of the workshop's own time."""
        there = ((name, self.hours_of(name)) for name in names)
        people = (Person(n, frozenset(h.may), windows(h, at)) for n, h in there if h.there)
        return tuple(p for p in people if p.there)

    def places(self) -> tuple[Bay, ...]:
        return tuple(Bay(b.name, b.kind) for b in self.bays)


def windows(hours: Hours, at: datetime) -> tuple[tuple[int, int], ...]:
    """When somebody is there from a moment on, in minutes from it, break by break. `at` carries the
    workshop's own time zone."""
    spans: list[tuple[int, int]] = []
    for n in range(DAYS_AHEAD):
        day = at.date() + timedelta(days=n)
        if day.weekday() not in hours.days or day in hours.off:
            continue
        edges = [
            hours.since,
            *(t for b in sorted(hours.breaks, key=lambda b: b.since) for t in (b.since, b.until)),
        ]
        edges.append(hours.until)
        for begin, end in zip(edges[::2], edges[1::2], strict=True):
            spans.append((_minutes(at, day, begin), _minutes(at, day, end)))
    return tuple((max(0, s), e) for s, e in spans if e - max(0, s) >= LEAST_SPAN_MIN)


def _minutes(at: datetime, day: date, clock: time) -> int:
    """Minutes from a moment to a clock time of a day, in the time zone of the moment."""
    moment = datetime.combine(day, clock).replace(tzinfo=at.tzinfo)
    return int((moment - at).total_seconds() // 60)


__all__ = ["BAY_KINDS", "Break", "DaySetup", "Hours", "WEEKDAYS", "windows"]
