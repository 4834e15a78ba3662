"""What is measured, seen and recorded, and with what."""

from typing import Annotated, Literal

from pydantic import Field

from frosty_piston.core.quantity import exact, plain
from frosty_piston.core.words import called, sentence, sign, spoken
from frosty_piston.job.engine import Figure, Flag
from frosty_piston.job.units import same_kind
from frosty_piston.knowledge import Knowledge

from .kind import (
    Against,
    Conditions,
    Data,
    EntryData,
    EntryId,
    Id,
    OnTape,
    Short,
    Text,
    Where,
    Wrong,
    at_test,
    noted,
    one_of,
    out_of_reach,
    unit_fault,
    unit_in,
    where_faults,
)

MOST_NAMED = 5
NEVER = "never"
NOT_POSSIBLE = "not_possible"


class Instrument(EntryData):
    instrument: Short
    lead_zero: Figure | None = None
    unit: str | None = None
    accuracy_percent: Annotated[float, Field(strict=True, ge=0, le=50)] | None = None
    accuracy_digits: Annotated[float, Field(strict=True, ge=0, le=200)] | None = None
    resolution: Annotated[float, Field(strict=True, gt=0, le=1000)] | None = None
    rated_w: Annotated[float, Field(strict=True, gt=0, le=200)] | None = None
    name: Short | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        known = [
            f"lead zero {exact(self.lead_zero)} {sign(self.unit)}".strip()
            if self.lead_zero is not None
            else "",
            f"{plain(self.accuracy_percent)} %" if self.accuracy_percent is not None else "",
            f"{plain(self.accuracy_digits)} digits" if self.accuracy_digits is not None else "",
            f"step {plain(self.resolution)}" if self.resolution is not None else "",
            f"{plain(self.rated_w)} W" if self.rated_w is not None else "",
        ]
        said = [p for p in known if p] or ([f"reads in {sign(self.unit)}"] if self.unit else [])
        return f"{sentence(spoken(self.instrument))}: {', '.join(said)}"

    def wrong(self, against: Against) -> list[Wrong]:
        return unit_fault(self.unit) if self.unit else []


class Source(Data):
    """The stretch of a recording that a finding came from."""

    trace: EntryId
    start_s: Figure
    end_s: Figure


class Reading(EntryData):
    test: Id
    where: Where = Where()
    value: Figure | Literal["OL", "never", "not_possible"]
    unit: str
    conditions: Conditions | None = None
    instrument: Short | None = None
    note: Text | None = None
    source: Source | None = None

    @property
    def is_figure(self) -> bool:
        """Whether it came to a figure: no overload, not `never`, not `not_possible`."""
        return not isinstance(self.value, str)

    @property
    def came_to(self) -> str:
        """What was read, as a line says it."""
        if not isinstance(self.value, str):
            return f"{exact(self.value)} {sign(self.unit)}"
        held = self.conditions
        if self.value == NOT_POSSIBLE:
            return f"could not be measured{f', {held.because}' if held and held.because else ''}"
        if self.value == NEVER and held and held.reached_rpm is not None:
            return f"never, it got to {plain(held.reached_rpm)} per minute"
        return self.value

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        says = f"{at_test(knowledge, self.test, self.where)}: {self.came_to}{circumstances(self.conditions)}"
        return noted(says, self.note)

    def wrong(self, against: Against) -> list[Wrong]:
        knowledge = against.knowledge
        if missing := one_of("test", self.test, knowledge.tests):
            return missing + unit_fault(self.unit)
        shape = knowledge.tests[self.test]
        faults = unit_fault(self.unit)
        if not shape.units:
            takes = ", ".join(shape.outcomes) or ", ".join(shape.figures)
            faults.append(("test", f"{self.test} is recorded as an outcome, not as a reading: {takes}"))
        elif not faults and not any(same_kind(self.unit, u) for u in shape.units):
            wanted = " or ".join(shape.units)
            faults.append(("unit", f"{self.test} is read in {wanted}, not in {self.unit}"))
        if self.value == "OL":
            if not shape.overload:
                faults.append(("value", f"OL cannot be read in {self.test}; a figure is wanted"))
        elif self.value == NEVER:
            if shape.never is None:
                faults.append(("value", f"{self.test} always comes to a figure, or could not be measured"))
        elif self.value == NOT_POSSIBLE:
            if not (self.conditions and self.conditions.because):
                faults.append(("conditions.because", "say why it could not be measured"))
        elif not faults and not isinstance(self.value, str):
            faults += out_of_reach(knowledge, "value", self.value, self.unit)
        return faults + where_faults(against, self.test, self.where)

    def asks(self, knowledge: Knowledge) -> list[str]:
        return knowledge.ticks_at(self.test, self.where.node, self.where.pin)

    def runs(self, knowledge: Knowledge) -> bool:
        return knowledge.tests[self.test].runs


