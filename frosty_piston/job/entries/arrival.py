"""What is said when a vehicle comes in."""

import re
from typing import Annotated, Literal

from pydantic import Field, model_validator

from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import exact
from frosty_piston.core.words import counted, grouped, inside, sentence, sign, spoken
from frosty_piston.job.engine import Figure, Flag, Moment
from frosty_piston.job.units import UNITS, convert, same_kind
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.shapes import ChannelShape

from .kind import (
    AXES,
    Against,
    Data,
    EntryData,
    Id,
    Money,
    OnTape,
    Short,
    Span,
    Text,
    Wrong,
    code_fault,
    noted,
    one_of,
    out_of_reach,
    unit_fault,
)

BY_WORDS = {"us": "by us", "owner": "by the owner", "other": "by another workshop"}
WHEN_WORDS = {
    "still": "still there after the repair",
    "back": "went away and came back",
    "before": "there before the repair, noted since",
}
STATE_WORDS = {
    "engine_cold": "Engine is cold now",
    "engine_hot": "Engine is hot now",
    "raised": "Vehicle is raised",
    "customer_waits": "The customer waits",
}


class Complaint(EntryData):
    text: Text
    since: Short | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return self.text


class Return(Data):
    """When the complaint came back once, counted since the last clear or repair: on one axis. `cleared`: when
    the codes had been cleared; `first`: which code came first."""

    distance_km: Span | None = None
    starts: Span | None = None
    hours: Span | None = None
    cleared: Short | None = None
    first: Short | None = None

    @model_validator(mode="after")
    def _one_axis(self) -> "Return":
        if sum(getattr(self, axis) is not None for axis in AXES) != 1:
            raise ValueError("name one of distance_km, starts, hours")
        return self


class Symptom(EntryData):
    """`comes_and_goes`: its absence now says nothing. `returns`: when it came back, each since the last
    clear or repair. `returns_about`: "about every so much", when none was timed. `when`: of one that is
    written after a repair, whether it is `still` there, came `back`, or was there `before` and is only
    noted now."""

    symptom: Id
    present: Flag = True
    note: Text | None = None
    comes_and_goes: Flag = False
    when: Literal["still", "back", "before"] | None = None
    returns: Annotated[list[Return], Field(max_length=200)] = []
    returns_about: Return | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        when = f": {WHEN_WORDS[self.when]}" if self.when else ""
        return noted(knowledge.symptoms[self.symptom].title + (when if self.present else ": no"), self.note)

    def wrong(self, against: Against) -> list[Wrong]:
        codes = [
            fault
            for index, r in enumerate(self.returns)
            if r.first
            for fault in code_fault(f"returns[{index}].first", r.first)
        ]
        return one_of("symptom", self.symptom, against.knowledge.symptoms) + codes


class Context(EntryData):
    context: Id
    present: Flag = True
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return knowledge.contexts[self.context].title + ("" if self.present else ": no")

    def wrong(self, against: Against) -> list[Wrong]:
        return one_of("context", self.context, against.knowledge.contexts)


# What the conditions that others read are measured in.
CONDITION_UNITS = {
    "ambient": "degC",
    "coolant": "degC",
    "odometer": "km",
    "altitude": "m",
    "altitude_m": "m",
    "barometer": "kPa",
    "sea_level": "kPa",
    "countdown_km": "km",
    "countdown_starts": "count",
    "def_level": "percent",
    "fuel_level": "percent",
    "oil_use": "l",
    "oil_change_km": "km",
    "failed_burns": "count",
    "filter_km": "km",
}


class Condition(EntryData):
    name: Id
    value: Figure
    unit: str
    at_zero: Literal["no_restart", "crawl", "unknown"] | None = None
    since: Short | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        if self.name in ("countdown_km", "countdown_starts"):
            left = f"{exact(self.value)} {'starts' if self.unit == 'count' else sign(self.unit)}"
            return f"Countdown: {left} left" + (f", since {self.since}" if self.since else "")
        return f"{sentence(spoken(self.name))} {exact(self.value)} {sign(self.unit)}"

    def wrong(self, against: Against) -> list[Wrong]:
        return (
            unit_fault(self.unit)
            or self.of_another_kind()
            or out_of_reach(against.knowledge, "value", self.value, self.unit, self.name)
        )

    def of_another_kind(self) -> list[Wrong]:
        """Whether it stands in a unit that cannot measure it."""
        wanted = CONDITION_UNITS.get(self.name)
        if wanted is None or same_kind(self.unit, wanted):
            return []
        return [("unit", f"{sign(self.unit)} measures no {spoken(self.name)}; it is kept in {sign(wanted)}")]


class State(EntryData):
    """What holds of the vehicle or the visit from here on, until another word on it."""

    state: Literal["engine_cold", "engine_hot", "raised", "customer_waits"]
    on: Flag = True

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        words = STATE_WORDS[self.state]
        return words if self.on else f"No longer: {inside(words)}"


class Lamp(EntryData):
    lamp: Short
    state: Literal["on", "flashing", "off", "message"] = "on"
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return noted(f"Lamp: {self.lamp}, {self.state}", self.note)


CodeStatus = Literal[
    "stored",
    "current",
    "pending",
    "permanent",
    "intermittent",
    "history",
    "cleared_and_back",
    "cleared-and-back",
]


class Frame(Data):
    """One figure of the freeze frame: what was measured when a code was stored."""

    channel: Short
    value: Figure
    unit: str = ""


def _channel(knowledge: Knowledge, name: str) -> ChannelShape | None:
    """The shape of a channel, numbered ones by their stem."""
    return knowledge.channels.get(name) or knowledge.channels.get(re.sub(r"_\d+$", "", name))


