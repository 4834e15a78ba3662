"""The assessment in its open form: what the command line and the API print."""

import logging
from dataclasses import replace
from typing import Any

from frosty_piston.core.errors import BadInput
from frosty_piston.knowledge import Knowledge, load_knowledge

from .assessment import Assessed, job_of
from .judging.held import hold
from .next_step import next_step
from .repair.decide import Prices, offer_says, typed_on_tape, weigh_offers
from .repair.prove import Proof, prove
from .tape.jobfile import JobFile, read
from .weighing.suspicion import Suspect

FORMAT = "frosty-piston/assessment"
VERSION = 1
NAMED_SHARE = 0.1
log = logging.getLogger("frosty_piston.job")


def answer(assessed: Assessed, prices: Prices | None = None) -> dict[str, Any]:
    """Return an assessed job: verdicts, suspects, next tests, conflicts, cautions, what is next, what can be
    done and how proven it is. `prices`: what the workshop charges; general figures when left out."""
    proof = prove(assessed)
    deadline = assessed.job.deadline
    typed = typed_on_tape(assessed.job, assessed.knowledge)
    prices = replace(
        prices or Prices(),
        standstill_per_day=deadline.data.standstill_per_day if deadline else 0,
        typed={**(prices.typed if prices else {}), **typed},
    )
    return {
        "format": FORMAT,
        "version": VERSION,
        "verdicts": [
            {
                "test": verdict.test,
                "where": verdict.where,
                "verdict": verdict.judgement.verdict,
                "class": verdict.judgement.cls,
                "value": _rounded(verdict.judgement.value),
                "unit": verdict.judgement.unit,
                "uncertainty": _rounded(verdict.judgement.uncertainty),
                "entries": list(verdict.entries),
                "because": verdict.judgement.because,
            }
            for verdict in assessed.now
        ],
        "suspects": [_suspect(assessed, x) for x in assessed.suspicion.suspects],
        "sound": round(assessed.suspicion.sound, 4),
        "next_tests": [
            {
                "test": test.test,
                "where": test.where,
                "minutes": test.minutes,
                "access": list(test.access),
                "gain_bits": round(test.gain_bits, 4),
                "because": test.because,
            }
            for test in assessed.proposals.next_tests
        ],
        "conflicts": [
            {"entries": list(c.entries), "because": c.because} for s in assessed.course for c in s.conflicts
        ],
        "cautions": list(assessed.cautions),
        "next_step": next_step(assessed, proof).as_json(),
        "options": offer_says(weigh_offers(assessed, prices)),
        "proof": _proof(proof),
        "assumed": list(assessed.assumed),
    }


def _suspect(assessed: Assessed, suspect: Suspect) -> dict[str, Any]:
    earlier = [s.moved_by(suspect.fault) for s in assessed.suspicion.chain[:-1]]
    pro = [m for moved in earlier for m in moved[0]] + list(suspect.speaks_for)
    con = [m for moved in earlier for m in moved[1]] + list(suspect.speaks_against)
    found: dict[str, Any] = {
        "fault": suspect.fault,
        "system": suspect.system or None,
        "probability": round(suspect.probability, 4),
        "for": _ids(pro),
        "against": _ids(con),
        "because": suspect.because,
    }
    if places := parts_of(assessed, suspect.fault, suspect.probability):
        found["parts"] = [{"node": node, "probability": round(p, 4)} for node, p in places]
    stood = assessed.suspicion.at_repair(suspect.fault)
    return found if stood is None else {**found, "at_repair": round(stood, 4)}


def parts_of(assessed: Assessed, fault: str, probability: float) -> list[tuple[str, float]]:
    """How likely a fault sits at each place of the circuit, or at each of the many things that it can be at,
    the likeliest first; empty where it is on none."""
    leaks = assessed.leaks_of[-1]
    if assessed.addresses.likeliest(fault):
        where = [(x, assessed.addresses.here(fault, [x])) for x in assessed.knowledge.addresses[fault]]
        named = [(x, probability * share) for x, share in where if share >= NAMED_SHARE]
        return sorted(named, key=lambda row: -row[1])
    if leaks is None or fault not in leaks.weights:
        return []
    places = [
        (i, probability * float(w)) for i, w in zip(leaks.leaking.ids, leaks.weights[fault], strict=True)
    ]
    return sorted((row for row in places if row[1] > 0), key=lambda row: -row[1])


def _proof(proof: Proof) -> dict[str, Any]:
    return {
        "status": proof.status,
        "sure": None if proof.sure is None else round(proof.sure, 4),
        "missing": [
            {
                "what": missing.what,
                "id": missing.id,
                "where": missing.where.as_open(),
                "because": missing.because,
            }
            for missing in proof.missing
        ],
    }


def _ids(moved: Any) -> list[str]:
    return list(dict.fromkeys(i for m in moved for i in m.entries))


def _rounded(value: float | None) -> float | None:
    return None if value is None else float(f"{value:.6g}")


def assess(file: JobFile, knowledge: Knowledge | None = None) -> dict[str, Any]:
    """Assess a job file: the same JSON the command line prints."""
    return answer(Assessed(job_of(file), hold(knowledge or load_knowledge())))


def assess_line(line: bytes, knowledge: Knowledge | None = None) -> dict[str, Any]:
    """Assess one job file of a stream; a bad one answers what is wrong with it."""
    try:
        return assess(read(line, knowledge), knowledge)
    except BadInput as error:
        return {
            "error": {"says": str(error), "faults": [{"path": f.path, "says": f.says} for f in error.faults]}
        }
    except Exception as error:  # whatever one line does, the next is answered
        log.exception("a job file could not be assessed")
        kind = type(error).__name__
        says = f"This job file could not be assessed ({kind}): a fault of the program, not of it."
        return {"error": {"says": says, "faults": []}}
