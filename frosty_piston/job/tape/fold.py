"""The fold: which entries of a tape stand, and what a job holds."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import overload

from frosty_piston.core.cached import cached_property
from frosty_piston.job.engine import EngineCard, Vehicle
from frosty_piston.job.entries import Action, Before, Context, Deadline, Entry, EntryData, Tick
from frosty_piston.job.entries.kind import D
from frosty_piston.job.units import convert

REPAIRING = ("replaced", "repaired", "cleaned", "adjusted", "refitted", "plugged_in")
CHANGES_NO_PART = "disturbed"
ALWAYS_OF_BEFORE = ("context", "before", "complaint", "history")


def voided(tape: Iterable[Entry]) -> dict[str, str]:
    """Return which entries no longer stand, each with the correction that took it back.

    Walks backwards, so that a correction that was itself corrected gives its entry back.
    """
    gone: dict[str, str] = {}
    for entry in reversed(list(tape)):
        if entry.kind == "correction" and entry.id not in gone:
            gone.setdefault(entry.data.corrects, entry.id)
    return gone


@dataclass(frozen=True)
class Job:
    """One job: its head, vehicle and engine card, and the whole tape in order."""

    id: str
    title: str
    vehicle: Vehicle
    engine: EngineCard
    tape: tuple[Entry, ...]
    opened_at: datetime | None = None

    @cached_property
    def gone(self) -> dict[str, str]:
        return voided(self.tape)

    @cached_property
    def live(self) -> tuple[Entry, ...]:
        """The entries that stand, corrections left out."""
        return tuple(x for x in self.tape if x.id not in self.gone and x.kind != "correction")

    @cached_property
    def cylinders(self) -> int:
        return self.engine.cylinders or 4

    @cached_property
    def position(self) -> dict[str, int]:
        return {x.id: i for i, x in enumerate(self.live)}

    @cached_property
    def notes(self) -> dict[str, str]:
        """What somebody wrote beside an entry that is evidence, by the entry."""
        kinds = ("symptom", "lamp", "code", "reading", "outcome")
        return {x.id: x.data.note for x in self.live if x.kind in kinds and x.data.note}

    def unticked(self, cautions: Iterable[str]) -> list[str]:
        """Of some cautions, those that nobody has ticked on this job."""
        ticked = {x.data.caution for x in self.of(Tick)}
        return [c for c in cautions if c not in ticked]

    @overload
    def of(self, kind: type[D], /) -> Iterator[Entry[D]]: ...

    @overload
    def of(self, *kinds: type[EntryData]) -> Iterator[Entry]: ...

    def of(self, *kinds: type[EntryData]) -> Iterator[Entry]:
        """What stands on the tape of some kinds, by their models."""
        if len(kinds) == 1:
            return iter(self._by_model.get(kinds[0], ()))
        return (x for x in self.live if isinstance(x.data, kinds))

    def last(self, kind: type[D]) -> Entry[D] | None:
        return next(reversed(self._by_model.get(kind, [])), None)

    @cached_property
    def _by_model(self) -> dict[type[EntryData], list[Entry]]:
        by_model: dict[type[EntryData], list[Entry]] = {}
        for x in self.live:
            by_model.setdefault(type(x.data), []).append(x)
        return by_model

    @property
    def deadline(self) -> Entry[Deadline] | None:
        """When the vehicle is needed, by the last word on it."""
        return self.last(Deadline)

    def condition(self, name: str) -> Entry | None:
        return next((x for x in reversed(self.live) if x.kind == "condition" and x.data.name == name), None)

    @cached_property
    def odometer_km(self) -> float | None:
        """How far the vehicle has run: as read on this job, else as its card has it."""
        said = self.condition("odometer")
        return convert(float(said.data.value), said.data.unit, "km") if said else self.vehicle.odometer_km

    @cached_property
    def symptoms(self) -> dict[str, Entry]:
        """The complaint: the latest word on each symptom before the first repair, and those first named
        since."""
        latest: dict[str, Entry] = {}
        for number, entries in enumerate(self.times):
            for x in entries:
                if x.kind == "symptom" and (number == 0 or x.data.symptom not in latest):
                    latest[x.data.symptom] = x
        return latest

    @cached_property
    def complaints(self) -> tuple[str, ...]:
        """The symptoms that were there when it came in."""
        return tuple(name for name, x in self.symptoms.items() if x.data.present)

    @cached_property
    def contexts(self) -> dict[str, Entry]:
        return {x.data.context: x for x in self.of(Context) if x.data.present}

    @cached_property
    def codes_lost(self) -> bool:
        """True when codes were cleared before anyone wrote them down here."""
        first_code = next(
            (i for i, x in enumerate(self.live) if x.kind in ("code", "code_scan")), len(self.live)
        )
        early = any(x.kind == "code_clear" for x in self.live[:first_code])
        return (
            early
            or "codes_cleared_before_visit" in self.contexts
            or any(x.data.cleared_codes for x in self.of(Before))
        )

    @cached_property
    def acts(self) -> tuple[Entry, ...]:
        """What changed the vehicle, in its order: repairs, and what was merely disturbed. All name the repair
        they are."""
        done = [
            x for x in self.of(Action) if x.data.repair and x.data.action in (*REPAIRING, CHANGES_NO_PART)
        ]
        timed = all(x.at for x in done)
        when = {x.id: x.at.timestamp() if x.at and timed else 0.0 for x in done}
        return tuple(sorted(done, key=lambda x: (when[x.id], self.position[x.id])))

    @cached_property
    def repairs(self) -> tuple[Entry, ...]:
        """The acts that were meant to mend something."""
        return tuple(x for x in self.acts if x.data.action != CHANGES_NO_PART)

    def _follows(self, entry: Entry, act: Entry) -> bool:
        """Whether an entry came after an act: by its time when both have one, else by its place on the
        tape."""
        if entry.at and act.at and entry.at != act.at:
            return entry.at > act.at
        return self.position[entry.id] > self.position[act.id]

    @cached_property
    def time_of(self) -> dict[str, int]:
        """How many acts came before each entry. A stored code speaks of the vehicle as it was when codes were
        last cleared, whenever it is read; what went on before the visit speaks of the vehicle as it came."""
        figures: dict[str, int] = {}
        acts = self.acts
        cleared = 0
        numbers = {act.id: n for n, act in enumerate(acts)}
        for entry in self.live:
            number = numbers.get(entry.id)
            at = sum(self._follows(entry, act) for act in acts) if number is None else number
            if entry.kind == "code_clear":
                cleared = at
            if entry.kind in ("code", "code_scan") and getattr(entry.data, "status", "") not in (
                "cleared_and_back",
                "cleared-and-back",
            ):
                at = min(at, cleared)
            noted_late = entry.kind == "symptom" and entry.data.when == "before"
            figures[entry.id] = 0 if noted_late or entry.kind in ALWAYS_OF_BEFORE else at
        return figures

    @cached_property
    def times(self) -> tuple[tuple[Entry, ...], ...]:
        """The entries of each time: before the first act, between every two, after the last."""
        if not self.acts:
            return (self.live,)
        parts: list[list[Entry]] = [[] for _ in range(len(self.acts) + 1)]
        for x in self.live:
            parts[self.time_of[x.id]].append(x)
        return tuple(tuple(entries) for entries in parts)

    @cached_property
    def since_failure(self) -> tuple[Entry, ...]:
        """The entries since the last proof that failed: decision and fitting begin anew there."""
        failed = [i for i, x in enumerate(self.live) if x.kind == "proof_step" and x.data.result == "fail"]
        return self.live[failed[-1] + 1 :] if failed else self.live

    @cached_property
    def fitted(self) -> bool:
        """True when a repair was done that no failed proof has undone."""
        done = {x.id for x in self.repairs}
        return any(x.id in done for x in self.since_failure)

    @cached_property
    def unplugged_glow(self) -> bool:
        state = False
        for x in self.of(Action):
            if "glow" in x.data.what.lower() and x.data.action in ("unplugged", "plugged_in"):
                state = x.data.action == "unplugged"
        return state
