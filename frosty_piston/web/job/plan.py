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


def part_row(record: JobRecord, workshop: Workshop, part_state: PartState) -> dict[str, Any]:
    """A part as the list and the drawing show it."""
    knowledge = workshop.knowledge
    job_id = record.job.id
    known = bool(record.assessed.evidence)
    if part_state.cleared:
        says = "cleared"
    elif known:
        says = f"{percent(part_state.odds)} suspected"
    else:
        says = "nothing found yet"
    return {
        "p": part_state,
        "percent": percent(part_state.odds),
        "link": bench_link(
            knowledge, job_id, part_state.test, part_state.point or None, part_state.node or None
        )
        if part_state.test
        else "",
        "says": says,
        "opens": knowledge.tests[part_state.test].short_title if part_state.test else "",
        "class": f"warm-{part_state.warmth}"
        + (" cleared" if part_state.cleared else "")
        + ("" if part_state.on_card else " unsaid"),
        "mark": MARKS.get(part_state.verdict, "ring"),
        "label": (
            f"{part_state.title}: {', '.join([says, *part_state.codes])}."
            f" Opens {inside(knowledge.tests[part_state.test].title)}"
            if part_state.test
            else part_state.title
        ),
        "suspects": [
            (suspect.fault, suspect.title, percent(suspect.probability))
            for suspect in part_state.suspects
            if known and suspect.probability >= LEAST_SHOWN
        ][:SHOWN_SUSPECTS],
        "tests": [
            (
                bench_link(
                    knowledge,
                    job_id,
                    test,
                    None,
                    part_state.node if "node" in knowledge.tests[test].where else None,
                ),
                knowledge.tests[test].short_title,
            )
            for test in part_state.tests
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
        for cylinder in by_id[key]["p"].cylinders if key in by_id else ():
            says = (
                "cleared"
                if cylinder.cleared
                else {"failed": "failed", "marginal": "marginal"}.get(
                    cylinder.verdict,
                    f"{percent(by_id[key]['p'].odds)} suspected" if cylinder.warmth else "nothing found",
                )
            )
            title = "Injector" if key == "injectors" else "Glow plug"
            halves.setdefault(cylinder.number, []).append(
                {
                    "key": key,
                    "class": f"warm-{cylinder.warmth}" + (" cleared" if cylinder.cleared else ""),
                    "cleared": cylinder.cleared,
                    "mark": MARKS.get(cylinder.verdict, ""),
                    "link": by_id[key]["link"],
                    "label": f"{title}, cylinder {cylinder.number}: {', '.join([says, *cylinder.codes])}",
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