class Outcome(EntryData):
    test: Id
    where: Where = Where()
    outcome: Id | None = None
    figures: dict[Id, Figure | Flag] | None = None
    blocked: Annotated[list[Short], Field(max_length=100)] | None = None
    conditions: Conditions | None = None
    instrument: Short | None = None
    note: Text | None = None
    source: Source | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        figures = ", ".join(figure_says(key, value) for key, value in (self.figures or {}).items())
        came_to = " ".join(filter(None, (called(self.outcome) if self.outcome else "", figures)))
        came_to += circumstances(self.conditions)
        return noted(f"{at_test(knowledge, self.test, named_on(on_tape, self.where))}: {came_to}", self.note)

    def wrong(self, against: Against) -> list[Wrong]:
        knowledge = against.knowledge
        if missing := one_of("test", self.test, knowledge.tests):
            return missing
        shape = knowledge.tests[self.test]
        faults = []
        takes = ", ".join(shape.outcomes) or ", ".join(shape.figures)
        if self.outcome is None and not self.figures:
            faults.append(("outcome", f"an outcome or figures are wanted: {takes}"))
        if self.blocked is not None and not shape.blocks:
            faults.append(("blocked", "only a section of a circuit is tested with parts blocked off"))
        if self.outcome is not None and self.outcome not in shape.outcomes:
            allowed = ", ".join(shape.outcomes)
            says = f"must be one of {allowed}" if allowed else f"{self.test} has no named outcomes"
            faults.append(("outcome", says))
        for key, value in (self.figures or {}).items():
            if key not in shape.figures:
                says = f"unknown figure; {self.test} records {', '.join(shape.figures) or 'none'}"
                faults.append((f"figures.{key}", says))
            elif not isinstance(value, bool):
                faults += out_of_reach(knowledge, f"figures.{key}", value, unit_in(key), key)
        return faults + where_faults(against, self.test, self.where)

    def asks(self, knowledge: Knowledge) -> list[str]:
        return knowledge.ticks_at(self.test, self.where.node, self.where.pin)

    def runs(self, knowledge: Knowledge) -> bool:
        return knowledge.tests[self.test].runs and not knowledge.tests[self.test].stops_it


def circumstances(held: Conditions | None) -> str:
    """What held meanwhile and changes what an answer is worth, as the end of a line."""
    if held is None:
        return ""
    said = [
        f"after {exact(held.after_s)} s" if held.after_s is not None else "",
        "part hot" if held.part_hot else "",
        f"part at {exact(held.part_c)} °C" if held.part_c is not None else "",
        "under load" if held.loaded else "",
        "wires off" if held.wires_off else "",
        {True: "the complaint was there", False: "the complaint was not there", None: ""}[held.present],
        {True: "with power", False: "without power", None: ""}[held.energised],
    ]
    return "".join(f", {words}" for words in said if words)


def figure_says(key: str, value: float | bool) -> str:
    """One figure of an act as a line of the tape says it: `start 60 kPa`, `stroke up: yes`."""
    if isinstance(value, bool):
        return f"{called(key)}: {'yes' if value else 'no'}"
    unit = unit_in(key)
    name = key.rpartition("_")[0]
    if key == "seconds" or unit is None:
        return f"{exact(value)} s" if key == "seconds" else f"{called(key)} {exact(value)}"
    return f"{spoken(name)} {exact(value)} {sign(unit)}".lstrip()


def named_on(on_tape: OnTape, where: Where) -> Where:
    """A place by its title, where it is one of the circuit on the tape."""
    node = where.node
    if not node:
        return where
    circuit = next((x.data for x in reversed(list(on_tape.values())) if x.kind == "circuit"), None)
    titles = {p.id: p.title for p in circuit.parts} if circuit else {}
    for hose in circuit.hoses if circuit else ():
        ends = [titles.get(end.partition(".")[0], end) for end in (hose.from_, hose.to)]
        titles.setdefault(hose.id, " to ".join(ends))
    return where.model_copy(update={"node": titles[node]}) if node in titles else where


class Trace(EntryData):
    """A recording: a file beside the job file, or its columns in place."""

    test: Id | None = None
    where: Where = Where()
    channels: dict[Short, Short]
    file: Short | None = None
    columns: dict[Short, list[Figure | None]] | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        names = [spoken(c) for c in self.channels]
        more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
        return f"Recording: {self.file or 'in place'}, {', '.join(names[:MOST_NAMED])}{more}"

    def wrong(self, against: Against) -> list[Wrong]:
        if self.test is not None:
            return one_of("test", self.test, against.knowledge.tests)
        if self.file is None and self.columns is None:
            return [("file", "a recording names a file or carries its columns")]
        return []


class Stretch(EntryData):
    """A named stretch of a recording, from its first to its last second."""

    trace: EntryId
    start_s: Figure
    end_s: Figure
    name: Short

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Stretch marked: {self.name}, {plain(self.start_s)} to {plain(self.end_s)} s"


KINDS: dict[str, type[EntryData]] = {
    "instrument": Instrument,
    "reading": Reading,
    "outcome": Outcome,
    "trace": Trace,
    "stretch": Stretch,
}
