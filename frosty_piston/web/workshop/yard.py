"""The yard: open jobs as strips, what can be worked on now first."""

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from sqlalchemy import Row

from frosty_piston.core.errors import NotAllowed
from frosty_piston.core.words import inside
from frosty_piston.job.stages import STAGES
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.timestamps import now, utc
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.links import place_link
from frosty_piston.web.frame.page import ago, render, templates, when
from frosty_piston.web.frame.signed_in import person_of

router = APIRouter()
SHOWN = 60
DONE_SHOWN = 6
SOON_H = 24
NODE_LEFT = 14
NODE_STEP = 34


def rods() -> list[dict[str, Any]]:
    """The rod of each stage: its nodes, and how far it is done."""
    places = [NODE_LEFT + n * NODE_STEP for n in range(len(STAGES))]
    return [
        {
            "stage": stage,
            "done_to": places[reached],
            "nodes": [
                {
                    "x": place,
                    "state": ("done", "now", "open")[(index >= reached) + (index > reached)],
                    "r": 9 if index == reached else 6,
                }
                for index, place in enumerate(places)
            ],
        }
        for reached, stage in enumerate(STAGES)
    ]


@dataclass(frozen=True)
class Strip:
    """A job as its strip shows it, every word of it: two strips that are alike are drawn once."""

    id: str
    link: str
    vehicle: str
    about: str
    opened: str
    stage: str
    number: int
    status: str
    next: str
    following: str
    until: datetime | None
    left: str
    over: bool
    due: str
    urgency: str
    count: str
    count_state: str
    count_says: str


def strip(knowledge: Knowledge, row: Row[Any], at: datetime) -> Strip:
    """What a strip of the yard shows of a job at a moment."""
    until, deadline = (utc(x) if x else None for x in (row.waiting_until, row.deadline))
    waiting = until is not None and until > at
    left_h = (deadline - at).total_seconds() / 3600 if deadline else None
    about = row.title.removeprefix(row.vehicle_name).lstrip(", ")
    where = None if waiting else row.next_where
    return Strip(
        id=row.id,
        link=place_link(knowledge, row.id, where) if where else f"/jobs/{row.id}",
        vehicle=row.vehicle_name,
        about="" if row.title == "New job" else about,
        opened=when(utc(row.opened_at)),
        stage=row.stage,
        number=STAGES.index(row.stage) + 1,
        status=row.status,
        next=(row.waiting_for if waiting else row.next_step) or "",
        following=f"Then: {inside(row.next_step)}" if waiting else row.suspect,
        until=until if waiting else None,
        left=ago(until) if until and waiting else "",
        over=until is not None and not waiting,
        due=f"{'Was due' if left_h is not None and left_h < 0 else 'Due'} {when(deadline)}"
        if deadline
        else "",
        **_count(row.countdown),
        urgency=_urgency(left_h),
    )


def _urgency(left_h: float | None) -> str:
    """How near the deadline is, as the strip is coloured."""
    if left_h is None or left_h >= SOON_H:
        return ""
    return "late" if left_h < 0 else "soon"


def _count(budget: dict[str, str] | None) -> dict[str, str]:
    """The countdown on the strip."""
    found = budget or {"left": "", "state": "", "says": ""}
    return {"count": found["left"], "count_state": found["state"], "count_says": found["says"]}


@lru_cache(maxsize=4 * SHOWN)
def drawn(s: Strip) -> Markup:
    """The strip of an open job."""
    return Markup(templates().get_template("yard/_strip.html").render(s=s))


@router.get("/")
def yard(request: Request, workshop: GivenWorkshop) -> Response:
    knowledge = workshop.knowledge
    at = now()
    return render(
        request,
        "yard/page.html",
        strips=[drawn(strip(knowledge, row, at)) for row in workshop.yard.jobs(limit=SHOWN)],
        done=[strip(knowledge, row, at) for row in workshop.yard.jobs(closed=True, limit=DONE_SHOWN)],
        open_count=workshop.yard.count(),
        shown=SHOWN,
        rods=rods(),
    )


@router.get("/worker.js")
def worker(workshop: GivenWorkshop) -> Response:
    """What answers in the browser while the server does not; its cache is named by workshop and version."""
    script = templates().get_template("worker.js").render(workshop_id=workshop.id)
    return Response(script, media_type="text/javascript")


@router.get("/alive")
async def alive(request: Request) -> Response:
    """Whether the server answers, and in time. It takes no thread: it answers when none is left."""
    late = request.app.state.watchdog.late()
    return Response("degraded" if late else "yes", media_type="text/plain")


@router.post("/jobs")
def new_job(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Open a job. The page carries the id, so that a double press opens one."""
    try:
        job_id = str(UUID(form.raw("job_id")))
    except ValueError:
        job_id = None
    opened = workshop.tapes.new_job(job_id=job_id, opened_at=form.pressed_at)
    return RedirectResponse(f"/jobs/{opened}/arrive", 303)


@router.post("/who")
def who(request: Request, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Say who is working: every entry carries the name."""
    if person_of(request) is not None:
        raise NotAllowed("Here everybody signs in: sign out, and the other one signs in.")
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
