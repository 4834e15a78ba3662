"""How it was proven and handed over."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from frosty_piston.core.quantity import hours_said, plain
from frosty_piston.core.words import inside, spoken
from frosty_piston.job.engine import Flag
from frosty_piston.knowledge import Knowledge

from .kind import AXES, Against, EntryData, Hours, Id, OnTape, Short, Text, Wrong, code_fault, noted, one_of


class ProofStep(EntryData):
    """`about`: the fault that a step `suspect` is about; `why`: the reason picked from the list of the step;
    `hours_sure`: the hours of standing are right although the tape says that it ran since."""

    repair: Id
    step: Id
    about: Id | None = None
    why: Id | None = None
    result: Literal["pass", "fail", "could_not"]
    reason: Text | None = None
    before: Short | None = None
    after: Short | None = None
    soaked_h: Hours | None = None
    hours_sure: Flag | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        about = knowledge.faults[self.about].title if self.about else spoken(self.step)
        reason = f" ({self.reason})" if self.reason else ""
        return f"Proof, {inside(about)}: {spoken(self.result)}{reason}"

    def wrong(self, against: Against) -> list[Wrong]:
        knowledge = against.knowledge
        steps = [*knowledge.proofs.checks, *knowledge.proofs.resets, *knowledge.proofs.conditions]
        faults = [] if self.step in steps else [("step", f"must be one of {', '.join(steps)}")]
        faults += [] if self.repair == "general" else one_of("repair", self.repair, knowledge.repairs)
        faults += one_of("about", self.about, knowledge.faults) if self.about else []
        faults += one_of("why", self.why, knowledge.proofs.reasons) if self.why else []
        if self.result == "could_not" and not self.reason:
            faults.append(("reason", "say why it could not be done"))
        return faults

    def latch(self, knowledge: Knowledge) -> str:
        return "" if self.reason or self.result != "pass" else knowledge.latches.get(self.step, "")

    def asks(self, knowledge: Knowledge) -> list[str]:
        if self.result == "could_not":
            return []
        shape = (knowledge.proofs.checks | knowledge.proofs.conditions).get(self.step)
        return [c for c in (shape.cautions if shape else []) if knowledge.cautions[c].tick]


class Drive(EntryData):
    """A drive, or starts, or hours of running. What was not read is no witness: codes count when they were
    read, or when `codes_back` is named, empty too; the complaint when it is said whether it came back.
    `typed`: a span as it was written, where that was in another unit."""

    distance_km: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    starts: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    hours: Annotated[float, Field(strict=True, ge=0, le=100_000)] | None = None
    conditions: Short | None = None
    codes_read: Flag | None = None
    codes_back: list[Short] = []
    complaint_back: Flag | None = None
    typed: dict[Id, Short] | None = None
    note: Text | None = None

    @model_validator(mode="after")
    def _something_driven(self) -> "Drive":
        if all(getattr(self, axis) is None for axis in AXES):
            raise ValueError("name distance_km, starts or hours")
        return self

    @property
    def read(self) -> bool:
        return self.codes_read if self.codes_read is not None else "codes_back" in self.model_fields_set

    @property
    def spans(self) -> str:
        """How far, how often and how long it ran, as it was written."""
        spans = [
            self._typed("distance_km") or f"{plain(self.distance_km)} km"
            if self.distance_km is not None
            else "",
            f"{plain(self.starts)} {'start' if self.starts == 1 else 'starts'}"
            if self.starts is not None
            else "",
            hours_said(self.hours) if self.hours is not None else "",
        ]
        return ", ".join(filter(None, spans))

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        codes = "no code back" if self.read else "codes not read"
        codes = f"codes back: {', '.join(self.codes_back)}" if self.codes_back else codes
        verb = "Drove" if self.distance_km is not None else "Ran"
        back = (
            "" if self.complaint_back is None else f", complaint {'' if self.complaint_back else 'not '}back"
        )
        return noted(f"{verb} {self.spans}: {codes}{back}", self.note)

    def _typed(self, name: str) -> str:
        return (self.typed or {}).get(name, "")

    def wrong(self, against: Against) -> list[Wrong]:
        return [f for i, code in enumerate(self.codes_back) for f in code_fault(f"codes_back[{i}]", code)]

    def on_the_road(self) -> bool:
        return bool(self.distance_km)

    def asks(self, knowledge: Knowledge) -> list[str]:
        return ["road_test"]


class SootCause(EntryData):
    """What was asked about a cause of soot: found, or looked at and not found."""

    cause: Id
    found: Flag
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"{knowledge.soot.causes[self.cause].title}: {'found' if self.found else 'not found'}"

    def wrong(self, against: Against) -> list[Wrong]:
        return one_of("cause", self.cause, against.knowledge.soot.causes)


class Handover(EntryData):
    to: Short
    note: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Handed over to {self.to}"


KINDS: dict[str, type[EntryData]] = {
    "proof_step": ProofStep,
    "drive": Drive,
    "soot_cause": SootCause,
    "handover": Handover,
}
