"""What all entries have in common: the envelope, and what a kind owes: its words, its faults, its ticks."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any, Generic

from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypeVar

from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign, spoken
from frosty_piston.job.engine import Figure, Flag, Happened
from frosty_piston.job.units import UNITS, allowed, convert, same_kind
from frosty_piston.knowledge import Knowledge

Text = Annotated[str, Field(min_length=1, max_length=4000)]
Short = Annotated[str, Field(min_length=1, max_length=200)]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
OptionIds = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}(\+[a-z][a-z0-9_]{0,59}){0,4}$")]
EntryId = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9][A-Za-z0-9._:-]*$")]
Cylinder = Annotated[int, Field(strict=True, ge=1, le=16)]
Money = Annotated[int, Field(strict=True, ge=0, le=100_000_000_000)]
Chance = Annotated[float, Field(strict=True, ge=0, le=1)]
AXES = ("distance_km", "starts", "hours")
Span = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=1_000_000)]
Hours = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1000)]

Wrong = tuple[str, str]
UNIT_ENDINGS = {
    "v": "V",
    "a": "A",
    "ohm": "ohm",
    "kpa": "kPa",
    "bar": "bar",
    "mbar": "mbar",
    "c": "degC",
    "rpm": "rpm",
    "mm": "mm",
    "km": "km",
    "m": "m",
    "ml": "ml",
    "s": "s",
    "percent": "percent",
}


class Data(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class EntryData(Data):
    """The data of one kind of entry."""

    def says(self, knowledge: Knowledge, on_tape: "OnTape") -> str:
        """One plain line for the tape."""
        raise NotImplementedError

    def wrong(self, against: "Against") -> list[Wrong]:
        """What is wrong with it by the knowledge of the trade and this engine card: where, and what is
        allowed."""
        return []

    def asks(self, knowledge: Knowledge) -> list[str]:
        """The cautions that must be read and ticked before this is done."""
        return []

    def on_the_road(self) -> bool:
        """Whether the vehicle is driven for it."""
        return False

    def latch(self, knowledge: Knowledge) -> str:
        """What it takes off without a lead's reason: `unlatches`, `counter`, or nothing."""
        return ""

    def runs(self, knowledge: Knowledge) -> bool:
        """Whether the engine runs while this is done, other than to find out what stops it."""
        return False


D = TypeVar("D", bound=EntryData, default=Any)


@dataclass(frozen=True, eq=False, slots=True)
class Entry(Generic[D]):
    """One entry: written once, never changed. `data` is the model of its kind; `at` and `by` may be
    unknown."""

    id: str
    kind: str
    at: datetime | None
    by: str | None
    data: D


STOP_OPEN = (
    "nothing is known yet that stops this engine: try the emergency lever first, or write down how the air"
    " will be closed"
)
NO_BRAKES = "the brake pedal is hard: nobody drives it until the pedal was felt normal again"
OnTape = Mapping[str, Entry[Any]]


