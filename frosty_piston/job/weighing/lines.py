"""What several witnesses say of one thing that has one state: a plug with its wire, a hose by where it is."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from math import prod

import numpy as np

from frosty_piston.core.suspects.space import Finding
from frosty_piston.job.judging.result import Result
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import OF_ALL, SEEN, TestFinding

from .places import BAD

MOST = 50.0
OF_CYLINDERS = "cylinders"


@dataclass(frozen=True)
class Look:
    """One witness of a line: who it is, in words too, how likely it says what it said in each state, the
    cylinders it found bad and those it read, whether it read all, and from which entries."""

    line: str
    by: str
    title: str
    chances: Mapping[str, float]
    bad: frozenset[object]
    read: frozenset[object]
    whole: bool
    entries: tuple[str, ...]


@dataclass(frozen=True)
class Together:
    """Looks at the same lines, and how many times as likely each fault makes all of them as it would if each
    look drew a state of its own."""

    looks: tuple[Look, ...]
    times: dict[str, float]


def look_of_test(
    title: str,
    known: TestFinding,
    outcome: str,
    weight: float,
    here: Sequence[Result],
    entries: tuple[str, ...],
) -> Look | None:
    """A test from afar as a look, its chances tempered by how fully it was read; None for one that tells its
    faults apart by no state, or found all of a set alike."""
    if not known.by_state or outcome.startswith(OF_ALL):
        return None
    at = known.finding.outcomes.index(outcome)
    cylinders = [(v.where.get("cylinder"), v.judgement.verdict in BAD) for v in here]
    return Look(
        known.shape.part or "",
        known.test,
        title,
        {state: float(row[at]) ** weight for state, row in known.by_state.items()},
        frozenset(c for c, bad in cylinders if bad and c is not None),
        frozenset(c for c, _ in cylinders if c is not None),
        weight == 1,
        entries,
    )


def look_of_sign(
    knowledge: Knowledge,
    finding: str,
    line: str,
    title: str,
    outcome: str,
    weight: float,
    entries: tuple[str, ...],
) -> Look | None:
    """A symptom or a code as a look, by the id of its finding; None for one that hangs on no state."""
    by_state = knowledge.by_state.get(finding)
    if by_state is None:
        return None
    chances = {s: (p if outcome == SEEN else 1 - p) ** weight for s, p in by_state.items()}
    return Look(line, finding, title, chances, frozenset(), frozenset(), True, entries)


def read_together(
    knowledge: Knowledge, looks: Sequence[Look], known: Mapping[str, str]
) -> Iterator[Together]:
    """The lines at which several witnesses looked. Given the state of the line they are independent; given
    the fault they are not, since the state is drawn once: ``sum_s p(s) prod_t q_t(s)`` over
    ``prod_t sum_s p(s) q_t(s)``. `known`: the state of a line that the engine leaves no choice of, which one
    witness is enough for."""
    for line, faults in knowledge.lines.items():
        mine = _of_the_same([x for x in looks if x.line == line])
        if len({x.by for x in mine}) < (1 if line in known else 2):
            continue
        times = {}
        for fault, states in faults.items():
            drawn = {known[line]: 1.0} if line in known else states
            one = sum(p * prod(x.chances[s] for x in mine) for s, p in drawn.items())
            each = prod(sum(p * x.chances[s] for s, p in states.items()) for x in mine)
            times[fault] = min(MOST, max(1 / MOST, one / each))
        yield Together(tuple(mine), times)


def _of_the_same(looks: list[Look]) -> list[Look]:
    """The looks at the same lines: those that are bad where the others are, or read that one as well."""
    bad = [x.bad for x in looks if x.bad]
    if not bad:
        return [x for x in looks if x.whole]
    lines = frozenset.intersection(*bad)
    return [x for x in looks if (x.bad or x.read) >= lines] if lines else []


def to_come(knowledge: Knowledge, known: TestFinding, made: Iterable[tuple[str, str]]) -> Finding:
    """A test before it is made, at a line that others looked at already: by the states that they leave.
    `made`: the ids of their findings, each with its outcome."""
    line = known.shape.part
    if not known.by_state or line is None or known.shape.covers == OF_CYLINDERS:
        return known.finding
    seen = [c for name, outcome in made if (c := _chances(knowledge, line, name, outcome))]
    if not seen:
        return known.finding
    left = []
    for fault, states in knowledge.lines[line].items():
        likely = {state: p * prod(c[state] for c in seen) for state, p in states.items()}
        total = sum(likely.values())
        left += [(fault, state, round(p / total, 3)) for state, p in likely.items()]
    by_state = tuple((state, tuple(row.tolist())) for state, row in known.by_state.items())
    return _by_what_is_left(known.finding, tuple(left), by_state)


def _chances(knowledge: Knowledge, line: str, name: str, outcome: str) -> dict[str, float] | None:
    """How likely a finding is to come out as it did in each state of a line; None for one of another line."""
    known = knowledge.findings_by_id.get(name)
    if known is not None and known.by_state and known.shape.part == line:
        at = known.finding.outcomes.index(outcome)
        return {state: float(row[at]) for state, row in known.by_state.items()}
    if knowledge.lines_of_signs.get(name) == line:
        return {state: p if outcome == SEEN else 1 - p for state, p in knowledge.by_state[name].items()}
    return None


@lru_cache(maxsize=2048)
def _by_what_is_left(
    finding: Finding,
    left: tuple[tuple[str, str, float], ...],
    by_state: tuple[tuple[str, tuple[float, ...]], ...],
) -> Finding:
    rows = {state: np.array(row) for state, row in by_state}
    shows = dict(finding.shows)
    for fault in {fault for fault, *_ in left} & shows.keys():
        row = sum((p * rows[s] for f, s, p in left if f == fault), np.zeros(len(finding.outcomes)))
        shows[fault] = row / row.sum()
    return replace(finding, shows=shows)
