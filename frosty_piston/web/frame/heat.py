"""The heat list beside the work: the suspects that are worth a look, and the tests that stand first."""

from typing import Any

from frosty_piston.core.quantity import percent
from frosty_piston.job.plan import warmth
from frosty_piston.job.weighing.suspicion import Suspect, Suspicion
from frosty_piston.store.workshop import JobRecord

from .links import test_link

SHOWN_SUSPECTS = 7
SHOWN_TESTS = 5
PATTERN_BITS = 0.7
LEAST_SHOWN = 0.01
LEAST_BESIDE = 0.02
EXPLAINS_ALL = 0.5
SOUND_SHOWN = 0.05


def worth_a_look(suspicion: Suspicion) -> list[Suspect]:
    """The suspects that are shown: seldom ones are fillers once another explains what was found."""
    least = LEAST_BESIDE if suspicion.suspects[0].probability >= EXPLAINS_ALL else LEAST_SHOWN
    return [s for s in suspicion.suspects[:-1] if s.probability >= least]


def heat_view(record: JobRecord) -> dict[str, Any]:
    """The suspects that are worth a look, `unlisted` always, and the tests that stand first."""
    suspicion = record.assessed.suspicion
    if not record.assessed.evidence:
        return {"suspects": [], "tests": [], "conflicts": [], "unlisted": None, "sound": ""}
    listed = worth_a_look(suspicion)[:SHOWN_SUSPECTS] or list(suspicion.suspects[:3])
    return {
        "suspects": [
            {
                "s": suspect,
                "percent": percent(suspect.probability),
                "width": round(max(suspect.probability, 0.01) * 100, 1),
                "warmth": warmth(suspect.probability),
                "pattern": any(
                    m.pattern and abs(m.bits) >= PATTERN_BITS
                    for m in (*suspect.speaks_for, *suspect.speaks_against)
                ),
            }
            for suspect in listed
        ],
        "sound": percent(suspicion.sound) if suspicion.sound >= SOUND_SHOWN else "",
        "unlisted": {
            "s": suspicion.suspects[-1],
            "percent": percent(suspicion.suspects[-1].probability),
            "width": round(suspicion.suspects[-1].probability * 100, 1),
        },
        "tests": [
            {"n": number, "link": test_link(record.assessed.knowledge, record.job.id, number)}
            for number in record.assessed.proposals.top(SHOWN_TESTS)
        ],
        "conflicts": suspicion.conflicts,
    }