def frame_faults(knowledge: Knowledge, path: str, frame: Frame) -> list[Wrong]:
    """Channels are those of recordings, in a unit of their kind."""
    shape = _channel(knowledge, frame.channel)
    if shape is None:
        return one_of(f"{path}.channel", frame.channel, knowledge.channels)
    if not frame.unit:
        return []
    if faults := unit_fault(frame.unit):
        return [(f"{path}.unit", faults[0][1])]
    if frame.unit != shape.unit and not same_kind(frame.unit, shape.unit):
        says = f"{sign(frame.unit)} measures no {inside(shape.title)}; it is kept in {shape.unit}"
        return [(f"{path}.unit", says)]
    return out_of_reach(knowledge, f"{path}.value", frame.value, frame.unit)


class Code(EntryData):
    code: Short
    status: CodeStatus = "stored"
    also: Annotated[list[CodeStatus], Field(max_length=6)] = []
    module: Short | None = None
    text: Text | None = None
    at_key_on: Flag | None = None
    frame: Annotated[list[Frame], Field(max_length=60)] = []
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        known = knowledge.codes.get(decode(self.code).code)
        title = known.title if known else self.text or decode(self.code).says
        own = f" (the tool: {self.text})" if known and self.text else ""
        at_once = ", back at once with the key" if self.at_key_on else ""
        frame = "; ".join(f"{spoken(x.channel)} {exact(x.value)} {sign(x.unit)}".strip() for x in self.frame)
        stored = f"; stored with it: {frame}" if frame else ""
        return noted(f"{self.code} {self.says_status}{at_once}: {title}{own}{stored}", self.note)

    def frame_figures(self, knowledge: Knowledge) -> dict[str, float]:
        """The figures stored with it by channel, each in the unit of its channel."""
        shown = {}
        for entry in self.frame:
            shape = _channel(knowledge, entry.channel)
            if shape is not None:
                alike = not entry.unit or entry.unit == shape.unit or shape.unit not in UNITS
                shown[entry.channel] = entry.value if alike else convert(entry.value, entry.unit, shape.unit)
        return shown

    @property
    def says_status(self) -> str:
        """Every status that it has, as said."""
        return ", ".join(re.sub("[_-]", " ", status) for status in dict.fromkeys((self.status, *self.also)))

    def wrong(self, against: Against) -> list[Wrong]:
        return code_fault("code", self.code) or [
            wrong
            for index, entry in enumerate(self.frame)
            for wrong in frame_faults(against.knowledge, f"frame[{index}]", entry)
        ]


class CodeScan(EntryData):
    """The codes were read and this is all there was; with no `code` entries it says that there were none.
    `modules`: those that answered; `silent`: those that did not; `module` is what older files say."""

    module: Short | None = None
    id: Short | None = None
    modules: Annotated[list[Short], Field(max_length=60)] = []
    silent: Annotated[list[Short], Field(max_length=60)] = []
    keeps_none: Flag | None = None

    @property
    def answered(self) -> list[str]:
        return self.modules or [self.module or "all"]

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        if self.keeps_none:
            return "This vehicle keeps no codes"
        unread = f"; no answer from: {', '.join(self.silent)}" if self.silent else ""
        return f"Codes read, modules: {', '.join(self.answered)}{unread}"


class CodeClear(EntryData):
    module: Short = "all"
    reason: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Codes cleared, modules: {self.module}"


class Deadline(EntryData):
    until: Moment
    standstill_per_day: Money = 0
    why: Short | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Needed by {self.until.astimezone():%a %d %b %H:%M}"


class Before(EntryData):
    """Who was there before, and what they did."""

    text: Text
    cleared_codes: Flag | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Before: {self.text}"


class History(EntryData):
    """What was done before this job: which repair, or in words, how long ago, by whom, and did it help."""

    repair: Id | None = None
    text: Text | None = None
    days_ago: Annotated[float, Field(strict=True, ge=0, le=40_000)] | None = None
    distance_km_ago: Annotated[float, Field(strict=True, ge=0, le=3_000_000)] | None = None
    by: Literal["us", "owner", "other"] | None = None
    cured: Flag | None = None
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        done = self.text or (
            knowledge.repairs[self.repair].title if self.repair in knowledge.repairs else str(self.repair)
        )
        when = [f"{days_said(self.days_ago)} ago"] if self.days_ago is not None else []
        if self.distance_km_ago is not None:
            when.append(f"{grouped(round(self.distance_km_ago))} km ago")
        who = BY_WORDS[self.by] if self.by else ""
        helped = {True: "it helped", False: "it did not help", None: ""}[self.cured]
        about = ", ".join(filter(None, (*when, who, helped, self.note)))
        return f"Done lately: {inside(done)}" + (f" ({about})" if about else "")

    def wrong(self, against: Against) -> list[Wrong]:
        if self.repair is None:
            return [] if self.text else [("text", "say what was done, or name its repair")]
        return one_of("repair", self.repair, against.knowledge.repairs)


def days_said(days: float) -> str:
    """A span of days as people say it.

    >>> days_said(1), days_said(20), days_said(45), days_said(1450)
    ('1 day', '20 days', '6 weeks', '4 years')
    """
    for least, unit_days, unit in ((700, 365.25, "year"), (120, 30.4, "month"), (30, 7, "week")):
        if days >= least:
            return counted(round(days / unit_days), unit)
    return counted(round(days), "day")


KINDS: dict[str, type[EntryData]] = {
    "complaint": Complaint,
    "symptom": Symptom,
    "context": Context,
    "condition": Condition,
    "state": State,
    "lamp": Lamp,
    "code": Code,
    "code_scan": CodeScan,
    "code_clear": CodeClear,
    "deadline": Deadline,
    "before": Before,
    "history": History,
}
