"""What is decided, agreed and done."""

from typing import Annotated, Literal

from pydantic import Field

from frosty_piston.core.quantity import exact, plain
from frosty_piston.core.words import counted, inside, listed, sentence, spoken
from frosty_piston.job.engine import Figure, Flag, Moment
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.repair_shapes import WaitKind

from .kind import (
    Against,
    Chance,
    Cylinder,
    Data,
    EntryData,
    EntryId,
    Hours,
    Id,
    Money,
    OnTape,
    OptionIds,
    Short,
    Text,
    Where,
    Wrong,
    noted,
    one_of,
    options_faults,
)


class Cleaning(Data):
    """A turn of cleaning: how, how long, and what was measured before and after it."""

    way: Id
    minutes: Figure
    measured: Short | None = None
    unit: Short | None = None
    before: Figure | None = None
    after: Figure | None = None

    def says(self) -> str:
        minutes = f"{plain(self.minutes)} min"
        if self.before is None or self.after is None:
            return minutes
        change = (
            f"{self.measured or 'measured'} {plain(self.before)} to {plain(self.after)} {self.unit or ''}"
        )
        return f"{minutes}, {change}".rstrip()


class Action(EntryData):
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

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        turn = self.cleaning
        done = f"{sentence(spoken(self.action))}: {self.what}"
        done += " (temporary)" if self.temporary else ""
        if turn:
            done += f", {turn.says()}" + (", goes back in: this is the repair" if self.repair else "")
        return noted(done, self.note)

    def wrong(self, against: Against) -> list[Wrong]:
        knowledge = against.knowledge
        faults = one_of("cleaning.way", self.cleaning.way, knowledge.cleaning) if self.cleaning else []
        faults += one_of("repair", self.repair, knowledge.repairs) if self.repair else []
        faults += one_of("option", self.option, knowledge.options) if self.option else []
        beyond = any(against.beyond(c) for c in self.cylinders or [])
        return faults + ([("cylinders", against.says_cylinders)] if beyond else [])


class OptionPicked(EntryData):
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

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        titles = [
            knowledge.options[option].title if option in knowledge.options else spoken(option)
            for option in self.option.split("+")
        ]
        picked = f"{'Picked' if self.chosen else 'Priced'}: {self.title or listed(titles)}"
        return f"{picked}. {self.reason}" if self.reason else picked

    def wrong(self, against: Against) -> list[Wrong]:
        return options_faults(against.knowledge, self.option)


class Consent(EntryData):
    """`options`: what was asked together; `grew`: what made the work grow, for a second word."""

    option: OptionIds | None = None
    options: list[Id] | None = None
    grew: Text | None = None
    answer: Literal["yes", "no"]
    ceiling: Money | None = None
    who: Short
    how: Literal["phone", "in_person", "writing"]
    declined: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        ceiling = f", up to {self.ceiling // 100}" if self.ceiling else ""
        return f"Owner says {self.answer}: {self.who}, {self.how.replace('_', ' ')}{ceiling}"

    def wrong(self, against: Against) -> list[Wrong]:
        return options_faults(against.knowledge, self.option) if self.option else []


class Warning_(EntryData):
    """Something dangerous or not allowed. `about` tampering: the owner is told of it in writing before the
    vehicle leaves."""

    text: Text
    urgency: Literal["stop", "soon", "watch"]
    place: Short | None = None
    owner: Literal["accepted", "declined", "not_told"] = "not_told"
    picture: Short | None = None
    about: Literal["tampering"] | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Warning ({self.urgency}): {self.text}"


class Hardware(Data):
    """One piece taken off: what, where it sat, its length or mark."""

    what: Short
    where: Short | None = None
    mark: Short | None = None

    def says(self) -> str:
        return ", ".join(filter(None, (self.what, self.where, self.mark)))


