"""Alarms: the waits of all jobs, those that rang and nobody looked at, and the press that goes on."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, Busy, Conflict, Fault, NoSpace
from frosty_piston.core.words import inside, sentence
from frosty_piston.job.next_step import WAIT_WORDS
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.links import place_link
from frosty_piston.web.frame.page import Kept, render, status_of, writer
from frosty_piston.web.job.waits import end

router = APIRouter()
AS_EXPECTED = "as expected"
SOON = timedelta(minutes=2)
MOST_FORMS = 1
MOST_BARRED = 10


@dataclass(frozen=True)
class Alarm:
    """One wait of an open job. `over`: its time is over and nobody has said what was seen; `soon`: it is, or
    will be before the page asks again."""

    id: str
    job: str
    vehicle: str
    kind: str
    what: str
    until: datetime | None
    over: bool
    soon: bool

    @property
    def says(self) -> str:
        return f"{self.vehicle}: {inside(self.kind)}, {inside(self.what)}"


def alarms(workshop: Workshop, at: datetime) -> list[Alarm]:
    """Every wait of the open jobs, those that rang first, then by when they ring."""
    found = []
    for row in workshop.yard.waiting():
        for wait in row.waits:
            until = datetime.fromisoformat(wait["until"]) if wait["until"] else None
            kind = sentence(WAIT_WORDS[wait["wait"]])
            over, soon = (until is not None and until <= at + ahead for ahead in (timedelta(), SOON))
            found.append(
                Alarm(
                    wait["id"],
                    row.id,
                    row.vehicle_name,
                    kind=kind,
                    what=wait["what"],
                    until=until,
                    over=over,
                    soon=soon,
                )
            )
    return sorted(found, key=lambda a: (a.until is None, a.until.timestamp() if a.until else 0.0))


@router.get("/alarms/bar")
def bar(request: Request, workshop: GivenWorkshop) -> Response:
    """What every page shows on top: what rang, the first with its form. Those that still run come
    along for the clock of the page."""
    first = [a for a in alarms(workshop, now()) if a.until][:MOST_BARRED]
    return render(request, "alarms/bar.html", alarms=first, most=MOST_FORMS, kept=Kept())


def _page(request: Request, workshop: Workshop, kept: Kept, status: int = 200) -> Response:
    return render(request, "alarms/page.html", status, alarms=alarms(workshop, now()), kept=kept)


@router.get("/alarms")
def page(request: Request, workshop: GivenWorkshop) -> Response:
    return _page(request, workshop, Kept())


def _over(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The end of a wait; what was seen may be left out: then it was as expected."""
    if form.raw("wait_id") not in {x.id for x in open_waits(record.job)}:
        raise Conflict("This wait was ended already, here or on another device: look at what stands.")
    if not form.raw("seen"):
        form.values["seen"] = [AS_EXPECTED]
    return end(form, record, workshop)


@router.post("/jobs/{job_id}/over")
def over(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """One press: the wait is over, with what was seen, and the next step is opened."""
    record = workshop.tapes.job(job_id)
    act = form.act(request.url.path)
    name = f"over-{form.raw('wait_id')}"
    try:
        if act is None or workshop.tapes.done(job_id, act) is None:
            workshop.tapes.write(job_id, _over(form, record, workshop), writer(request, form), act=act)
    except BadInput as error:
        return _page(request, workshop, Kept.of(name, error, form.kept), 422)
    except (Conflict, Busy, NoSpace) as error:
        kept = Kept.of(name, BadInput([Fault("", str(error))], form.kept), form.kept)
        return _page(request, workshop, kept, status_of(error))
    record = workshop.tapes.job(job_id)
    where = record.standing.next_at(now()).where
    return RedirectResponse(place_link(workshop.knowledge, job_id, where), 303)
