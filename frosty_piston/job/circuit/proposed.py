"""The tests on a circuit that are worth proposing: the next block-off, a look at the likeliest hose, the
likeliest part held by itself; each with what it would show as it stands now."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from frosty_piston.core.quantity import Judgement
from frosty_piston.core.suspects.space import Finding
from frosty_piston.job.judging.result import Result
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.suspicion import Suspicion
from frosty_piston.knowledge import Knowledge

from .isolation import isolation_of
from .leaks import HOLD, LOOK, SECTION, Leaks, Tried, finding_of

LOOKS_MIN = 2.0
LEAST_SHARE = 0.02


@dataclass(frozen=True)
class CircuitTest:
    """A test at a place of the circuit: which, where, its minutes, its finding, and what the place is
    called."""

    test: str
    at: str
    minutes: float
    finding: Finding
    title: str


def circuit_tests(
    job: Job, knowledge: Knowledge, leaks: Leaks, suspicion: Suspicion
) -> Iterator[CircuitTest]:
    """The tests on a circuit that may come next."""
    found = isolation_of(job, knowledge, leaks, suspicion)
    hoses = {h.id for h in leaks.leaking.circuit.hoses}
    done = {(t.verdict.test, t.at) for t in leaks.tried}
    wanted: list[tuple[str, str]] = []
    if found.next_off:
        wanted.append((HOLD if found.next_off.alone else SECTION, found.next_at))
    order = sorted(range(len(found.odds)), key=lambda n: -found.odds[n])
    likely = [leaks.leaking.ids[n] for n in order if found.odds[n] >= LEAST_SHARE]
    wanted += [(LOOK, i) for i in ([found.look_first] if found.look_first else likely) if i in hoses][:1]
    wanted += [(HOLD, i) for i in likely if i not in hoses][:1]
    for test, at in dict.fromkeys(wanted):
        if (test, at) not in done:
            yield _test(knowledge, leaks, test, at)


def _test(knowledge: Knowledge, leaks: Leaks, test: str, at: str) -> CircuitTest:
    leaking = leaks.leaking
    tested = leaking.section(at) if test == SECTION else 1 << leaking.place[at]
    sure = knowledge.circuit.leaks.looked if test == LOOK else knowledge.circuit.leaks.seen
    sees = np.array([sure if tested >> n & 1 else 0.0 for n in range(len(leaking.ids))])
    verdict = Result(
        test, {"node": at}, Judgement("unclear", "unclear", None, unit=None, uncertainty=None, because=""), ()
    )
    finding = finding_of(knowledge, Tried(verdict, at, "", tested, sees), leaks.weights)
    minutes = LOOKS_MIN if test == LOOK else leaking.branches.sites[leaking.place[at]].minutes
    return CircuitTest(test, at, minutes, replace(finding, id=f"{test}.{at}"), leaking.titles[at])
