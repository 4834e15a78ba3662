"""Narrow: codes by kind and system, suspects with their reasons, next tests with minutes."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import percent
from frosty_piston.store.workshop import JobRecord, Workshop

from .given import GivenWorkshop
from .page import job_page
from .sidezones import bench_link

router = APIRouter()
WORK = "narrow/_work.html"
STRONG_BITS = 6.0
KINDS = {"circuit": ("Circuit", "wires, connectors, coils"), "range": ("Range", "a signal outside its range"), "performance": ("Performance or flow", "soot, leaks, stuck parts"),
         "plausibility": ("Plausibility", "two sensors that disagree"), "communication": ("Network", "a module's supply or link first"),
         "limit": ("Limit", "a value past its limit"), "unit": ("Control unit", "the unit itself or its coding"), "": ("Not known here", "look it up in your service data")}


def code_board(record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Codes sorted by kind first, then by system."""
    k, board = workshop.knowledge, {}
    for x in record.job.of("code"):
        parts = decode(x.data.code)
        known = k.codes.get(parts.code)
        kind = parts.kind or (known.kind if known else "")
        board.setdefault(kind if kind in KINDS else "", []).append({
            "entry": x, "says": known.title if known else x.data.text or parts.says, "system": k.systems[known.system] if known else parts.system.capitalize()})
    order = list(KINDS)
    return [{"title": KINDS[kind][0], "points_at": KINDS[kind][1], "codes": sorted(rows, key=lambda r: r["system"])}
            for kind, rows in sorted(board.items(), key=lambda item: order.index(item[0]))]


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    suspicion = record.assessed.suspicion

    def bars(moved: Any) -> list[dict[str, Any]]:
        return [{"says": m.says, "because": m.because, "width": round(min(abs(m.bits), STRONG_BITS) / STRONG_BITS * 100), "bits": abs(m.bits)} for m in moved]

    suspects = [{"s": s, "percent": percent(s.probability), "system": workshop.knowledge.systems.get(s.system, ""), "for": bars(s.speaks_for), "against": bars(s.speaks_against),
                 "shows": workshop.knowledge.faults[s.fault].shows}
                for s in suspicion.suspects[:-1] if s.probability >= 0.01][:12]
    tests = [{"n": n, "link": bench_link(record.job.id, n.test, n.where.get("point")), "access": [workshop.knowledge.access[a].title for a in n.access if a in workshop.knowledge.access],
              "tools": [workshop.knowledge.tools[t] for t in n.tools], "width": round(min(1.0, n.gain_bits) * 100)} for n in record.assessed.proposals.next_tests[:10]]
    return {"board": code_board(record, workshop), "all_suspects": suspects, "all_tests": tests, "has_evidence": bool(record.assessed.evidence),
            "lost": record.job.codes_lost, "unlisted_percent": percent(suspicion.suspects[-1].probability), "conflicts": suspicion.conflicts,
            "assumed": record.assessed.assumed}


@router.get("/jobs/{job_id}/narrow")
def narrow(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.job(job_id)
    return job_page(request, record, "narrow", WORK, show(record, workshop))


@router.get("/jobs/{job_id}")
def open_job(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    """Open a job where it stands."""
    return RedirectResponse(f"/jobs/{job_id}/{workshop.job(job_id).standing.now}", 303)
