"""Suspects with their odds and reasons, conflicts, and the next best tests of a job."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from frosty_piston.core.quantity import percent
from frosty_piston.core.suspects.next_test import Prospect, prospect, repair_groups
from frosty_piston.core.suspects.odds import Weighed, conflicts, weigh
from frosty_piston.core.suspects.space import (
    UNLISTED,
    Space,
    build_space,
    log_prior,
)
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.load import TestFinding

from .engine import EngineCard
from .evidence import Evidence, chances
from .tape import Job

UNLISTED_PER_THOUSAND = 15.0
MOST_FAULTS = 2
MOVED_BITS = 0.15
LEAST_GAIN_BITS = 0.015
WAITING_ACCESS = ("engine_cold",)


@dataclass(frozen=True)
class Moved:
    """One piece of evidence and how far it moved a suspect, in bits of log odds."""

    entries: tuple[str, ...]
    says: str
    bits: float
    because: str


@dataclass(frozen=True)
class Suspect:
    """A fault, how likely it is present, and what speaks for and against it."""

    fault: str
    title: str
    system: str
    probability: float
    speaks_for: tuple[Moved, ...]
    speaks_against: tuple[Moved, ...]
    because: str


@dataclass(frozen=True)
class NextTest:
    """A proposed test: where, minutes with what must still come off, what it tells."""

    test: str
    title: str
    where: dict[str, str]
    minutes: float
    access: tuple[str, ...]
    gain_bits: float
    because: str
    cautions: tuple[str, ...]
    tools: tuple[str, ...]


@dataclass(frozen=True)
class ConflictFound:
    entries: tuple[str, ...]
    because: str


@dataclass(frozen=True)
class Suspicion:
    suspects: tuple[Suspect, ...]
    next_tests: tuple[NextTest, ...]
    conflicts: tuple[ConflictFound, ...]
    repairs: dict[str, float]


def possible_faults(k: Knowledge, engine: EngineCard) -> tuple[str, ...]:
    """The faults that are weighed: those with a base rate that the card does not rule out."""
    return tuple(f for f, shape in k.faults.items() if shape.per_thousand and not engine.rules_out(shape.needs))


@lru_cache(maxsize=32)
def _space(faults: tuple[str, ...]) -> Space:
    return build_space(faults, MOST_FAULTS)


def suspicion(job: Job, k: Knowledge, evidence: list[Evidence]) -> Suspicion:
    """Weigh all evidence of a job and propose what to do next."""
    faults = possible_faults(k, job.engine)
    space = _space(faults)
    rates = np.array([k.faults[f].per_thousand for f in faults] + [UNLISTED_PER_THOUSAND], float) / 1000
    rows = np.array([e.log_likelihood(space) for e in evidence]).reshape(len(evidence), len(space.members))
    weighed = weigh(space, log_prior(space, rates / (1 - rates)), rows)
    return Suspicion(_suspects(k, space, weighed, evidence), _next_tests(job, k, space, weighed, evidence), _conflicts(evidence, rows),
                     _repairs(k, space, weighed))


def _repairs(k: Knowledge, space: Space, weighed: Weighed) -> dict[str, float]:
    """The chance that one repair alone cures: that of all sets whose faults all end in it, likeliest first."""
    of = [k.faults[f].repair for f in space.faults]
    odds = {}
    for repair in dict.fromkeys(of):
        outside = np.array([r != repair for r in of] + [True], float)
        odds[repair] = float(weighed.sets[space.members @ outside == 0].sum())
    return dict(sorted(odds.items(), key=lambda item: -item[1]))


def _suspects(k: Knowledge, space: Space, weighed: Weighed, evidence: list[Evidence]) -> tuple[Suspect, ...]:
    found = []
    for index, fault in enumerate(space.names):
        if fault == UNLISTED:
            continue
        moved = [Moved(e.entries, e.says, float(weighed.moved[i, index]), e.reasons.get(fault, "")) for i, e in enumerate(evidence)]
        pro = tuple(sorted((m for m in moved if m.bits > MOVED_BITS), key=lambda m: -m.bits))
        con = tuple(sorted((m for m in moved if m.bits < -MOVED_BITS), key=lambda m: m.bits))
        p = float(weighed.faults[index])
        found.append(Suspect(fault, k.faults[fault].title, k.fault_system[fault], p, pro, con, _because(k.faults[fault].shows, pro, con, p)))
    found.sort(key=lambda s: (-s.probability, s.fault))
    p = float(weighed.faults[-1])
    moved = [Moved(e.entries, e.says, float(weighed.moved[i, -1]), "") for i, e in enumerate(evidence)]
    unlisted = Suspect(UNLISTED, "Something not on this list", "", p, tuple(m for m in moved if m.bits > MOVED_BITS), tuple(m for m in moved if m.bits < -MOVED_BITS),
                       "Kept open: no list is whole. It grows when the findings fit none of the others.")
    return (*found, unlisted)


def _because(shows: str, pro: tuple[Moved, ...], con: tuple[Moved, ...], p: float) -> str:
    def told(moved: tuple[Moved, ...]) -> str:
        return "; ".join(m.says + (f" ({m.because})" if m.because else "") for m in moved[:3])

    sentence = f"For it: {told(pro)}." if pro else f"Nothing found speaks for it; {percent(p)} is what its base rate leaves."
    if con:
        sentence += f" Against it: {told(con)}."
    return sentence + (f" It shows as: {shows}." if not pro and shows else "")


def _conflicts(evidence: list[Evidence], rows: np.ndarray) -> tuple[ConflictFound, ...]:
    return tuple(ConflictFound((*evidence[i].entries, *evidence[j].entries),
                               f"No fault, nor two together, explains both: {evidence[i].says}; {evidence[j].says}. Repeat the one that is easier to get wrong.")
                 for i, j in conflicts(rows))


def _next_tests(job: Job, k: Knowledge, space: Space, weighed: Weighed, evidence: list[Evidence]) -> tuple[NextTest, ...]:
    groups = _groups(space.faults, tuple(k.faults[f].repair for f in space.faults))
    settled = {e.finding.id for e in evidence if e.finding and (e.weight > 0.99 or e.outcome != e.finding.outcomes[0])}
    reached = access_reached(job, k)
    found = []
    for test, findings in k.findings.items():
        if job.engine.rules_out(k.tests[test].needs):
            continue
        for known in findings:
            if known.finding.id in settled or known.shape.covers == "suspect_plugs" and not _plug_condemned(evidence):
                continue
            hope = prospect(space, weighed.sets, chances(space, known.finding), groups)
            if hope.bits < LEAST_GAIN_BITS:
                continue
            point, minutes, access = cheapest_point(job, k, known, reached)
            found.append(NextTest(test, _title(k, test, point), {"point": point} if point else {}, minutes, access, hope.bits,
                                  _promise(k, known, hope, space, weighed), tuple(k.tests[test].cautions), tuple(k.tests[test].tools)))
    return tuple(sorted(found, key=lambda n: -n.gain_bits / (n.minutes + 1)))


@lru_cache(maxsize=32)
def _groups(faults: tuple[str, ...], repairs: tuple[str, ...]) -> np.ndarray:
    return repair_groups(_space(faults), repairs)


def _plug_condemned(evidence: list[Evidence]) -> bool:
    return any(e.finding and e.finding.id.startswith(("glow_resistance", "glow_current", "glow_lamp")) and e.outcome not in ("sound", "not_open") for e in evidence)


def _title(k: Knowledge, test: str, point: str | None) -> str:
    shape = k.tests[test]
    return shape.title + (f", {shape.at[point].title}" if point in shape.at else "")


def access_reached(job: Job, k: Knowledge) -> set[str]:
    """The access states this job has paid for already, by the tests that are on its tape."""
    reached: set[str] = set()
    for entry in job.of("reading", "outcome"):
        shape = k.tests[entry.data.test]
        reached |= set(shape.access) | set(shape.at[entry.data.where.point].access if entry.data.where.point in shape.at else ())
    return reached


def cheapest_point(job: Job, k: Knowledge, known: TestFinding, reached: set[str]) -> tuple[str | None, float, tuple[str, ...]]:
    """Answer at which point a finding is read with the fewest minutes, the minutes, and the access it needs.

    Points where wires lie open are chosen before the module's own plug: a card may put an intake in the way.
    """
    shape = k.tests[known.test]
    points = [p for p in known.shape.points if p in shape.at] or [None]
    best = None
    for point in points:
        at = shape.at.get(point) if point else None
        access = list(at.access if at else shape.access)
        if point == "plug" and (way := job.engine.choice("glow_plug_access")):
            access = [way]
        minutes = (at.minutes if at and at.minutes else shape.minutes) + sum(k.access[a].minutes for a in access if a not in reached and a not in WAITING_ACCESS)
        if best is None or minutes < best[1]:
            best = (point, minutes, tuple(access))
    assert best is not None
    return best


def _promise(k: Knowledge, known: TestFinding, hope: Prospect, space: Space, weighed: Weighed) -> str:
    change = hope.outcomes @ np.abs(hope.faults_after[:, :-1] - weighed.faults[:-1])
    fault = int(np.argmax(change))
    name, now = k.faults[space.faults[fault]].title, float(weighed.faults[fault])
    likely = [i for i in range(len(hope.outcomes)) if hope.outcomes[i] >= 0.01]
    high = max(likely, key=lambda i: hope.faults_after[i, fault])
    low = min(likely, key=lambda i: hope.faults_after[i, fault])

    def word(i: int) -> str:
        return known.finding.outcomes[i].removeprefix("glow_").replace("_", " ")

    return (f"{name} stands at {percent(now)}: {word(high)!r} would make it {percent(float(hope.faults_after[high, fault]))}, "
            f"{word(low)!r} {percent(float(hope.faults_after[low, fault]))}.")