class Pin(Data):
    """One cavity of a pin map: its number, the colour it had and the one it has, cross-sections, and how the
    barb of the terminal points."""

    cavity: Annotated[str, Field(min_length=1, max_length=12)]
    from_: Annotated[str, Field(min_length=1, max_length=30, alias="from")]
    to: Annotated[str, Field(min_length=1, max_length=30)]
    was_mm2: Annotated[float, Field(strict=True, gt=0, le=240)] | None = None
    mm2: Annotated[float, Field(strict=True, gt=0, le=240)] | None = None
    barb: Literal["up", "down", "left", "right"] | None = None

    def says(self) -> str:
        size = f", {plain(self.mm2)} mm²" if self.mm2 else ""
        barb = f", barb {self.barb}" if self.barb else ""
        return f"cavity {self.cavity}: {self.from_} to {self.to}{size}{barb}"


class FitStep(EntryData):
    """`part`: something was noted at the step, which goes on. `back`: what is no longer on the bench, by
    the entry that took it off. `counts`, `gaps_mm`: what was counted and measured at the step, by what it
    is of."""

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
    seen: Annotated[list[Short], Field(max_length=40)] | None = None
    counts: dict[Short, Annotated[int, Field(strict=True, ge=0, le=1000)]] | None = None
    held_by: Short | None = None
    gaps_mm: dict[Short, Annotated[float, Field(strict=True, ge=0, le=200)]] | None = None
    note: Text | None = None
    pins: Annotated[list[Pin], Field(max_length=200)] | None = None
    compared: (
        dict[Id, tuple[Annotated[str, Field(max_length=80)], Annotated[str, Field(max_length=80)]]] | None
    ) = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        if self.pins:
            return f"Pin map: {'; '.join(p.says() for p in self.pins)}"
        if self.state == "part":
            lines = ["; ".join([h.says() for h in self.hardware])] if self.hardware else []
            back = "Back on" + (f" ({self.reason})" if self.reason else "")
            return f"On the bench: {lines[0]}" if lines else back
        step = next((s for s in knowledge.repairs[self.plan].steps if s.id == self.step), None)
        stands = [
            step.does if step else spoken(self.step),
            f"cylinder {self.cylinder}" if self.cylinder else "",
            f"{exact(self.torque_nm)} N m" if self.torque_nm is not None else "",
            counted(self.pieces, "part") if self.pieces is not None else "",
            f"held by a {self.held_by}" if self.held_by else "",
            *(f"{inside(what)} {n}" for what, n in (self.counts or {}).items()),
            *(f"{inside(what)} {plain(mm)} mm" for what, mm in (self.gaps_mm or {}).items()),
        ]
        says = f"{'Done' if self.state == 'done' else 'Skipped'}: {', '.join(s for s in stands if s)}"
        return noted(says, "; ".join(filter(None, (self.reason, self.note))))

    def wrong(self, against: Against) -> list[Wrong]:
        knowledge = against.knowledge
        if missing := one_of("plan", self.plan, knowledge.repairs):
            return missing
        steps = knowledge.repairs[self.plan].step_ids
        faults = [] if self.step in steps else [("step", f"must be one of {', '.join(steps)}")]
        unknown = [i for i, c in enumerate(self.ticks or []) if c not in knowledge.cautions]
        return faults + [(f"ticks[{i}]", "no such caution") for i in unknown]

    def asks(self, knowledge: Knowledge) -> list[str]:
        if self.state != "done":
            return []
        cautions = next(s.cautions for s in knowledge.repairs[self.plan].steps if s.id == self.step)
        return [c for c in cautions if knowledge.cautions[c].tick and c not in (self.ticks or [])]


class Wait(EntryData):
    """`test`, `where`, `wanted_c`: what is measured when it is over, and how hot the part should be then."""

    wait: WaitKind
    what: Short
    state: Literal["started", "ended"] = "started"
    until: Moment | None = None
    ends: EntryId | None = None
    seen: Text | None = None
    step: Short | None = None
    test: Id | None = None
    where: Where | None = None
    wanted_c: Annotated[float, Field(strict=True, ge=-60, le=1000)] | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        if self.state == "ended":
            return f"Wait over: {self.what}" + (f". {self.seen}" if self.seen else "")
        return f"Waiting: {self.what}"

    def wrong(self, against: Against) -> list[Wrong]:
        ends = against.stands_before("ends", self.ends) if self.ends else []
        return ends + (one_of("test", self.test, against.knowledge.tests) if self.test else [])


