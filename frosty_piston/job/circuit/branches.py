"""Leaks of branches beside each other: how large a hole each hold test speaks of, and whether their sum is
the whole."""

from collections.abc import Callable
from dataclasses import dataclass

from frosty_piston.core.holding import Hole, hold_fit, hole, hole_mm, unfound
from frosty_piston.core.vacuum import VacuumLimits
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Outcome
from frosty_piston.job.judging.ambient import ambient_air
from frosty_piston.job.judging.vacuum import held_points

from .isolation import Isolation
from .leaks import LOOK, Tried

VOLUME_SHARE = 0.25


@dataclass(frozen=True)
class Branch:
    """One hold test as a hole: where, its places as bits, its time constant in s with its uncertainty, its
    hole with the width of a round one."""

    at: str
    tested: int
    volume_ml: float
    tau_s: float
    u_tau_s: float
    hole: Hole

    @property
    def mm(self) -> float:
        return hole_mm(self.hole.ml_s)


@dataclass(frozen=True)
class Compared:
    """The hold tests of a circuit beside each other. `rest`: what still leaks beside those that were measured
    by themselves; None when their sum is the whole, or no whole was measured."""

    branches: tuple[Branch, ...]
    whole: Branch | None
    beside: tuple[Branch, ...]
    rest: Hole | None


def compared(assessed: Assessed, found: Isolation) -> Compared:
    """Compare the hold tests that were made on a circuit, the latest of each place."""
    rows: dict[tuple[str, int], Branch] = {}
    for tried in found.leaks.tried:
        branch = _branch(assessed, found, tried) if tried.verdict.test != LOOK else None
        if branch is not None:
            rows[(tried.at, tried.tested)] = branch
    branches = tuple(rows.values())
    whole = max(branches, key=lambda b: b.tested.bit_count(), default=None)
    if whole is None or len(branches) < 2:
        return Compared(branches, None, (), None)
    beside = _apart([b for b in branches if b is not whole and b.tested & whole.tested == b.tested])
    rest = unfound(whole.hole, [b.hole for b in beside]) if beside else None
    return Compared(branches, whole if beside else None, beside, rest)


def _apart(branches: list[Branch]) -> tuple[Branch, ...]:
    """The largest that share nothing with each other."""
    chosen: list[Branch] = []
    key: Callable[[Branch], int] = lambda b: -b.tested.bit_count()  # noqa: E731
    for b in sorted(branches, key=key):
        if not any(b.tested & c.tested for c in chosen):
            chosen.append(b)
    return tuple(chosen)


def _branch(assessed: Assessed, found: Isolation, tried: Tried) -> Branch | None:
    """A hold test as a hole; None where its figures tell nothing."""
    entry = next((x for x in assessed.job.of(Outcome) if x.id in tried.verdict.entries), None)
    if entry is None:
        return None
    readings = assessed.readings
    step = readings.limits(VacuumLimits).hold_gauge_kpa
    try:
        held = hold_fit(held_points(readings, entry), step, ambient_air(readings))
    except ValueError:
        return None
    volume = found.leaking.volume_ml(tried.tested)
    return Branch(
        tried.at,
        tried.tested,
        volume,
        tau_s=held.tau_s,
        u_tau_s=held.u_s,
        hole=hole(held, volume, VOLUME_SHARE * volume),
    )
