"""What the tests on a circuit's parts and hoses say: how likely the leak sits at each place, and what that
speaks for. One place is one find, whatever the fault is called there."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from frosty_piston.core.holding import least_wait_s
from frosty_piston.core.suspects.space import Finding
from frosty_piston.core.vacuum import VacuumLimits
from frosty_piston.job.entries import Circuit as CircuitEntry
from frosty_piston.job.entries import Entry, Outcome
from frosty_piston.job.judging.result import Result
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.evidence import Evidence
from frosty_piston.knowledge import Knowledge

from .on_tape import Leaking, leaking_on

SECTION = "vacuum_section"
HOLD = "vacuum_hold"
LOOK = "vacuum_look"
TESTS = (SECTION, HOLD, LOOK)
HOLDS = ("holds", "leaks", "gross_leak")
LOOKS = ("sound", "split", "wrong_port", "off")
LEAST = 1e-4
SOUND = {"holds", "sound"}
MOST_OF_ONE = 2


@dataclass(frozen=True)
class Tried:
    """One test on the circuit: at which place, what it came to, which places it tested as bits, and how
    surely it would have shown a leak at each, shape (N,). `blocked`: what was clamped off for it."""

    verdict: Result
    at: str
    outcome: str
    tested: int
    sees: np.ndarray
    blocked: tuple[str, ...] = ()

    @property
    def tight(self) -> bool:
        return self.outcome in SOUND

    @property
    def alone(self) -> bool:
        """Whether it tested one place and nothing beyond it."""
        return self.tested.bit_count() == 1


@dataclass(frozen=True)
class Leaks:
    """What is known of a circuit's leaks at one time of a job. `weights`: for each fault, how likely the
    place is each of its own when it is that fault, shape (N,)."""

    leaking: Leaking
    tried: tuple[Tried, ...]
    weights: dict[str, np.ndarray]
    evidence: tuple[Evidence, ...]


def on_circuit(leaking: Leaking | None, verdict: Result) -> bool:
    """Whether a verdict is about a place of the circuit."""
    return (
        leaking is not None and verdict.test in TESTS and str(verdict.where.get("node", "")) in leaking.place
    )


def leaks_of(job: Job, knowledge: Knowledge, verdicts: Sequence[Result]) -> Leaks | None:
    """What some verdicts say of the job's circuit, in their order; None without a circuit."""
    leaking = leaking_on(job, knowledge)
    if leaking is None:
        return None
    weights = _first_weights(leaking, knowledge)
    found = list[Tried]()
    evidence = list[Evidence]()
    for v in (v for v in verdicts if on_circuit(leaking, v)):
        tried = _tried(job, knowledge, leaking, v)
        if tried is None:
            continue
        found.append(tried)
        evidence.append(_evidence(knowledge, leaking, tried, weights))
        general = _general(knowledge, tried, weights)
        weights = {f: _after(knowledge, tried, f, w, general) for f, w in weights.items()}
    return Leaks(leaking, tuple(found), weights, tuple(evidence))


