"""Every kind of entry a tape can hold: one Pydantic model each."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from .engine import Figure, Flag, Moment

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


class Data(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Where(Data):
    """Where something was read: those that apply."""

    point: Id | None = None
    cylinder: Cylinder | None = None
    bank: Annotated[str, Field(max_length=20)] | Annotated[int, Field(strict=True, ge=1, le=2)] | None = None
    node: Short | None = None
    pin: Short | None = None
    channel: Short | None = None


class Conditions(Data):
    """What held while something was read."""

    after_s: Figure | None = None
    loaded: Flag | None = None
    part_hot: Flag | None = None
    part_c: Annotated[float, Field(strict=True, ge=-60, le=150)] | None = None
    wires_off: Flag | None = None
    soaked_h: Hours | None = None
    key_off: Flag | None = None
    engine_running: Flag | None = None
    battery_v: Annotated[float, Field(strict=True, ge=0, le=60)] | None = None


class Complaint(Data):
    text: Text
    since: Short | None = None


class Return(Data):
    """When the complaint came back once, counted since the last clear or repair: on one axis."""

    distance_km: Span | None = None
    starts: Span | None = None
    hours: Span | None = None

    @model_validator(mode="after")
    def _one_axis(self) -> "Return":
        if sum(getattr(self, axis) is not None for axis in AXES) != 1:
            raise ValueError("name one of distance_km, starts, hours")
        return self


class Symptom(Data):
    """`comes_and_goes`: its absence now says nothing. `returns`: when it came back, each since the last clear
    or repair. `returns_about`: "about every so much", when none was timed."""

    symptom: Id
    present: Flag = True
    note: Text | None = None
    comes_and_goes: Flag = False
    returns: Annotated[list[Return], Field(max_length=200)] = []
    returns_about: Return | None = None


class Context(Data):
    context: Id
    present: Flag = True
    note: Text | None = None


class Condition(Data):
    name: Id
    value: Figure
    unit: str
    at_zero: Literal["no_restart", "crawl", "unknown"] | None = None


class State(Data):
    """What holds of the vehicle or the visit from here on, until another word on it."""

    state: Literal["engine_cold", "engine_hot", "raised", "customer_waits"]
    on: Flag = True


class Lamp(Data):
    lamp: Short
    state: Literal["on", "flashing", "off", "message"] = "on"
    note: Text | None = None


class Code(Data):
    code: Short
    status: Literal["stored", "pending", "permanent", "history", "cleared_and_back", "cleared-and-back"] = (
        "stored"
    )
    module: Short | None = None
    text: Text | None = None


class CodeScan(Data):
    """The codes were read and this is all there was; with no `code` entries it says that there were none."""

    module: Short = "all"


class CodeClear(Data):
    module: Short = "all"
    reason: Text | None = None


class Instrument(Data):
    instrument: Short
    lead_zero: Figure | None = None
    unit: str | None = None
    accuracy_percent: Annotated[float, Field(strict=True, ge=0, le=50)] | None = None
    accuracy_digits: Annotated[float, Field(strict=True, ge=0, le=200)] | None = None
    resolution: Annotated[float, Field(strict=True, gt=0, le=1000)] | None = None
    rated_w: Annotated[float, Field(strict=True, gt=0, le=200)] | None = None
    name: Short | None = None


class Source(Data):
    """The stretch of a recording that a finding came from."""

    trace: EntryId
    start_s: Figure
    end_s: Figure


class Reading(Data):
    test: Id
    where: Where = Where()
    value: Figure | Literal["OL"]
    unit: str
    conditions: Conditions | None = None
    instrument: Short | None = None
    source: Source | None = None


class Outcome(Data):
    test: Id
    where: Where = Where()
    outcome: Id | None = None
    figures: dict[Id, Figure | Flag] | None = None
    blocked: Annotated[list[Short], Field(max_length=100)] | None = None
    conditions: Conditions | None = None
    instrument: Short | None = None
    note: Text | None = None
    source: Source | None = None


class Trace(Data):
    """A recording: a file beside the job file, or its columns in place."""

    test: Id | None = None
    where: Where = Where()
    channels: dict[Short, Short]
    file: Short | None = None
    columns: dict[Short, list[Figure | None]] | None = None


class Stretch(Data):
    """A named stretch of a recording, from its first to its last second."""

    trace: EntryId
    start_s: Figure
    end_s: Figure
    name: Short


class Cleaning(Data):
    """A turn of cleaning: how, how long, and what was measured before and after it."""

    way: Id
    minutes: Figure
    measured: Short | None = None
    unit: Short | None = None
    before: Figure | None = None
    after: Figure | None = None


class Action(Data):
    """Something done to the vehicle."""

    action: Literal[
        "unplugged",
        "plugged_in",
        "cleaned",
        "replaced",
        "repaired",
        "removed",
        "refitted",
        "disturbed",
        "adjusted",
    ]
    what: Short
    where: Where = Where()
    repair: Id | None = None
    option: Id | None = None
    cylinders: list[Cylinder] | None = None
    temporary: Flag = False
    come_back: Short | None = None
    note: Text | None = None
    cleaning: Cleaning | None = None


class OptionPicked(Data):
    """An option as it was weighed, or several together joined by a plus; `chosen` when the technician picked
    it."""

    option: OptionIds
    title: Short | None = None
    parts: Money = 0
    labour_h: Hours = 0
    access_h: Hours = 0
    consumables: Money = 0
    price: Money | None = None
    expected: Money | None = None
    cures: Chance | None = None
    comes_back: Chance | None = None
    breaks: Chance | None = None
    days: Hours | None = None
    warranty_months: Annotated[int, Field(strict=True, ge=0, le=240)] | None = None
    chosen: Flag = False
    reason: Text | None = None


class Consent(Data):
    """`options`: what was asked together; `grew`: what made the work grow, for a second word."""

    option: OptionIds | None = None
    options: list[Id] | None = None
    grew: Text | None = None
    answer: Literal["yes", "no"]
    ceiling: Money | None = None
    who: Short
    how: Literal["phone", "in_person", "writing"]
    declined: Text | None = None


class Warning_(Data):
    text: Text
    urgency: Literal["stop", "soon", "watch"]
    place: Short | None = None
    owner: Literal["accepted", "declined", "not_told"] = "not_told"
    picture: Short | None = None


class Hardware(Data):
    """One piece taken off: what, where it sat, its length or mark."""

    what: Short
    where: Short | None = None
    mark: Short | None = None


class FitStep(Data):
    """`part`: something was noted at the step, which goes on. `back`: what is no longer on the bench, by the
    entry that took it off."""

    plan: Id
    step: Id
    state: Literal["done", "skipped", "part"] = "done"
    cylinder: Cylinder | None = None
    reason: Text | None = None
    torque_nm: Annotated[float, Field(strict=True, ge=0, le=2000)] | None = None
    pieces: Annotated[int, Field(strict=True, ge=0, le=200)] | None = None
    hardware: Annotated[list[Hardware], Field(max_length=60)] | None = None
    back: Annotated[list[Short], Field(max_length=60)] | None = None
    ticks: list[Id] | None = None
    compared: (
        dict[Id, tuple[Annotated[str, Field(max_length=80)], Annotated[str, Field(max_length=80)]]] | None
    ) = None


class Wait(Data):
    wait: Literal["cool_down", "soak", "bath", "cure", "parts", "consent", "cold_soak", "burn", "drive"]
    what: Short
    state: Literal["started", "ended"] = "started"
    until: Moment | None = None
    ends: EntryId | None = None
    seen: Text | None = None
    step: Short | None = None


class Piece(Data):
    """A piece that broke off or fell: where it went, where it is now, its length against a whole one. The
    latest of a name stands."""

    name: Short
    went: Literal["bore", "valley", "floor", "unknown"] = "unknown"
    now: Literal["missing", "recovered", "left"] = "missing"
    length_mm: Annotated[float, Field(strict=True, gt=0, le=2000)] | None = None
    whole_mm: Annotated[float, Field(strict=True, gt=0, le=2000)] | None = None
    where: Short | None = None


class CircuitPart(Data):
    id: Id
    kind: Id
    title: Short


class CircuitHose(Data):
    id: Id
    from_: Annotated[str, Field(alias="from", max_length=120)]
    to: Annotated[str, Field(max_length=120)]
    length_mm: Annotated[float, Field(strict=True, gt=0, le=20_000)] | None = None
    bore_mm: Annotated[float, Field(strict=True, gt=0, le=50)] | None = None
    mark: Short | None = None
    heat: Literal["exhaust", "engine", "cool"] | None = None
    age_years: Annotated[float, Field(strict=True, ge=0, le=100)] | None = None
    access_min: Annotated[float, Field(strict=True, ge=0, le=1000)] | None = None
    last_hands: Flag | None = None


class Circuit(Data):
    """A vacuum circuit as it stands: all its parts and hoses."""

    parts: Annotated[list[CircuitPart], Field(max_length=200)]
    hoses: Annotated[list[CircuitHose], Field(max_length=400)]


class Trim(Data):
    """The trim code of an injector, its case kept, and where it was read."""

    cylinder: Cylinder
    code: Annotated[str, Field(min_length=1, max_length=80)]
    from_: Annotated[Literal["part", "unit", "sheet"], Field(alias="from")]


class ResetStep(Data):
    plan: Id
    step: Id
    result: Literal["done", "refused", "skipped"]
    because: Text | None = None


class TopUp(Data):
    """DEF filled in: how much, from where, at which distance."""

    litres: Annotated[float, Field(strict=True, gt=0, le=2000)]
    source: Short
    at_km: Annotated[float, Field(strict=True, ge=0, le=10_000_000)] | None = None


class ProofStep(Data):
    """`about`: the fault that a step `suspect` is about; `why`: the reason picked from the list of the
    step."""

    repair: Id
    step: Id
    about: Id | None = None
    why: Id | None = None
    result: Literal["pass", "fail", "could_not"]
    reason: Text | None = None
    before: Short | None = None
    after: Short | None = None
    soaked_h: Hours | None = None


class Drive(Data):
    """A drive, or starts, or hours of running. What was not read is no witness: codes count when they were
    read, or when `codes_back` is named, empty too; the complaint when it is said whether it came back."""

    distance_km: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    starts: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    hours: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    conditions: Short | None = None
    codes_read: Flag | None = None
    codes_back: list[Short] = []
    complaint_back: Flag | None = None

    @model_validator(mode="after")
    def _something_driven(self) -> "Drive":
        if all(getattr(self, axis) is None for axis in AXES):
            raise ValueError("name distance_km, starts or hours")
        return self

    @property
    def read(self) -> bool:
        return self.codes_read if self.codes_read is not None else "codes_back" in self.model_fields_set


class Deadline(Data):
    until: Moment
    standstill_per_day: Money = 0
    why: Short | None = None


class Before(Data):
    """Who was there before, and what they did."""

    text: Text
    cleared_codes: Flag | None = None


class Tick(Data):
    """A caution read and acknowledged."""

    caution: Id


class CardChange(Data):
    """The engine card or vehicle of this job was changed: field to old and new."""

    changes: dict[Short, tuple[Any, Any]]


class Handover(Data):
    to: Short
    note: Text | None = None


class Note(Data):
    text: Text


class SootCause(Data):
    """What was asked about a cause of soot: found, or looked at and not found."""

    cause: Id
    found: Flag
    note: Text | None = None


class Correction(Data):
    corrects: EntryId
    reason: Text


KINDS: dict[str, type[Data]] = {
    "complaint": Complaint,
    "symptom": Symptom,
    "context": Context,
    "condition": Condition,
    "state": State,
    "lamp": Lamp,
    "code": Code,
    "code_scan": CodeScan,
    "code_clear": CodeClear,
    "instrument": Instrument,
    "reading": Reading,
    "outcome": Outcome,
    "trace": Trace,
    "stretch": Stretch,
    "action": Action,
    "option": OptionPicked,
    "consent": Consent,
    "warning": Warning_,
    "fit_step": FitStep,
    "wait": Wait,
    "piece": Piece,
    "circuit": Circuit,
    "trim": Trim,
    "reset_step": ResetStep,
    "top_up": TopUp,
    "proof_step": ProofStep,
    "drive": Drive,
    "deadline": Deadline,
    "before": Before,
    "tick": Tick,
    "card_change": CardChange,
    "handover": Handover,
    "note": Note,
    "soot_cause": SootCause,
    "correction": Correction,
}


@dataclass(frozen=True, eq=False, slots=True)
class Entry:
    """One entry: written once, never changed. `data` is the model of its kind; `at` and `by` may be
    unknown."""

    id: str
    kind: str
    at: datetime | None
    by: str | None
    data: Any


class EntryEnvelope(BaseModel):
    """The outside of an entry as a file or a request carries it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: EntryId
    kind: str
    at: Moment | None = None
    by: Annotated[str, Field(min_length=1, max_length=80)] | None = None
    data: dict[str, Any]
