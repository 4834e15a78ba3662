"""The countdown on a job: what is left of it, what is planned against it, and when nothing is driven."""

from dataclasses import dataclass

from frosty_piston.core.cached import cached_property
from frosty_piston.core.countdown import Budget, CountdownLimits, budget
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import counted, inside
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Condition, Entry
from frosty_piston.job.place import Page, Part, Place, test_place
from frosty_piston.job.units import convert

from .countdown_count import KM, UNITS, still_counts, used_since
from .prove import TO_COME, Proof, still_to_drive
from .road import floor_of

AT_ZERO = {
    "no_restart": "at zero it does not start again",
    "crawl": "at zero it only crawls",
    "unknown": "what it does at zero is not known",
}


@dataclass(frozen=True)
class Charge:
    """Something planned that the countdown has to pay for: what, where it is done, and how much."""

    what: str
    where: Place
    amount: float


@dataclass(frozen=True)
class Countdown:
    """A countdown as it stands. `said`: what the dash showed last; `used`: what was driven or started
    since."""

    entry: Entry[Condition]
    axis: str
    said: float
    used: float
    planned: tuple[Charge, ...]
    floor: float
    warn: float

    @cached_property
    def budget(self) -> Budget:
        return budget(self.said, self.used, sum(c.amount for c in self.planned), self.floor, self.warn)

    def amount(self, value: float) -> str:
        return f"{plain(round(value))} km" if self.axis == KM else counted(round(value), "start")

    @property
    def state(self) -> str:
        return self.budget.state

    @property
    def at_zero(self) -> str:
        return AT_ZERO[self.entry.data.at_zero or "unknown"]

    @property
    def says(self) -> str:
        """The budget in a sentence."""
        left = self.amount(self.budget.left)
        planned = sum(c.amount for c in self.planned)
        if self.state == "zero":
            return f"Countdown at zero: {self.at_zero}. It is not driven off the lift."
        if self.state == "floor":
            return f"{left} left, {self.amount(self.floor)} are kept back: it is not driven. {self.cap_zero}."
        says = f"{left} left of the countdown, {self.at_zero}."
        last = " These are the last ones." if self.state == "last" else ""
        if not planned:
            return f"{says}{last}"
        if self.state == "short":
            return (
                f"{says} {self.amount(planned)} are planned: that does not fit above the"
                f" {self.amount(self.floor)} kept back. Cure and unlatch first."
            )
        return f"{says} {self.amount(planned)} planned, {self.amount(self.budget.after)} after that.{last}"

    @property
    def cap_zero(self) -> str:
        return self.at_zero[0].upper() + self.at_zero[1:]


def countdown_of(assessed: Assessed, proof: Proof) -> Countdown | None:
    """The countdown of a job with all that is planned against it; None when there is none."""
    entry = still_counts(assessed.job)
    if entry is None:
        return None
    axis = entry.data.name
    said = convert(float(entry.data.value), entry.data.unit, UNITS[axis])
    limits = assessed.readings.limits(CountdownLimits)
    floor = floor_of(assessed.job, assessed.knowledge, assessed.experience, axis)
    warn = float(limits.warn_km if axis == KM else limits.warn_starts)
    used = used_since(assessed.job, assessed.knowledge, entry)
    return Countdown(
        entry, axis, said, used=used, planned=tuple(_planned(assessed, proof, axis)), floor=floor, warn=warn
    )


def _planned(assessed: Assessed, proof: Proof, axis: str) -> list[Charge]:
    """The next test, the conditions of the proof that are still to come, and the drive that makes it sure."""
    knowledge = assessed.knowledge
    if proof.status == "none":
        return _next_test(assessed, axis)
    charges = []
    general = float(assessed.readings.limits(CountdownLimits).drive_km)
    more = still_to_drive(assessed)
    known = more is not None and more[1] > 0 and more[0].axis == ("distance_km" if axis == KM else "starts")
    if known and more is not None:
        charges.append(Charge("Drive until it is sure", Place(Page.PROVE, part=Part.DRIVES), more[1]))
    for step in proof.steps:
        if step.kind != "condition" or not step.needed or step.result not in TO_COME:
            continue
        shape = knowledge.proofs.conditions[step.id]
        amount = general * bool(shape.drive) if axis == KM else 1.0
        if amount and not (known and shape.drive):
            charges.append(Charge(shape.does, Place(Page.PROVE, part=Part.PROOF, item=step.id), amount))
    return charges


def _next_test(assessed: Assessed, axis: str) -> list[Charge]:
    first = assessed.proposals.first
    if first is None:
        return []
    shape = assessed.knowledge.tests[first.test]
    road = "road_test" in shape.cautions
    general = float(assessed.readings.limits(CountdownLimits).drive_km)
    amount = general * road if axis == KM else float(shape.runs or shape.cranks)
    where = test_place(assessed.knowledge, first.test, first.where)
    return [Charge(inside(first.title), where, amount)] if amount else []