def not_on_the_list(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """The parts that the list of the circuit does not have: they are hardly what is wrong."""
    leaking = leaking_on(job, knowledge)
    written = job.last(CircuitEntry)
    if leaking is None or written is None:
        return []
    there = {f for faults in leaking.faults for f in faults}
    kinds = knowledge.circuit.kinds.values()
    known = {s.fault for s in kinds if not s.gives} | {s.driving_turbo for s in kinds if s.driving_turbo}
    of_vacuum = {f for f in known if knowledge.fault_system[f] == "vacuum"}
    gone = sorted(of_vacuum - there)
    if not gone:
        return []
    because = dict.fromkeys(gone, "the circuit has none")
    factors = dict.fromkeys(gone, knowledge.circuit.leaks.absent)
    says = "Not on the list of the circuit"
    return [Evidence(says, (written.id,), None, outcome="", weight=1.0, reasons=because, factors=factors)]


def _first_weights(leaking: Leaking, knowledge: Knowledge) -> dict[str, np.ndarray]:
    """Where each fault sits before anything was tested: by kind, heat, age and the last hands. A hose that
    came off did not age."""
    hoses = {h.id: h for h in leaking.circuit.hoses}
    shape = knowledge.circuit.hose
    weights: dict[str, np.ndarray] = {}
    for index, (leak, faults) in enumerate(zip(leaking.ids, leaking.faults, strict=True)):
        for fault in faults:
            odds = leaking.branches.sites[index].odds
            if fault in knowledge.circuit.leaks.off and leak in hoses:
                odds = shape.odds * (shape.last_hands if hoses[leak].last_hands else 1.0)
            weights.setdefault(fault, np.zeros(len(leaking.ids)))[index] = odds
    return {f: w / w.sum() for f, w in weights.items()}


def _tried(job: Job, knowledge: Knowledge, leaking: Leaking, verdict: Result) -> Tried | None:
    """A verdict as a test of places; None for one that tells nothing."""
    outcomes = LOOKS if verdict.test == LOOK else HOLDS
    if verdict.judgement.cls not in outcomes:
        return None
    at = str(verdict.where["node"])
    leaks = knowledge.circuit.leaks
    entry = next((x for x in job.of(Outcome) if x.id in verdict.entries), None)
    blocked = tuple(entry.data.blocked or ()) if entry else ()
    powered = entry.data.conditions.energised if entry and entry.data.conditions else None
    opened = verdict.test == HOLD and powered is True and leaking.place[at] in leaking.solenoids
    through = verdict.test == SECTION or opened
    tested = leaking.section(at, blocked, powered) if through else 1 << leaking.place[at]
    sees = np.full(len(leaking.ids), 0.0)
    sure = (
        leaks.looked
        if verdict.test == LOOK
        else leaks.seen * _waited(job, knowledge, leaking, tested=tested, verdict=verdict, entry=entry)
    )
    for n in range(len(leaking.ids)):
        if tested >> n & 1:
            sees[n] = sure * (leaks.behind_valve if leaking.behind_valve(at, n) else 1.0)
    return Tried(verdict, at, verdict.judgement.cls, tested=tested, sees=sees, blocked=blocked)


def _waited(
    job: Job,
    knowledge: Knowledge,
    leaking: Leaking,
    tested: int,
    verdict: Result,
    entry: Entry[Outcome] | None,
) -> float:
    """The share of the time that a leak in this volume needs to show, 1 at most."""
    given = entry.data.figures if entry is not None and verdict.test == SECTION else None
    if not given or verdict.judgement.cls != HOLDS[0]:
        return 1.0
    seconds = float(given.get("seconds", 0))
    start = abs(float(given.get("start_kpa", 0)))
    wait = section_wait_s(job, knowledge, leaking.volume_ml(tested), start)
    return min(1.0, seconds / wait) if wait > 0 else 1.0


def section_wait_s(job: Job, knowledge: Knowledge, volume_ml: float, start_kpa: float | None = None) -> float:
    """How long a section of a volume must be waited for until a leak that counts shows."""
    limits = knowledge.limits(VacuumLimits, job.engine.limits)
    start = start_kpa or limits.hold_level_kpa
    try:
        return least_wait_s(
            limits, start, limits.hold_gauge_kpa, volume_ml, knowledge.circuit.leaks.usual_ml, branch=True
        )
    except ValueError:
        return float("inf")


def _rows(knowledge: Knowledge, tried: Tried, fault: str) -> np.ndarray:
    """The chance of each outcome for a leak at each place, shape (N, K)."""
    p = tried.sees[:, None]
    leaks = knowledge.circuit.leaks
    off = fault in leaks.off
    if tried.verdict.test == LOOK:
        if fault == leaks.stop_line:
            either = leaks.looks_either
        elif off:
            either = leaks.looks_off
        else:
            either = leaks.looks_split
        bad = p * np.array(either)
    else:
        gross = leaks.gross_off if off else leaks.gross
        shown = leaks.off_alone if off and tried.verdict.test == HOLD and tried.alone else 1.0
        bad = p * shown * np.array([1 - gross, gross])
    return np.hstack([1 - bad.sum(axis=1, keepdims=True), bad])


def _general(knowledge: Knowledge, tried: Tried, weights: dict[str, np.ndarray]) -> np.ndarray:
    """The chance of each outcome when nothing that was tested leaks. A place that is tested by itself is
    called bad by mistake in a share of the times it is, however rare that is."""
    outcomes = LOOKS if tried.verdict.test == LOOK else HOLDS
    witness = knowledge.witnesses["seen" if tried.verdict.test == LOOK else "at_part"]
    bad = np.full(len(outcomes) - 1, witness.false_alarm / (len(outcomes) - 1))
    if witness.wrong_share is not None and tried.alone and tried.verdict.test != SECTION:
        rates = {fault: knowledge.faults[fault].per_thousand / 1000 for fault in weights}
        at = tried.sees > 0
        common = sum(rates[f] * (w[at] @ _rows(knowledge, tried, f)[at]) for f, w in weights.items())
        bad = np.minimum(bad, witness.wrong_share * np.asarray(common)[1:])
    return np.append(1 - bad.sum(), bad)


def _after(
    knowledge: Knowledge, tried: Tried, fault: str, weights: np.ndarray, general: np.ndarray
) -> np.ndarray:
    """Where a fault sits once a test is known."""
    outcomes = LOOKS if tried.verdict.test == LOOK else HOLDS
    at = outcomes.index(tried.outcome)
    likely = np.where(tried.sees > 0, _rows(knowledge, tried, fault)[:, at], general[at])
    after = weights * np.maximum(likely, LEAST)
    return np.asarray(after / after.sum())


def shows_of(knowledge: Knowledge, tried: Tried, weights: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
    """The chance of each outcome under each fault that may sit where this tests, shape (K,)."""
    general = _general(knowledge, tried, weights)
    shows = {}
    for fault, w in weights.items():
        if not w[tried.sees > 0].any():
            continue
        rows = np.where((tried.sees > 0)[:, None], _rows(knowledge, tried, fault), general)
        row = np.clip(w @ rows, LEAST, None)
        shows[fault] = row / row.sum()
    return shows


def finding_of(knowledge: Knowledge, tried: Tried, weights: dict[str, np.ndarray]) -> Finding:
    """A test on the circuit as a finding: what is known of the places by now is in its chances."""
    outcomes = LOOKS if tried.verdict.test == LOOK else HOLDS
    shows = shows_of(knowledge, tried, weights)
    rows = tuple((fault, tuple(row.tolist())) for fault, row in shows.items())
    return _finding(
        _id(knowledge, tried, shows), outcomes, tuple(_general(knowledge, tried, weights).tolist()), rows
    )


@lru_cache(maxsize=512)
def _finding(
    name: str,
    outcomes: tuple[str, ...],
    general: tuple[float, ...],
    shows: tuple[tuple[str, tuple[float, ...]], ...],
) -> Finding:
    """The same chances are the same finding: what was thought of it once stands."""
    return Finding(name, outcomes, np.array(general), {fault: np.array(row) for fault, row in shows})


def _id(knowledge: Knowledge, tried: Tried, shows: dict[str, np.ndarray]) -> str:
    """What was looked at or held by itself is a proof at the part, as it is without a circuit."""
    test = tried.verdict.test
    if test != SECTION and tried.alone and len(shows) <= MOST_OF_ONE:
        for known in knowledge.findings[test]:
            if known.shape.nodes and any(f in known.finding.shows for f in shows):
                return known.finding.id
    return f"{test}.{tried.at}"


def _evidence(
    knowledge: Knowledge, leaking: Leaking, tried: Tried, weights: dict[str, np.ndarray]
) -> Evidence:
    finding = finding_of(knowledge, tried, weights)
    title = knowledge.tests[tried.verdict.test].short_title
    spot = leaking.named[tried.at]
    if tried.verdict.test == HOLD and not tried.alone:
        spot += " with power on it, and what it opens to"
    word = tried.outcome.replace("_", " ")
    because = f"{spot} {word}"
    reasons = dict.fromkeys(finding.shows, because)
    return Evidence(
        f"{title}, {spot}: {word}",
        tried.verdict.entries,
        finding,
        outcome=tried.outcome,
        weight=1.0,
        reasons=reasons,
    )