class EntryEnvelope(BaseModel):
    """The outside of an entry as a file or a request carries it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: EntryId
    kind: str
    at: Happened | None = None
    by: Annotated[str, Field(min_length=1, max_length=80)] | None = None
    data: dict[str, Any]


@dataclass
class Against:
    """What an entry is held against: the knowledge, the engine's cylinders, the ids that stand before it.
    `ticked`: the cautions ticked so far; None where no ticks are asked for, as in files. `stop_open`: whether
    nothing is known yet that stops this engine; `road_bar`: why it is not driven; `latch_bars`: why nothing
    is unlatched, or no counter set back, yet."""

    knowledge: Knowledge
    cylinders: int | None = None
    known_ids: set[str] = field(default_factory=set)
    ticked: set[str] | None = None
    stop_open: bool = False
    road_bar: str = ""
    latch_bars: Mapping[str, str] = field(default_factory=dict)

    def beyond(self, cylinder: int) -> bool:
        return bool(self.cylinders) and cylinder > (self.cylinders or 0)

    @property
    def says_cylinders(self) -> str:
        return f"this engine has {self.cylinders} cylinders"

    def stands_before(self, key: str, entry_id: str) -> list[Wrong]:
        return [] if entry_id in self.known_ids else [(key, f"no entry {entry_id!r} stands before this one")]

    def unticked(self, data: EntryData) -> list[Wrong]:
        """The cautions that an act asks for and nobody ticked."""
        if self.ticked is None:
            return []
        cautions = self.knowledge.cautions
        titles = [cautions[c].title for c in data.asks(self.knowledge) if c not in self.ticked]
        faults = [("ticks", f"read and tick the caution first: {title}") for title in titles]
        if self.stop_open and data.runs(self.knowledge):
            faults.append(("test", STOP_OPEN))
        if self.road_bar and data.on_the_road():
            faults.append(("distance_km", self.road_bar))
        if bar := self.latch_bars.get(data.latch(self.knowledge)):
            faults.append(("lead", bar))
        return faults


class Where(Data):
    """Where something was read: those that apply."""

    point: Id | None = None
    cylinder: Cylinder | None = None
    bank: Annotated[str, Field(max_length=20)] | Annotated[int, Field(strict=True, ge=1, le=2)] | None = None
    node: Short | None = None
    pin: Short | None = None
    channel: Short | None = None

    def says(self) -> str:
        named = [f"cylinder {self.cylinder}" if self.cylinder else "", spoken(self.point or "")]
        pin = f"pin {self.pin}" if self.pin and self.pin.isdecimal() else self.pin
        named += [spoken(str(x)) for x in (self.bank, self.node, pin, self.channel) if x]
        return ", ".join(n for n in named if n)


class Conditions(Data):
    """What held while something was read. `present`: whether the complaint was there at that moment;
    `energised`: whether the solenoid before it had power; `reached_rpm`: how far it got when the mark was
    never reached; `because`: why nothing could be measured."""

    after_s: Figure | None = None
    loaded: Flag | None = None
    part_hot: Flag | None = None
    part_c: Annotated[float, Field(strict=True, ge=-60, le=1000)] | None = None
    wires_off: Flag | None = None
    soaked_h: Hours | None = None
    key_off: Flag | None = None
    engine_running: Flag | None = None
    battery_v: Annotated[float, Field(strict=True, ge=0, le=60)] | None = None
    oil_c: Annotated[float, Field(strict=True, ge=-60, le=200)] | None = None
    present: Flag | None = None
    energised: Flag | None = None
    reached_rpm: Annotated[float, Field(strict=True, ge=0, le=20_000)] | None = None
    because: Text | None = None


def noted(says: str, note: str | None) -> str:
    """A line of the tape with what somebody wrote beside it, in quotes: it is the next reader's first
    word."""
    return f"{says} “{note}”" if note else says


def at_test(knowledge: Knowledge, test: str, where: Where) -> str:
    """A test and its place, as a line of the tape has room for."""
    return ", ".join(filter(None, (knowledge.tests[test].short_title, where.says())))


def one_of(key: str, name: str, known: Collection[str]) -> list[Wrong]:
    """Refuse a name that stands nowhere; near ones are told."""
    if name in known:
        return []
    near = [other for other in known if name[:4] and name[:4] in other][:6]
    hint = f"near: {', '.join(near)}" if near else f"known: {', '.join(list(known)[:8])} ..."
    return [(key, f"{name!r} is not known here; {hint}")]


def where_faults(against: Against, test: str, where: Where) -> list[Wrong]:
    shape = against.knowledge.tests[test]
    faults = []
    if where.point is not None and shape.points and where.point not in shape.points:
        faults.append(("where.point", f"must be one of {', '.join(shape.points)}"))
    if where.cylinder is not None and against.beyond(where.cylinder):
        faults.append(("where.cylinder", against.says_cylinders))
    return faults


def options_faults(knowledge: Knowledge, options: str) -> list[Wrong]:
    return [f for one in options.split("+") for f in one_of("option", one, knowledge.options)]


def unit_fault(unit: str) -> list[Wrong]:
    return [] if unit in UNITS else [("unit", f"{unit[:20]!r} is not accepted; allowed: {allowed()}")]


def code_fault(key: str, code: str) -> list[Wrong]:
    try:
        decode(code)
    except ValueError as error:
        return [(key, str(error))]
    return []


def unit_in(name: str) -> str | None:
    """The unit that the name of a figure ends in (`drop_v`, `start_kpa`); None when it names none."""
    return UNIT_ENDINGS.get(name.rpartition("_")[2])


def out_of_reach(
    knowledge: Knowledge, key: str, value: float, unit: str | None, name: str = ""
) -> list[Wrong]:
    """Refuse a figure that no instrument can show: by the bounds of its name where it has some, else by those
    of its kind of unit."""
    named = knowledge.named_reach.get(name)
    if named is not None:
        shown = convert(value, unit, named.unit) if unit and named.unit else value
        if named.low <= shown <= named.high:
            return []
        allowed_to = f"{plain(named.low)} to {plain(named.high)} {sign(named.unit)}".strip()
        return [
            (key, f"{plain(value)} {sign(unit or '')}".strip() + f" is out of reach; {allowed_to} is allowed")
        ]
    row = (
        unit
        if unit in knowledge.reach
        else next((u for u in knowledge.reach if unit and same_kind(unit, u)), None)
    )
    if unit is None or row is None:
        return []
    low, high = knowledge.reach[row]
    if low <= convert(value, unit, row) <= high:
        return []
    return [
        (
            key,
            f"{plain(value)} {sign(unit)} is out of reach; {plain(low)} to {plain(high)} {sign(row)}"
            " is allowed",
        )
    ]
