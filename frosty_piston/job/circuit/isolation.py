"""Finding the leak of a circuit on the job: what is cleared, what is left, where to pump next, what that
still takes, and when the whole must be tested again."""

from dataclasses import dataclass

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.isolate import BlockOff, Branches, Site, StillTo
from frosty_piston.job.entries import Action
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.suspicion import Suspicion
from frosty_piston.knowledge import Knowledge

from .leaks import LOOK, SECTION, Leaks, section_wait_s
from .on_tape import Leaking

ANYWHERE = 0.02


@dataclass(frozen=True)
class Isolation:
    """Where the search for the leak stands. `odds`: of each place, summing to 1; `left`: the places that may
    still leak, as bits; `states`: of every part and hose; `found`: the place, once one is left; `several`:
    two sections leak that share nothing."""

    leaks: Leaks
    odds: tuple[float, ...]
    left: int
    cleared: int
    states: dict[str, str]
    found: str
    several: bool
    contradicts: bool
    mended: bool

    @property
    def leaking(self) -> Leaking:
        return self.leaks.leaking

    @cached_property
    def branches(self) -> Branches:
        """The circuit with what is known by now as its odds."""
        sites = self.leaking.branches.sites
        return Branches(
            [Site(s.hangs_on, max(o, 1e-6), s.minutes) for s, o in zip(sites, self.odds, strict=True)]
        )

    @property
    def look_first(self) -> str:
        """The hose where the last hands were, while nobody looked at it."""
        looked = {t.at for t in self.leaks.tried if t.verdict.test == LOOK}
        hoses = [h for h in self.leaking.circuit.hoses if h.last_hands and h.id not in looked]
        left = [
            h.id for h in hoses if h.id in self.leaking.place and self.left >> self.leaking.place[h.id] & 1
        ]
        return max(left, key=lambda i: self.odds[self.leaking.place[i]], default="")

    @cached_property
    def next_off(self) -> BlockOff | None:
        """Where to pump next; None when one place is left."""
        return self.branches.next_block_off(self.left) if self.left else None

    @property
    def next_at(self) -> str:
        return self.leaking.ids[self.next_off.site] if self.next_off else ""

    @cached_property
    def still(self) -> StillTo:
        return self.branches.still_to(self.left)

    @cached_property
    def one_by_one(self) -> StillTo:
        """What it would take from the pump outward, one place after the other."""
        return self.branches.one_by_one(self.left)

    @property
    def whole_holds(self) -> bool:
        """Whether the whole was tested and holds: every place beyond every hose on the pump, at once or by
        sections."""
        held = 0
        for t in self.leaks.tried:
            held |= t.tested if t.verdict.test == SECTION and t.tight else 0
        return all(self.leaking.section(root) & ~held == 0 for root in self.leaking.roots())

    @property
    def tight(self) -> bool:
        return self.left == 0 and not self.contradicts


def isolation_of(job: Job, knowledge: Knowledge, leaks: Leaks, suspicion: Suspicion) -> Isolation:
    """Where the search for the leak stands, by what was tested and what is suspected."""
    focus, several = _focus(leaks)
    cleared = _cleared(leaks, knowledge)
    left = focus & ~cleared
    everything = leaks.leaking.branches.everything
    contradicts = bool(focus) and left == 0 and focus != everything
    if contradicts:
        left = focus
    odds = _odds(leaks, suspicion, left)
    sure = _found(leaks, odds, left, focus != everything, knowledge)
    return Isolation(
        leaks,
        odds,
        left,
        cleared=cleared,
        states=_states(leaks, cleared, sure),
        found=sure,
        several=several,
        contradicts=contradicts,
        mended=mended_on(job, knowledge),
    )


def mended_on(job: Job, knowledge: Knowledge) -> bool:
    """Whether something of the vacuum or the stop was mended."""
    return any(
        knowledge.fault_system[fault] in ("vacuum", "stop")
        for repair in job.repairs
        for fault in (
            knowledge.repairs[repair.data.repair].cures
            if isinstance(repair.data, Action) and repair.data.repair
            else ()
        )
    )


def _focus(leaks: Leaks) -> tuple[int, bool]:
    """The section that leaks, as bits: those that lie in each other narrow it; one beside it means another
    leak, and the newer one is searched."""
    focus = leaks.leaking.branches.everything
    several = False
    for tried in leaks.tried:
        if tried.tight:
            continue
        if focus & tried.tested:
            focus &= tried.tested
        else:
            focus = tried.tested
            several = True
    return focus, several


def _cleared(leaks: Leaks, knowledge: Knowledge) -> int:
    """The places that were tested tight, as bits. What leaked since is not."""
    cleared = 0
    for tried in leaks.tried:
        sure = sum(1 << n for n, p in enumerate(tried.sees) if p >= knowledge.circuit.leaks.clears_from)
        if tried.tight:
            cleared = cleared | sure
        elif tried.alone:
            cleared = cleared & ~tried.tested
        else:
            cleared = cleared
    return cleared


def _odds(leaks: Leaks, suspicion: Suspicion, left: int) -> tuple[float, ...]:
    """How likely the leak sits at each place, by what is suspected and what was tested."""
    sites = leaks.leaking.branches.sites
    likely = {s.fault: s.probability for s in suspicion.suspects}
    base = np.array([s.odds for s in sites])
    odds = ANYWHERE * base / base.sum()
    for fault, weights in leaks.weights.items():
        odds = odds + likely.get(fault, 0.0) * weights
    inside = np.array([left >> n & 1 for n in range(len(sites))], float)
    kept = odds * np.maximum(inside, 1e-4)
    return tuple((kept / kept.sum()).tolist())


def _found(leaks: Leaks, odds: tuple[float, ...], left: int, narrowed: bool, knowledge: Knowledge) -> str:
    """The one place that is left, or that was seen; empty while there are several."""
    for tried in reversed(leaks.tried):
        if not tried.tight and tried.alone:
            return tried.at
    if not narrowed:
        return ""
    best = max(range(len(odds)), key=lambda n: odds[n])
    one = left.bit_count() == 1 or odds[best] >= knowledge.circuit.leaks.found_from
    return leaks.leaking.ids[best] if one else ""


def _states(leaks: Leaks, cleared: int, found: str) -> dict[str, str]:
    """Every part and hose: unknown, holds, leaks, off; blocked where it was clamped off for the last test."""
    states = {i: "holds" if cleared >> n & 1 else "unknown" for n, i in enumerate(leaks.leaking.ids)}
    for tried in leaks.tried:
        if tried.alone and not tried.tight:
            states[tried.at] = "off" if tried.outcome in ("off", "wrong_port") else "leaks"
    for one in leaks.tried[-1].blocked if leaks.tried else ():
        if states.get(one) == "unknown":
            states[one] = "blocked"
    if found and states[found] == "unknown":
        states[found] = "leaks"
    return states


def wait_at(
    job: Job, knowledge: Knowledge, leaking: Leaking, at: str, blocked: tuple[str, ...] = ()
) -> tuple[float, float]:
    """The volume that is pumped at a place, ml, and how long it must be waited for, s."""
    volume = leaking.volume_ml(leaking.section(at, blocked))
    return volume, section_wait_s(job, knowledge, volume)
