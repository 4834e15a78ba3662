"""The fold: which entries of a tape stand, and what a job holds."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property

from frosty_piston.knowledge import load_knowledge

from . import entries as e
from .engine import EngineCard, Vehicle

REPAIRING = ("replaced", "repaired")
REPAIRING_WHEN_NAMED = ("cleaned", "adjusted", "removed")


def voided(tape: Iterable[e.Entry]) -> dict[str, str]:
    """Answer which entries no longer stand, each with the correction that took it back.

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
    tape: tuple[e.Entry, ...]
    opened_at: datetime | None = None

    @cached_property
    def gone(self) -> dict[str, str]:
        return voided(self.tape)

    @cached_property
    def live(self) -> tuple[e.Entry, ...]:
        """The entries that stand, corrections left out."""
        return tuple(x for x in self.tape if x.id not in self.gone and x.kind != "correction")

    @cached_property
    def cylinders(self) -> int:
        return self.engine.cylinders or 4

    @cached_property
    def position(self) -> dict[str, int]:
        return {x.id: i for i, x in enumerate(self.live)}

    def of(self, *kinds: str) -> Iterator[e.Entry]:
        return (x for x in self.live if x.kind in kinds)

    def last(self, kind: str) -> e.Entry | None:
        return next((x for x in reversed(self.live) if x.kind == kind), None)

    def condition(self, name: str) -> e.Entry | None:
        return next((x for x in reversed(self.live) if x.kind == "condition" and x.data.name == name), None)

    @cached_property
    def symptoms(self) -> dict[str, e.Entry]:
        """The latest word on each symptom."""
        return {x.data.symptom: x for x in self.of("symptom")}

    @cached_property
    def contexts(self) -> dict[str, e.Entry]:
        return {x.data.context: x for x in self.of("context") if x.data.present}

    @cached_property
    def codes_lost(self) -> bool:
        """True when codes were cleared before anyone wrote them down here."""
        first_code = next((i for i, x in enumerate(self.live) if x.kind in ("code", "code_scan")), len(self.live))
        early = any(x.kind == "code_clear" for x in self.live[:first_code])
        return early or "codes_cleared_before_visit" in self.contexts or any(x.data.cleared_codes for x in self.of("before"))

    @cached_property
    def repairs(self) -> tuple[e.Entry, ...]:
        """The actions that changed the vehicle for good; a cleaning counts when it names the repair it is."""
        return tuple(x for x in self.of("action") if x.data.action in REPAIRING or x.data.action in REPAIRING_WHEN_NAMED and x.data.repair)

    @cached_property
    def since_failure(self) -> tuple[e.Entry, ...]:
        """The entries since the last proof that failed: decision and fitting begin anew there."""
        failed = [i for i, x in enumerate(self.live) if x.kind == "proof_step" and x.data.result == "fail"]
        return self.live[failed[-1] + 1:] if failed else self.live

    @cached_property
    def fitted(self) -> bool:
        """True when a repair was done that no failed proof has undone."""
        done = {x.id for x in self.repairs}
        return any(x.id in done for x in self.since_failure)

    @cached_property
    def rounds(self) -> "Rounds":
        return _rounds(self)

    @cached_property
    def unplugged_glow(self) -> bool:
        state = False
        for x in self.of("action"):
            if "glow" in x.data.what.lower() and x.data.action in ("unplugged", "plugged_in"):
                state = x.data.action == "unplugged"
        return state


@dataclass(frozen=True)
class Rounds:
    """What the diagnosis rests on, what was measured after the repair, and what was repaired in vain."""

    diagnosis: tuple[e.Entry, ...]
    after: tuple[e.Entry, ...]
    repaired_in_vain: frozenset[str]


def _rounds(job: Job) -> Rounds:
    """Readings after a repair belong to its proof. Once a proof failed, the search goes on: what was read of a
    repaired part before its repair no longer counts, and the repair itself speaks against its faults."""
    live = job.live
    repairs = {x.id for x in job.repairs}
    at = [i for i, x in enumerate(live) if x.id in repairs]
    if not at:
        return Rounds(live, (), frozenset())
    failed = [i for i, x in enumerate(live) if x.kind == "proof_step" and x.data.result == "fail"]
    if not failed or failed[-1] < at[0]:
        return Rounds(live[: at[0]], live[at[0]:], frozenset())
    done = [i for i in at if i < failed[-1]]
    later = [i for i in at if i > failed[-1]]
    end = later[0] if later else len(live)
    vain = frozenset(live[i].data.repair for i in done if live[i].data.repair)
    k = load_knowledge()
    about = {test for repair in vain for test in k.proofs[k.proof_for(repair)].remeasure}
    old = {i for i in range(done[-1]) if live[i].kind in ("reading", "outcome") and live[i].data.test in about}
    return Rounds(tuple(x for i, x in enumerate(live[:end]) if i not in old), live[end:], vain)
