"""Hand a job on: what was done, what is left, what runs, in one press; shown to the next until it is taken
over."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.job.afterwards.shift import Left, last_shift, left_by
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page, person

router = APIRouter()
WORK = "shift/_work.html"


def _left(record: JobRecord, by: str) -> Left:
    return left_by(record.assessed, by, record.standing.next_at(now()).does)


def _hand(form: Form, record: JobRecord, by: str) -> list[dict[str, Any]]:
    """Hand it on as it stands now."""
    note = form.text("note", 1000)
    left = _left(record, by)
    form.done()
    data = {"did": left.did, "bench": left.bench, "running": left.running, "next": left.next, "note": note}
    return [form.entry("shift", {key: list(v) if isinstance(v, tuple) else v for key, v in data.items()})]


def _take(form: Form, record: JobRecord, by: str) -> list[dict[str, Any]]:
    """Take it over."""
    last = last_shift(record.job)
    if last is None or last.id != form.raw("takes"):
        form.wrong("takes", "it was taken over already, or handed on anew: look at what stands")
    form.done()
    return [form.entry("shift", {"takes": form.raw("takes")})]


FORMS = {"hand": _hand, "take": _take}


@router.get("/jobs/{job_id}/shift")
def shift_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "shift", WORK, {"left": _left(record, person(request))})


@router.post("/jobs/{job_id}/shift/{name}")
def shift_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    by = person(request)
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=name,
        maker=lambda f, r, w: FORMS[name](f, r, by),
        stage="shift",
        work=WORK,
        show=lambda r, w: {"left": _left(r, by)},
        back=f"/jobs/{job_id}/shift",
    )