WENT_WORDS = {
    "bore": "in the bore of its plug",
    "cylinder": "in a cylinder",
    "intake": "in the intake",
    "head": "in the head",
    "valley": "in the valley",
    "floor": "on the floor",
    "outside": "outside the engine, in its hole",
    "unknown": "not known where",
}


class Piece(EntryData):
    """A piece that broke off or fell: where it went, where it is now, its length against a whole one. The
    latest of a name stands."""

    name: Short
    went: Literal["bore", "cylinder", "intake", "head", "valley", "floor", "outside", "unknown"] = "unknown"
    now: Literal["missing", "recovered", "left"] = "missing"
    length_mm: Annotated[float, Field(strict=True, gt=0, le=2000)] | None = None
    whole_mm: Annotated[float, Field(strict=True, gt=0, le=2000)] | None = None
    where: Short | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        length = f", {plain(self.length_mm)} mm long" if self.length_mm else ""
        whole = f" of {plain(self.whole_mm)}" if self.length_mm and self.whole_mm else ""
        went = f", {WENT_WORDS[self.went]}" if self.went != "unknown" else ""
        return f"Piece {self.name}: {self.now}{length}{whole}{went}"


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


class Circuit(EntryData):
    """A vacuum circuit: all its parts and hoses. `of`: as it was `found`, or as it `should` be; without,
    both."""

    of: Literal["found", "should"] | None = None
    parts: Annotated[list[CircuitPart], Field(max_length=200)]
    hoses: Annotated[list[CircuitHose], Field(max_length=400)]

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        which = {"found": " as found", "should": " as it should be", None: ""}[self.of]
        return (
            f"Vacuum circuit{which}: {counted(len(self.parts), 'part')}, {counted(len(self.hoses), 'hose')}"
        )

    def wrong(self, against: Against) -> list[Wrong]:
        """Ids stand once, and every hose runs between ports of parts that are there."""
        ids = [x.id for x in self.parts] + [x.id for x in self.hoses]
        twice = dict.fromkeys(i for i in ids if ids.count(i) > 1)
        faults = [("parts", f"{one!r} stands twice") for one in twice]
        parts = {x.id for x in self.parts}
        for n, hose in enumerate(self.hoses):
            for key, end in (("from", hose.from_), ("to", hose.to)):
                if end.partition(".")[0] not in parts:
                    faults.append((f"hoses[{n}].{key}", f"{end!r} is no port of a part that is named"))
        return faults


class Trim(EntryData):
    """The trim code of an injector, its case kept, and where it was read."""

    cylinder: Cylinder
    code: Annotated[str, Field(min_length=1, max_length=80)]
    from_: Annotated[Literal["part", "unit", "sheet"], Field(alias="from")]

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Trim code, cylinder {self.cylinder}: {self.code}"

    def wrong(self, against: Against) -> list[Wrong]:
        return [("cylinder", against.says_cylinders)] if against.beyond(self.cylinder) else []


class ResetStep(EntryData):
    """A step of a reset plan. `lead`: who lets it be done though the cause is not read sound, and why."""

    plan: Id
    step: Id
    result: Literal["done", "refused", "skipped"]
    because: Text | None = None
    lead: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        plan = knowledge.reset_plans.get(self.plan)
        step = plan.step(self.step) if plan else None
        does = step.does if step else sentence(spoken(self.step))
        return f"Reset, {inside(does)}: {self.result}" + (f" ({self.because})" if self.because else "")

    def latch(self, knowledge: Knowledge) -> str:
        return "" if self.lead or self.result != "done" else knowledge.latches.get(self.step, "")


class TopUp(EntryData):
    """DEF filled in: how much, from where, at which distance."""

    litres: Annotated[float, Field(strict=True, gt=0, le=2000)]
    source: Short
    at_km: Annotated[float, Field(strict=True, ge=0, le=10_000_000)] | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"DEF topped up: {plain(self.litres)} l, {self.source}"


KINDS: dict[str, type[EntryData]] = {
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
}
