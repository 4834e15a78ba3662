"""Why: one suspect, what speaks for and against it with weights, how its odds went, what would change it."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import percent
from frosty_piston.core.suspects.space import UNLISTED
from frosty_piston.job.weighing.suspicion import Moved, Suspicion
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.trail import trail_view
from frosty_piston.web.frame.dependencies import GivenWorkshop
from frosty_piston.web.frame.links import test_link
from frosty_piston.web.frame.page import job_page

router = APIRouter()
WORK = "why/_work.html"
STRONG_BITS = 6.0
SHOWN_SWINGS = 4
WEIGHT_WORDS = ((4.0, "very strong"), (2.5, "strong"), (1.2, "clear"), (0.5, "slight"), (0.0, "faint"))


def weight_in_words(bits: float) -> str:
    return next(word for limit, word in WEIGHT_WORDS if abs(bits) >= limit)


def _bars(moved: tuple[Moved, ...]) -> list[dict[str, Any]]:
    return [
        {
            "says": m.says,
            "because": m.because,
            "width": round(min(abs(m.bits), STRONG_BITS) / STRONG_BITS * 100),
            "word": weight_in_words(m.bits),
            "times": f"{2 ** abs(m.bits):.1f}" if abs(m.bits) < 4 else f"{2 ** abs(m.bits):.0f}",
            "entry": m.entries[-1] if m.entries else "",
            "pattern": m.pattern,
        }
        for m in moved
    ]


def show(record: JobRecord, workshop: Workshop, fault: str) -> dict[str, Any]:
    return record.view(f"why {fault}", lambda: _shown(record, workshop, fault))


def _shown(record: JobRecord, workshop: Workshop, fault: str) -> dict[str, Any]:
    knowledge = workshop.knowledge
    suspicion = record.assessed.suspicion
    proposals = record.assessed.proposals
    suspect = next((s for s in suspicion.suspects if s.fault == fault), None)
    if suspect is None:
        if fault in knowledge.faults:
            by = record.job.engine.rules_out(knowledge.faults[fault].needs)
            raise NotHere(
                f"{knowledge.faults[fault].title} cannot be on this engine: the card says so at"
                f" {str(by).replace('_', ' ')}."
            )
        raise NotHere("There is no such fault.")
    swings = proposals.swings(fault, SHOWN_SWINGS) if fault != UNLISTED else []
    shape = knowledge.faults.get(fault)
    causes = (
        [
            {
                "fault": f,
                "title": knowledge.faults[f].title,
                "why": why,
                "odds": percent(next((s.probability for s in suspicion.suspects if s.fault == f), 0.0)),
            }
            for f, (_, why) in shape.killed_by.items()
            if f in suspicion.space.place
        ]
        if shape
        else []
    )
    change = [
        {
            "swing": swing,
            "link": test_link(knowledge, record.job.id, swing.test),
            "after": percent(swing.odds_after),
            "chance": percent(swing.chance),
            "up": swing.odds_after > suspect.probability,
        }
        for swing in swings
    ]
    return {
        "s": suspect,
        "at": record.assessed.addresses.in_words(fault),
        "percent": percent(suspect.probability),
        "for": _bars(_all_moved(suspicion, fault, 0)),
        "against": _bars(_all_moved(suspicion, fault, 1)),
        "shape": shape,
        "repair": knowledge.repairs[knowledge.repair_of[fault]].title if shape else "",
        "at_repair": _stood(suspicion, fault),
        "part": knowledge.parts[shape.part].title if shape else "",
        "trail": trail_view(suspicion.trail_of(fault)),
        "causes": causes,
        "raise_it": [c for c in change if c["up"]][:SHOWN_SWINGS],
        "lower_it": [c for c in change if not c["up"]][:SHOWN_SWINGS],
        "base": percent(shape.per_thousand / 1000) if shape else "",
    }


def _all_moved(suspicion: Suspicion, fault: str, way: int) -> tuple[Moved, ...]:
    """What moved it up (0) or down (1), before the repairs and since, strongest first."""
    return tuple(
        sorted((m for time in suspicion.chain for m in time.moved_by(fault)[way]), key=lambda m: -abs(m.bits))
    )


def _stood(suspicion: Suspicion, fault: str) -> str:
    """How it stood at the repair, empty before one."""
    stood = suspicion.at_repair(fault)
    return "" if stood is None else percent(stood)


@router.get("/jobs/{job_id}/why/{fault}")
def why(request: Request, job_id: str, fault: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "why", WORK, show(record, workshop, fault))
