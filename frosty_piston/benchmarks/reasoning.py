"""Measures the reasoning: the choice of tests against the exact optimum, and how long a full job takes to
think through."""

import statistics
import time
from typing import Any

import numpy as np

from frosty_piston.core.suspects.space import Space
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.entries import Action, Entry
from frosty_piston.job.tape import jobfile
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.evidence import Evidence
from frosty_piston.job.weighing.suspicion import Done, Suspicion
from frosty_piston.knowledge import Knowledge, load_knowledge
from frosty_piston.rig.small_engines import FAULTS, TESTS, compare

FINDINGS = 60
REPAIRED = ("boost_hose_split", "egr_valve")
REPAIR = Entry(
    "bench", "action", None, None, Action(action="replaced", what="boost hose", repair="boost_hose_split")
)
COMPLAINT = (
    "limp_mode",
    "low_power",
    "hard_start_cold",
    "emissions_message",
    "regen_frequent",
    "rough_idle",
    "poor_economy",
    "surge",
    "stall",
    "black_smoke",
    "boost_hiss",
    "idle_vibration",
    "slow_stop",
    "hard_start_hot",
    "misfire",
    "high_def_use",
)
CODES = ("P0299", "P0401", "P2463", "P0380", "P0193", "P204F", "U029D")


def full_job(knowledge: Knowledge) -> dict[str, Any]:
    """A job of 60 findings on an engine of which nothing is known, so that every fault is weighed: a
    complaint, codes, and one test after the other found sound."""
    entries: list[dict[str, Any]] = [{"kind": "symptom", "data": {"symptom": s}} for s in COMPLAINT] + [
        {"kind": "code", "data": {"code": c}} for c in CODES
    ]
    entries.append({"kind": "code_scan", "data": {}})
    for test, findings in knowledge.findings.items():
        for known in findings:
            best = known.finding.outcomes[0]
            shape = known.shape
            where = {
                key: value[0] for key, value in (("point", shape.points), ("node", shape.nodes)) if value
            }
            if best in knowledge.tests[test].outcomes:
                entries.append({"kind": "outcome", "data": {"test": test, "where": where, "outcome": best}})
    for number, entry in enumerate(entries):
        entry["id"] = f"b{number}"
    return {
        "format": jobfile.FORMAT,
        "version": jobfile.VERSION,
        "job": {"id": "bench", "title": "Bench"},
        "vehicle": {"name": "Bench"},
        "engine": {"name": "Bench"},
        "entries": entries,
    }


def _two_repairs_ms(job: Job, knowledge: Knowledge, evidence: list[Evidence]) -> float:
    """Suspects and next tests with the same findings spread over three times."""
    assessed = Assessed(job, knowledge)
    course = list[Suspicion]()
    for number, part in enumerate((evidence[:40], evidence[40:50], evidence[50:])):
        done = Done(REPAIR, "mended", knowledge.repairs[REPAIRED[number - 1]].cures, 0.97) if number else None
        course.append(Suspicion(job, knowledge, part, course[-1] if course else None, done))
    assessed.course = course
    started = time.perf_counter()
    _ = assessed.suspicion.suspects, assessed.proposals.next_tests
    return (time.perf_counter() - started) * 1000


def _product_ms(space: Space) -> float:
    """A fixed product: as many rows as findings, over all sets, by all faults."""
    rows = np.ones((FINDINGS, len(space.held)), np.float32)
    started = time.perf_counter()
    _ = rows @ space.members
    return (time.perf_counter() - started) * 1000


def benchmark_reasoning(rounds: int = 40, engines: int = 40) -> None:
    """Print both, with what is wanted."""
    knowledge = load_knowledge()
    job = job_of(jobfile.check(full_job(knowledge), knowledge))
    times = []
    conflicts = []
    carries = []
    proofs = []
    twice = []
    product = []
    for turn in range(rounds + 3):
        assessed = Assessed(job, knowledge)
        evidence = assessed.evidence[:FINDINGS]
        assessed.course = [Suspicion(job, knowledge, evidence)]
        started = time.perf_counter()
        _ = assessed.suspicion.suspects, assessed.proposals.next_tests
        between = time.perf_counter()
        _ = assessed.suspicion.conflicts
        if turn >= 3:
            times.append((between - started) * 1000)
            conflicts.append((time.perf_counter() - between) * 1000)
        repaired = Suspicion(
            job,
            knowledge,
            [],
            assessed.suspicion,
            Done(REPAIR, "mended", knowledge.repairs["boost_hose_split"].cures, 0.97),
        )
        _ = assessed.suspicion.explaining
        begun = time.perf_counter()
        _ = repaired.prior
        carries.append((time.perf_counter() - begun) * 1000)
        _ = repaired.sure
        proofs.append((time.perf_counter() - begun) * 1000)
        twice.append(_two_repairs_ms(job, knowledge, evidence))
        product.append(_product_ms(assessed.suspicion.space))
    faults = len(assessed.suspicion.space.faults)
    print(
        f"thinking through {len(evidence)} findings, {faults} faults, {len(assessed.suspicion.space.held)}"
        f" sets of up to three, {rounds} times, ms"
    )
    print(f"{'':46}{'median':>9}{'95 %':>9}")
    for name, row in (
        ("suspects and next tests (wanted: under 60)", times),
        ("with two repairs behind them (wanted: under 75)", twice[3:]),
        ("a matrix product of that size", product[3:]),
        ("conflicts", conflicts),
        ("carried across one repair (wanted: about 2)", carries[3:]),
        ("and how sure it is then", proofs[3:]),
    ):
        print(f"{name:46}{statistics.median(row):9.1f}{statistics.quantiles(row, n=20)[-1]:9.1f}")
    print(f"{'thinking, of that product':46}{statistics.median(times) / statistics.median(product[3:]):9.1f}")
    spent = compare(engines)
    better = min(spent["by system"], spent["swap"])
    print(
        f"\nchoice of tests on {engines} small engines of {FAULTS} faults and {TESTS} tests: expected minutes"
        " before the repair that cures"
    )
    for name, minutes in spent.items():
        print(f"{name:46}{minutes:9.1f}")
    print(f"{'proposals above the optimum (wanted: 5 %)':46}{spent['proposals'] / spent['optimum'] - 1:9.1%}")
    print(
        f"{'proposals of the better other (wanted: 60 %)':46}{spent['proposals'] / better:9.1%}\n", flush=True
    )
