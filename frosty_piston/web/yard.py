"""The yard: open jobs as strips, what can be worked on now first."""

from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.words import inside
from frosty_piston.job.stages import STAGES
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.moments import now
from frosty_piston.store.tables import JobRow

from .dependencies import GivenForm, GivenWorkshop
from .links import place_link
from .page import render

router = APIRouter()
SHOWN = 60
NODE_LEFT, NODE_STEP = 14, 34


def strip(k: Knowledge, row: JobRow) -> dict[str, Any]:
    """What a strip of the yard shows of a job."""

    def utc(at: datetime | None) -> datetime | None:
        return at.replace(tzinfo=UTC) if at and at.tzinfo is None else at

    until, deadline = utc(row.waiting_until), utc(row.deadline)
    waiting = until is not None and until > now()
    left_h = (deadline - now()).total_seconds() / 3600 if deadline else None
    about = row.title.removeprefix(row.vehicle_name).lstrip(", ")
    reached = STAGES.index(row.stage)
    nodes = [
        {
            "x": NODE_LEFT + n * NODE_STEP,
            "state": "now" if n == reached else "done" if n < reached else "open",
            "r": 9 if n == reached else 6,
        }
        for n in range(len(STAGES))
    ]
    where = None if waiting else row.next_where
    following = f"Then: {inside(row.next_step)}" if waiting else row.suspect
    return {
        "next": row.waiting_for if waiting else row.next_step,
        "following": following,
        "link": place_link(k, row.id, where) if where else f"/jobs/{row.id}",
        "row": row,
        "nodes": nodes,
        "done_to": nodes[reached]["x"],
        "number": reached + 1,
        "about": "" if row.title == "New job" else about,
        "opened": utc(row.opened_at),
        "until": until if waiting else None,
        "over": until is not None and not waiting,
        "deadline": deadline,
        "late": left_h is not None and left_h < 0,
        "soon": left_h is not None and left_h < 24,
    }


@router.get("/")
def yard(request: Request, workshop: GivenWorkshop) -> Response:
    strips = [strip(workshop.knowledge, row) for row in workshop.yard.jobs(limit=SHOWN)]
    return render(
        request,
        "yard/page.html",
        strips=strips,
        done=[strip(workshop.knowledge, row) for row in workshop.yard.jobs(closed=True, limit=6)],
        open_count=workshop.yard.count(),
        shown=SHOWN,
    )


@router.post("/jobs")
def new_job(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Open a job. The page carries the id, so that a double press opens one."""
    try:
        job_id = str(UUID(form.raw("job_id")))
    except ValueError:
        job_id = None
    return RedirectResponse(f"/jobs/{workshop.tapes.new_job(job_id=job_id)}/arrive", 303)


@router.post("/who")
def who(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Say who is working: every entry carries the name."""
    name = form.text("who", 80)
    back = form.raw("back")
    answer = RedirectResponse(back if back.startswith("/") and not back.startswith("//") else "/", 303)
    if name:
        workshop.settings.add_person(name)
        answer.set_cookie("piston_who", quote(name), max_age=365 * 86400, httponly=True, samesite="lax")
    return answer


@router.post("/look")
def look(request: Request, form: GivenForm) -> Response:
    """Choose light, dusk, or what the system says."""
    back = form.raw("back")
    answer = RedirectResponse(back if back.startswith("/") and not back.startswith("//") else "/", 303)
    answer.set_cookie(
        "piston_look",
        form.raw("look") if form.raw("look") in ("light", "dusk") else "",
        max_age=365 * 86400,
        samesite="lax",
    )
    return answer
