"""Plan: the engine drawn from its card, warm where it is suspected, frosted where it is cleared; every part
opens its test."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import inside
from frosty_piston.job.circuit.on_tape import circuit_on
from frosty_piston.job.plan import PartState, plan
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.engine_drawing import HEIGHT, WIDTH, Drawing, draw
from frosty_piston.web.drawing.verdict_marks import MARKS
from frosty_piston.web.frame.dependencies import GivenWorkshop
from frosty_piston.web.frame.links import bench_link
from frosty_piston.web.frame.page import job_page, piece

router = APIRouter()
WORK = "plan/_work.html"
SHOWN_SUSPECTS = 3
LEAST_SHOWN = 0.005


def part_row(record: JobRecord, workshop: Workshop, p: PartState) -> dict[str, Any]:
    """A part as the list and the drawing show it."""
    knowledge = workshop.knowledge
    job_id = record.job.id
    known = bool(record.assessed.evidence)
    if p.cleared:
        says = "cleared"
    elif known:
        says = f"{percent(p.odds)} suspected"
    else:
        says = "nothing found yet"
    return {
        "p": p,
        "percent": percent(p.odds),
        "link": bench_link(knowledge, job_id, p.test, p.point or None, p.node or None) if p.test else "",
        "says": says,
        "opens": knowledge.tests[p.test].short_title if p.test else "",
        "class": f"warm-{p.warmth}" + (" cleared" if p.cleared else "") + ("" if p.on_card else " unsaid"),
        "mark": MARKS.get(p.verdict, "ring"),
        "label": (
            f"{p.title}: {says}{', ' + ', '.join(p.codes) if p.codes else ''}. Opens"
            f" {inside(knowledge.tests[p.test].title)}"
            if p.test
            else p.title
        ),
        "suspects": [
            (s.fault, s.title, percent(s.probability))
            for s in p.suspects
            if known and s.probability >= LEAST_SHOWN
        ][:SHOWN_SUSPECTS],
        "tests": [
            (
                bench_link(
                    knowledge, job_id, t, None, p.node if "node" in knowledge.tests[t].where else None
                ),
                knowledge.tests[t].short_title,
            )
            for t in p.tests
        ],
    }


def _drawing(record: JobRecord) -> Drawing:
    """The engine from its card, its vacuum from the list of the circuit where one is written down."""
    circuit = circuit_on(record.job)
    return draw(record.job.engine, frozenset(p.kind for p in circuit.parts) if circuit else None)


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    return {
        "drawing": _drawing(record),
        "engine_name": record.job.engine.name,
        "drawn": piece(record, "plan/_drawn.html", "", lambda: _shown(record, workshop)),
    }


def _shown(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    parts = [part_row(record, workshop, p) for p in plan(record.assessed)]
    by_id = {row["p"].id: row for row in parts}
    drawing = _drawing(record)
    halves: dict[int, list[dict[str, Any]]] = {}
    for key in ("injectors", "glow_plugs"):
        for c in by_id[key]["p"].cylinders if key in by_id else ():
            says = (
                "cleared"
                if c.cleared
                else {"failed": "failed", "marginal": "marginal"}.get(
                    c.verdict, f"{percent(by_id[key]['p'].odds)} suspected" if c.warmth else "nothing found"
                )
            )
            title = "Injector" if key == "injectors" else "Glow plug"
            halves.setdefault(c.number, []).append(
                {
                    "key": key,
                    "class": f"warm-{c.warmth}" + (" cleared" if c.cleared else ""),
                    "cleared": c.cleared,
                    "mark": MARKS.get(c.verdict, ""),
                    "link": by_id[key]["link"],
                    "label": (
                        f"{title}, cylinder {c.number}: {says}{', ' + ', '.join(c.codes) if c.codes else ''}"
                    ),
                }
            )
    return {
        "drawing": drawing,
        "by_id": by_id,
        "parts": parts,
        "halves": halves,
        "size": (WIDTH, HEIGHT),
    }


@router.get("/jobs/{job_id}/plan")
def plan_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "plan", WORK, show(record, workshop))
